"""Turns blocks of a table into cells: by pyarrow where all is well, row by row where anything is in doubt."""

from __future__ import annotations  # the stubs of pyarrow know more types than the library

from collections.abc import Iterator, Sequence
from io import BytesIO, StringIO
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from pyarrow import csv as arrow_csv

from plain_verdict.readers.csv_text import BadRow, Row, rows_of
from plain_verdict.readers.samples.blocks import Part
from plain_verdict.readers.samples.cells import (
    Array,
    CategoryColumn,
    Cells,
    are_durations,
    are_moments,
)
from plain_verdict.readers.samples.columns import Columns, Role
from plain_verdict.readers.samples.rows import NUMBERS, Rows
from plain_verdict.text.encoding import as_text

_MANY_ROWS, _FEW_ROWS, _PARTS = 20_000, 400, 16
_MOMENTS_KEPT = 100_000  # texts of times that repeat within a second
_NOTHING = ("", "-", "n/a", "N/A", "NA", "null", "NULL", "None")
"""How clients write a number that they have not."""


class _Doubt(Exception):  # noqa: N818  no error: a word between functions of this module
    """Some rows have something in them that only a reading row by row can tell."""


class TableParser:
    """Parses the blocks of one file."""

    def __init__(self, columns: Columns, delimiter: str) -> None:
        self.columns = columns
        self._rows = Rows(columns)
        self._delimiter = delimiter
        self._used = {role: f"c{at}" for role, at in columns.positions.items()}
        text = pa.dictionary(pa.int32(), pa.binary())
        types: dict[str, pa.DataType] = dict.fromkeys(self._used.values(), text)
        types |= {self._used[role]: pa.float64() for role in NUMBERS if role in self._used}
        types |= {f"c{at}": pa.float64() for _, at, _ in columns.metrics}
        types[self._used[Role.STARTED]] = pa.float64() if columns.time_us else pa.binary()
        names = [f"c{at}" for at in range(len(columns.names))]
        self._read = arrow_csv.ReadOptions(column_names=names, use_threads=False, block_size=1 << 30)
        self._parse = arrow_csv.ParseOptions(delimiter=delimiter, newlines_in_values=True, ignore_empty_lines=True)
        # Most files leave out what they have not: looking at each number for words as well takes a tenth more.
        self._convert, self._with_words = (
            arrow_csv.ConvertOptions(
                column_types=types,
                include_columns=list(types),
                null_values=list(words),
                strings_can_be_null=False,
                check_utf8=False,
                decimal_point=columns.decimal,
            )
            for words in (_NOTHING[:1], _NOTHING)
        )

    def of(self, columns: Columns) -> TableParser:
        """Return the parser for the same rows, seen otherwise."""
        return TableParser(columns, self._delimiter)

    def parse(self, part: Part) -> Iterator[Cells | BadRow]:
        """Yield the samples of a part, and each row that is none."""
        if (block := self._whole(part.data, part.ends)) is not None:
            yield block
            return
        lines = StringIO(as_text(part.data), newline="")
        rows: list[Row] = []
        for row in rows_of(
            lines, self._delimiter, line=part.line, whole=lambda cells: self._rows.why_bad(cells) is None
        ):
            if isinstance(row, BadRow):
                yield row
            elif row.cells:
                rows.append(row)
            if len(rows) == _MANY_ROWS:
                yield from self._together(rows)
                rows = []
        yield from self._together(rows)

    def _together(self, rows: Sequence[Row]) -> Iterator[Cells | BadRow]:
        """Yield the samples of some rows: together, or in ever smaller parts where one is in doubt."""
        if not rows:
            return
        if (
            block := self._whole("".join(line for row in rows for line in row.lines).encode(), len(rows))
        ) is not None:
            yield block
            return
        if len(rows) > _FEW_ROWS:
            size = -(-len(rows) // _PARTS)
            for at in range(0, len(rows), size):
                yield from self._together(rows[at : at + size])
        else:
            yield from self._singly(rows)

    def _singly(self, rows: Sequence[Row]) -> Iterator[Cells | BadRow]:
        good = []
        for row in rows:
            why = self._rows.why_bad(row.cells)
            if why is None:
                good.append(row.cells)
            else:
                cut = len(row.cells) < len(self.columns.names) and not row.lines[-1].endswith(("\n", "\r"))
                yield BadRow(row.line, "is truncated" if cut else why)
        if good:
            yield self._rows.cells_of(good)

    def _whole(self, data: bytes, rows: int) -> Cells | None:
        """Return the cells of so many samples; None where anything in them is in doubt."""
        if b"\0" in data or not data.endswith(b"\n"):
            return None
        try:
            table = self._table(data)
            # Fewer rows than lines: a quote reaches over several of them, or some are blank.
            return self._cells_in(table) if table.num_rows == rows else None
        except (pa.ArrowInvalid, pa.ArrowKeyError, _Doubt):
            return None

    def _table(self, data: bytes) -> pa.Table:
        """Return rows as columns. Raises ArrowInvalid for numbers that are none."""
        try:
            return arrow_csv.read_csv(BytesIO(data), self._read, self._parse, self._convert)
        except pa.ArrowInvalid:
            if self._convert is self._with_words:
                raise
        # Where words stand for nothing once, they do so again.
        self._convert = self._with_words
        return arrow_csv.read_csv(BytesIO(data), self._read, self._parse, self._convert)

    def _cells_in(self, table: pa.Table) -> Cells:
        """Return the cells of a table. Raises _Doubt for a value that is none."""
        column = {role: table.column(name) for role, name in self._used.items()}
        numbers = {role: np.asarray(column.pop(role).to_numpy(), np.float64) for role in NUMBERS if role in column}
        times, unit_us = column.pop(Role.STARTED), self.columns.time_us
        started = np.asarray(times.to_numpy(), np.float64) * unit_us if unit_us else _moments(times, self.columns)
        took_us = numbers[Role.TOOK] * self.columns.took_us
        if not (are_moments(started).all() and are_durations(took_us).all()):
            raise _Doubt
        words = {role: _words(array) for role, array in column.items()}
        if Role.SUCCESS in words and None in map(self.columns.success_of, words[Role.SUCCESS].words):
            raise _Doubt
        metrics = [np.asarray(table.column(f"c{at}").to_numpy(), np.float64) for _, at, _ in self.columns.metrics]
        return Cells(started, took_us, numbers, words, metrics)


def _words(column: pa.ChunkedArray[Any]) -> CategoryColumn:
    array = column.unify_dictionaries().combine_chunks()
    if isinstance(array, pa.ChunkedArray):
        array = array.chunk(0) if array.num_chunks else pa.DictionaryArray.from_arrays([], [])
    assert isinstance(array, pa.DictionaryArray), "columns of words are read as dictionaries"  # noqa: S101  for the type checker
    words = [as_text(word or b"") for word in array.dictionary.to_pylist()]
    codes = array.indices
    if codes.null_count:  # nothing is a word, too
        codes = pc.fill_null(codes, pa.scalar(len(words), codes.type))
        words.append("")
    return CategoryColumn(words or [""], codes.to_numpy(zero_copy_only=False).astype(np.int64))


def _moments(column: pa.ChunkedArray[Any], columns: Columns) -> Array:
    """Return moments as text in microseconds since 1970, NaN for what is none."""
    known: dict[bytes, float] = {}
    texts: list[bytes] = [text or b"" for text in column.to_pylist()]
    values = np.empty(len(texts), np.float64)
    for at, text in enumerate(texts):
        value = known.get(text)
        if value is None:
            value = columns.moment_us(as_text(text))
            if len(known) < _MOMENTS_KEPT:
                known[text] = value
        values[at] = value
    return values
