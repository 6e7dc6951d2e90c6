"""Looks at the beginning of a file of samples: its syntax, its columns, and where its rows begin."""

import csv
from codecs import BOM_UTF8
from collections.abc import Callable, Iterator, Sequence
from io import StringIO
from itertools import chain, islice
from typing import BinaryIO, NamedTuple

import msgspec

from plain_verdict.inputs.source import Source
from plain_verdict.readers.csv_text import Row, cells_of, delimiter_of, rows_of
from plain_verdict.readers.samples.blocks import Part, blocks
from plain_verdict.readers.samples.columns import Columns, columns_of, is_summary, metric_columns
from plain_verdict.readers.samples.counting import Parser
from plain_verdict.readers.samples.forms import columns_by
from plain_verdict.readers.samples.json_lines import LinesParser, line_blocks
from plain_verdict.readers.samples.parsing import TableParser
from plain_verdict.readers.samples.units import Unit
from plain_verdict.readers.xml.text import HEAD_BYTES
from plain_verdict.runtime.errors import ReadError
from plain_verdict.settings.mappings import ResultMapping, TableMapping
from plain_verdict.text.encoding import as_text
from plain_verdict.text.json_text import flatten

_SAMPLE_ROWS = 200  # looked at to tell units: enough for a millisecond to show
_COLUMNS_HINT = (
    "name its columns time, duration, request and status, or use a mapping; docs/load.md lists more names"
)


class Opened(NamedTuple):
    """How a file of samples is read from its rows on."""

    parser: Parser
    cut: Callable[[BinaryIO, int], Iterator[Part]]
    begins: int
    """Bytes before the first row."""
    line: int
    """The number of the first row's line."""

    def with_unit(self, unit: Unit) -> "Opened":
        """Return how it is read with durations of another unit."""
        columns = self.parser.columns
        unit_notes = (columns.unit_notes[0], unit.note)
        return self._replace(
            parser=self.parser.of(columns._replace(took_us=unit.microseconds, unit_notes=unit_notes))
        )

    def parts(self, stream: BinaryIO) -> Iterator[Part]:
        """Yield the rows of the file in blocks."""
        stream.read(self.begins)
        return self.cut(stream, self.line)


def open_samples(source: Source, mapping: ResultMapping | None, metrics: Sequence[str]) -> Opened:
    """Return how a file is read; ``metrics`` are names of columns with the team's own numbers. Raises ReadError."""
    with source.open() as stream:
        data = stream.read(HEAD_BYTES)
    lines = list(StringIO(as_text(data.removeprefix(BOM_UTF8)), newline=""))
    if len(data) == HEAD_BYTES and len(lines) > 1:
        del lines[-1]  # may be truncated
    is_json = (
        mapping.syntax == "json lines" if mapping and mapping.syntax else "".join(lines[:1]).lstrip()[:1] == "{"
    )
    try:
        if is_json:
            return _lines(lines, mapping, metrics)
        return _table(data, lines, mapping, metrics)
    except (ValueError, csv.Error) as error:
        raise ReadError(str(error), path=source.path, hint=_COLUMNS_HINT) from error


def _table(data: bytes, lines: list[str], mapping: ResultMapping | None, metrics: Sequence[str]) -> Opened:
    form = (mapping.table if mapping else None) or TableMapping()
    delimiter = form.delimiter or delimiter_of(lines)
    head = (
        form.header if isinstance(form.header, int) else form.header[-1]
    )  # lines up to the names; 0 where no line has
    rows = [row.cells for row in islice(rows_of(lines[head:], delimiter), _SAMPLE_ROWS) if isinstance(row, Row)]
    names = _names(lines[head - 1 : head], delimiter) if head else _numbers(rows)
    columns = _columns(names, [row for row in rows if len(row) == len(names)], mapping, metrics)
    return Opened(TableParser(columns, delimiter), blocks, _beginning(data, head), head + 1)


def _names(lines: list[str], delimiter: str) -> list[str]:
    return [name for line in lines for name in cells_of(line, delimiter) or ()]


def _numbers(rows: list[list[str]]) -> list[str]:
    """Return the numbers by which columns without a name are called."""
    return [str(number + 1) for number in range(len(rows[0]))] if rows else []


def _beginning(data: bytes, head: int) -> int:
    """Return where the rows begin, in bytes, after so many lines."""
    if not head:
        return len(BOM_UTF8) if data.startswith(BOM_UTF8) else 0
    begins = 0
    for _ in range(head):
        begins = data.find(b"\n", begins) + 1 or len(data)
    return begins


def _lines(lines: list[str], mapping: ResultMapping | None, metrics: Sequence[str]) -> Opened:
    flattened = [flatten(value) for line in lines[:_SAMPLE_ROWS] if type(value := decoded(line)) is dict]
    names = list(dict.fromkeys(chain.from_iterable(flattened)))
    rows = [[record.get(name, "") for name in names] for record in flattened]
    columns = _columns(names, rows, mapping, metrics)
    # Only what is used is looked for in each line.
    used = sorted({*columns.positions.values(), *(at for _, at, _ in columns.metrics)})
    positions = {role: used.index(at) for role, at in columns.positions.items()}
    entries = tuple((name, used.index(at), unit) for name, at, unit in columns.metrics)
    columns = columns._replace(names=tuple(names[at] for at in used), positions=positions, metrics=entries)
    return Opened(LinesParser(columns), line_blocks, 0, 1)


def decoded(line: str) -> object:
    """Return the JSON of a line; None for none."""
    try:
        value: object = msgspec.json.decode(line.encode("utf-8", "replace"))
    except msgspec.DecodeError:
        return None
    return value


def _columns(
    names: list[str], rows: list[list[str]], mapping: ResultMapping | None, metrics: Sequence[str]
) -> Columns:
    is_named = mapping is not None and mapping.samples is not None
    if not is_named and is_summary(names):
        raise ValueError("is a summary of a load run, not its samples: describe it in a mapping")
    columns = columns_by(mapping, names, rows) if mapping and mapping.samples else columns_of(names, rows)
    return columns._replace(metrics=(*columns.metrics, *metric_columns(names, metrics)))
