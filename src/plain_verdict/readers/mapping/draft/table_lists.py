"""The rows of a table that may be checks, or cells of several columns."""

from collections import Counter
from collections.abc import Sequence
from itertools import chain, islice, zip_longest
from typing import NamedTuple

from plain_verdict.inputs.source import Source
from plain_verdict.readers.mapping.draft.fields import SAMPLE, Candidate, Field, Level
from plain_verdict.readers.mapping.outcome_words import meaning_of
from plain_verdict.readers.mapping.selectors import Item
from plain_verdict.readers.mapping.table_document import TableDocument
from plain_verdict.settings.limits import Limits
from plain_verdict.settings.mappings import TableMapping

_LEAST_VARIANTS = 2  # of outcomes, for a table in which each column is a variant
_MOST_OUTCOMES = 8  # different ones for outcomes


def _header_line(rows: Sequence[Item]) -> int:
    """Return the line of the names: the first that has as many cells as most lines have."""
    sizes = Counter(sum(bool(cell.strip()) for cell in _cells(item.value)) for item in rows)
    usual = max(sizes, key=lambda size: (sizes[size] * size, size), default=0)
    return next((item.number for item in rows if _is_header(_cells(item.value), usual)), 1)


class TableHead(NamedTuple):
    """The line of a table's header, and how many rows of several cells stand above it: another table's."""

    line: int
    rows_above: int


def table_candidates(
    source: Source, table: TableMapping, limits: Limits
) -> tuple[list[Candidate], TableDocument, TableHead]:
    """Return a table's rows, the table, and where its header stands. Raises ReadError."""
    without = TableDocument(source, TableMapping(table.delimiter, table.quote, table.encoding, 0), limits)
    first_rows = list(islice(without.items(""), SAMPLE))
    header = _header_line(first_rows)
    above = [row for row in first_rows if row.number < header and sum(map(bool, _cells(row.value))) > 1]
    document = TableDocument(source, TableMapping(table.delimiter, table.quote, table.encoding, header), limits)
    sample, count = [], 0
    for item in document.items(""):
        count += 1
        if count <= SAMPLE:
            sample.append(_cells(item.value))
    columns = [list(filter(None, map(str.strip, cells))) for cells in zip_longest(*sample, fillvalue="")]
    columns += [[] for _ in document.columns[len(columns) :]]
    fields = tuple(
        Field(name, cells, len(cells), len(sample))
        for name, cells in zip(document.columns, columns, strict=False)
        if name
    )
    found = [Candidate((Level("", fields, count),))]
    return [*found, *_wide(fields, count)], document, TableHead(header, len(above))


def _cells(row: object) -> list[str]:
    return [str(cell) for cell in row] if isinstance(row, list) else []


def _is_header(cells: list[str], usual: int) -> bool:
    """Return whether a row looks like names of columns: as many as rows have cells, all different, no numbers."""
    names = [cell.strip() for cell in cells if cell.strip()]
    return (
        len(names) >= usual > 1 and len(set(names)) == len(names) and not any(name[:1].isdigit() for name in names)
    )


def _wide(fields: Sequence[Field], rows: int) -> list[Candidate]:
    """Return the cells of several columns as items, where these have words for outcomes and nothing else."""
    columns = list(filter(_has_outcomes_only, fields))
    if len(columns) < _LEAST_VARIANTS:
        return []
    names = tuple(field.path for field in columns)
    rest = tuple(field for field in fields if field.path not in names)
    keys = [field.path for field in columns for _ in field.values]
    values = list(chain.from_iterable(field.values for field in columns))
    cells = (Field("key", keys, len(values), len(values)), Field("value", values, len(values), len(values)))
    return [Candidate((Level("", (*rest, *cells), rows * len(columns), columns=names),))]


def _has_outcomes_only(field: Field) -> bool:
    if not 1 <= field.different <= _MOST_OUTCOMES:
        return False
    return all(meaning_of("", value) and not value.isdigit() for value in field.values)
