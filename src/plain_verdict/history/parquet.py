"""Writes checks of builds as Parquet (Apache Parquet 2), some builds at a time: memory holds few of them."""

from collections.abc import Iterable, Iterator, Sequence
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq

from plain_verdict.model import CheckIndex, KeptRun, Past

_TEXT = pa.dictionary(pa.int32(), pa.string())  # few texts, each of them often
_COLUMN_TYPES = [_TEXT, _TEXT, pa.timestamp("ms", tz="UTC"), *[_TEXT] * 6, pa.float64()]
_ROWS_AT_ONCE = 4_000_000  # a group of rows repeats the names of its checks
_DICTIONARY_BYTES = 256_000_000
_WORDS = pa.array([past.words for past in Past])
_PAST_NUMBERS = np.zeros(256, "int32")
_PAST_NUMBERS[[ord(past.value) for past in Past]] = range(len(Past))
_ABSENT = list(Past).index(Past.ABSENT)
Piece = tuple[Sequence[object], KeptRun]
"""A build: the values of its first columns, and its checks."""
Numbers = np.ndarray[Any, np.dtype[np.int32]]


def write_parquet(path: Path, names: Sequence[str], builds: Iterable[Piece]) -> int:
    """Write the checks of builds and return how many rows there are. Raises OSError."""
    schema = pa.schema(list(zip(names, _COLUMN_TYPES, strict=True)))
    texts = [field.name for field in schema if field.type == _TEXT]
    number, known = 0, _Checks()
    # Statistics of columns whose values stand in a table of a group cost most of the time and help no query.
    numbers = [field.name for field in schema if field.type != _TEXT]
    with pq.ParquetWriter(
        path,
        schema,
        use_dictionary=texts,  # type: ignore[arg-type]  # takes names of columns as well
        write_statistics=numbers,
        dictionary_pagesize_limit=_DICTIONARY_BYTES,
    ) as writer:
        for group in _groups(builds):
            table = _table(schema, group, known)
            writer.write_table(table, row_group_size=max(1, table.num_rows))
            number += table.num_rows
    return number


def _groups(builds: Iterable[Piece]) -> Iterator[list[Piece]]:
    """Yield as many builds in a row as a group of rows holds."""
    group: list[Piece] = []
    rows = 0
    for piece in builds:
        rows += len(piece[1].outcomes)
        if group and rows > _ROWS_AT_ONCE:
            yield group
            group, rows = [], len(piece[1].outcomes)
        group.append(piece)
    if group:
        yield group


class _Checks:
    """The ids and names of all builds so far: most are the same from build to build."""

    def __init__(self) -> None:
        self.ids: list[str] = []
        self.names: list[str] = []
        self._numbers: dict[str, int] = {}
        self._known: tuple[CheckIndex, Numbers] | None = None

    def numbers_of(self, index: CheckIndex) -> Numbers:
        """Return where the checks of a build stand among all."""
        if self._known is None or self._known[0] is not index:
            for position, id_ in enumerate(index.ids):
                if id_ not in self._numbers:
                    self._numbers[id_] = len(self.ids)
                    self.ids.append(id_)
                    self.names.append(index.names[position])
            found = map(self._numbers.__getitem__, index.ids)
            self._known = index, np.fromiter(found, "int32", len(index.ids))
        return self._known[1]


def _table(schema: pa.Schema, group: Sequence[Piece], known: _Checks) -> pa.Table:
    runs = [run for _, run in group]
    sizes = [len(run.outcomes) for run in runs]
    outcomes = _PAST_NUMBERS[np.frombuffer("".join([run.outcomes for run in runs]).encode("ascii"), "uint8")]
    times = np.concatenate([np.array(run.times or [0] * len(run.outcomes), "uint32") for run in runs])
    checks = np.concatenate([known.numbers_of(run.check_index) for run in runs])
    build = np.repeat(np.arange(len(runs), dtype="int32"), sizes)
    there = outcomes != _ABSENT
    if not there.all():
        outcomes, times, checks, build = outcomes[there], times[there], checks[there], build[there]
    of_build = zip(*(values for values, _ in group), strict=True)
    columns = [_of_builds(build, values, kind) for values, kind in zip(of_build, schema.types, strict=False)]
    columns += [
        pa.DictionaryArray.from_arrays(checks, pa.array(known.ids, pa.string())),
        pa.DictionaryArray.from_arrays(checks, pa.array(known.names, pa.string())),
        pa.DictionaryArray.from_arrays(outcomes, _WORDS),
        pa.array(times / 1000, mask=times == 0),
    ]
    return pa.Table.from_arrays(columns, schema=schema)


def _of_builds(build: Numbers, values: Sequence[object], kind: pa.DataType) -> "pa.Array[Any]":
    """Return a column with the value of each row's build."""
    if kind == _TEXT:
        return pa.DictionaryArray.from_arrays(build, pa.array(values, pa.string()))
    return pa.array(values, kind).take(build)
