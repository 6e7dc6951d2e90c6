"""Tables whose columns are given by the words of their header (RFC 4180, also with tabs and semicolons)."""

from collections.abc import Iterator, Mapping, Sequence
from io import StringIO

from plain_verdict.readers.csv_text import BadRow, Row, delimiter_of, rows_of
from plain_verdict.text.cleaning import single_line
from plain_verdict.text.encoding import as_text
from plain_verdict.text.names import split_identifier

CELL_CHARS = 500


def rows_by_header(data: bytes, names: Mapping[str, Sequence[str]]) -> Iterator[dict[str, str] | BadRow]:
    """Yield the cells of each row by key; ``names`` are the words for each key, the likeliest first.

    A column has one key. A wrong quote costs its row. Raises ValueError where there is no column of the first key.
    """
    lines = list(StringIO(as_text(data).removeprefix("\ufeff"), newline=""))
    rows = rows_of(lines, delimiter_of(lines))
    first = next(rows, None)
    header = [" ".join(split_identifier(cell)) for cell in first.cells] if isinstance(first, Row) else []
    columns = _positions(header, names)
    needed = next(iter(names))
    if needed not in columns:
        raise ValueError(f"has no column “{needed}” among {', '.join(filter(None, header)) or 'none'}")
    for row in rows:
        if isinstance(row, BadRow):
            yield row
        else:
            yield {
                key: single_line(row.cells[at], CELL_CHARS) if at < len(row.cells) else ""
                for key, at in columns.items()
            }


def _positions(header: Sequence[str], names: Mapping[str, Sequence[str]]) -> dict[str, int]:
    columns: dict[str, int] = {}
    for key, header_names in names.items():
        found = [header.index(name) for name in header_names if name in header]
        free = [at for at in found if at not in columns.values()]
        if free:
            columns[key] = free[0]
    return columns
