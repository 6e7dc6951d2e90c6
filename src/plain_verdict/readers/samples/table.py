"""The way through one table of samples: its header, its blocks in threads, its state."""

import csv
from codecs import BOM_UTF8
from collections import Counter, deque
from collections.abc import Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from datetime import UTC, datetime
from io import StringIO
from itertools import islice
from typing import NamedTuple

from plain_verdict.errors import ReadError
from plain_verdict.inputs.source import Source
from plain_verdict.load.payload import SamplesPayload
from plain_verdict.load.state import Block, LoadState
from plain_verdict.model import Kind, ReadingNote, ResultFile
from plain_verdict.readers.csv_text import BadRow, Row, cells_of, delimiter_of, rows_of
from plain_verdict.readers.samples.blocks import Part, blocks
from plain_verdict.readers.samples.columns import Columns, columns_of
from plain_verdict.readers.samples.parsing import HEADER_AGAIN, Parser
from plain_verdict.readers.xml.text import HEAD_BYTES
from plain_verdict.text.encoding import as_text
from plain_verdict.text.formatting import join_list, plural

_ROWS_LOOKED_AT = 200
_NAMED = 1_000
"""Bad rows that are named one by one."""
_SHOWN = 10
_THREADS = 2


class _Header(NamedTuple):
    columns: Columns
    delimiter: str
    data: bytes
    """The header's line, as it stands in the file."""


def read_table(source: Source) -> ResultFile:
    """Return the state of a table of samples. Raises ReadError for one without the columns that are needed."""
    header = _header(source)
    state, bad = LoadState(), _BadRows()
    parser = Parser(header.columns, header.delimiter)
    with source.open() as stream:
        stream.read(len(header.data))
        for found in _parsed(parser, blocks(stream, header.data.count(b"\n") + 1)):
            if isinstance(found, Block):
                state.add(found)
            else:
                bad.add(found)
    return ResultFile(
        path=source.path,
        format="samples",
        size_bytes=source.size_bytes,
        payloads=(SamplesPayload(Kind.LOAD, state, bad.number),),
        notes=tuple(_notes(source.path, header, state, bad, source.damage())),
        started=moment_of(state.first_us),
        ended=moment_of(state.last_us),
        folder=source.folder,
        go=source.go,
    )


def _parsed(parser: Parser, parts: Iterator[Part]) -> Iterator[Block | BadRow]:
    """Yield what stands in the parts, in their order; a few are parsed at the same time."""
    with ThreadPoolExecutor(_THREADS) as threads:
        waiting: deque[Future[list[Block | BadRow]]] = deque()
        for part in parts:
            waiting.append(threads.submit(lambda part=part: list(parser.parse(part))))  # type: ignore[misc]
            if len(waiting) > _THREADS:
                yield from waiting.popleft().result()
        for future in waiting:
            yield from future.result()


def _header(source: Source) -> _Header:
    """Return what the first line and the rows after it tell. Raises ReadError."""
    with source.open() as stream:
        data = stream.read(HEAD_BYTES)
    lines = list(StringIO(as_text(data.removeprefix(BOM_UTF8)), newline=""))
    if len(data) == HEAD_BYTES and len(lines) > 1:
        del lines[-1]  # may be cut off
    delimiter = delimiter_of(lines)
    hint = "call its columns time, duration, request and status; docs/load.md has more words"
    try:
        names = (cells_of(lines[0], delimiter) if lines else None) or []
        rows = [row.cells for row in islice(rows_of(lines[1:], delimiter), _ROWS_LOOKED_AT) if isinstance(row, Row)]
        columns = columns_of(names, [row for row in rows if len(row) == len(names)])
    except (ValueError, csv.Error) as error:
        raise ReadError(str(error), path=source.path, hint=hint) from error
    return _Header(columns, delimiter, data[: data.find(b"\n") + 1 or len(data)])


class _BadRows:
    """The rows that are no samples: all counted, the first ones kept."""

    def __init__(self) -> None:
        self.number = 0
        self.first: list[BadRow] = []
        self.reasons: Counter[str] = Counter()

    def add(self, row: BadRow) -> None:
        """Take in one."""
        self.number += 1
        self.reasons[row.why] += 1
        if len(self.first) < _NAMED:
            self.first.append(row)


def _notes(path: str, header: _Header, state: LoadState, bad: _BadRows, damage: str) -> Iterator[ReadingNote]:
    columns = header.columns
    used = join_list([f"“{columns.names[at]}” as {role.value}" for role, at in columns.places.items()], most=12)
    yield ReadingNote(path, f"has the columns {used}; {join_list(columns.told)}", quiet=True)
    if bad.number:
        several = plural(bad.number, "row")
        first = sorted(bad.first)[:_SHOWN]
        lines = join_list([f"line {row.line:,} {row.why}" for row in first], most=_SHOWN)
        more = f", and {bad.number - _SHOWN:,} more" if bad.number > _SHOWN else ""
        what = f"has {several} that {'is' if bad.number == 1 else 'are'} no sample: {lines}{more}"
        yield ReadingNote(path, what, results_missing=bad.reasons.keys() != {HEADER_AGAIN})
    if damage:
        what = f"can't be unpacked to its end, as {damage}; the {plural(state.rows, 'whole row')} before it count"
        yield ReadingNote(path, what, results_missing=True)
    if not state.rows:
        yield ReadingNote(path, "holds no samples", results_missing=True)


def moment_of(microseconds: int | None) -> datetime | None:
    """Return the moment of microseconds since 1970; None for None."""
    return None if microseconds is None else datetime.fromtimestamp(microseconds / 1e6, UTC)
