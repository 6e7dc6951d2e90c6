"""What all tables have in common: the sign between cells, and rows whose quotes may be wrong. Source: RFC 4180."""

import csv
from collections import Counter, deque
from collections.abc import Callable, Iterable, Iterator, Sequence
from itertools import chain, islice
from typing import TYPE_CHECKING, NamedTuple

from plain_verdict.text.cleaning import single_line

if TYPE_CHECKING:
    import _csv

LONGEST_CELL_CHARS = 10_000_000
_DELIMITERS = ",;\t|"
_ROWS_LOOKED_AT = 50  # to tell the delimiter
_ROWS_TOGETHER = 500
_LEAST_COLUMNS = 2  # every text has one
NEVER_CLOSED = "has a quote that is never closed"


class Row(NamedTuple):
    """A row: the number of its first line, its cells, and its lines as they stand in the file."""

    line: int
    cells: list[str]
    lines: tuple[str, ...]


class BadRow(NamedTuple):
    """A row that can't be read: its first line, and why."""

    line: int
    why: str


def delimiter_of(lines: Sequence[str], quote: str = '"') -> str:
    """Return what stands between cells: what splits the first rows into the same number of cells, the most."""
    lines = lines[:_ROWS_LOOKED_AT]

    def fit(delimiter: str) -> tuple[float, int]:
        try:
            sizes = [len(row) for row in _reader(lines, delimiter, quote) if row]
        except csv.Error:
            return (0.0, 0)
        usual, times = Counter(sizes).most_common(1)[0] if sizes else (0, 0)
        return (times / len(sizes), usual) if usual >= _LEAST_COLUMNS else (0.0, 0)

    return max(_DELIMITERS, key=fit)


def cells_of(line: str, delimiter: str, quote: str = '"') -> list[str] | None:
    """Return the cells of a line by itself, however odd its quotes; None where one is open at its end.

    Raises csv.Error for a cell that is too long.
    """
    rows = _reader([line, ""], delimiter, quote)
    cells = next(rows, [])
    return cells if rows.line_num < _LEAST_COLUMNS else None


def rows_of(
    lines: Iterable[str],
    delimiter: str,
    quote: str = '"',
    line: int = 1,
    whole: Callable[[list[str]], bool] | None = None,
) -> Iterator[Row | BadRow]:
    """Yield the rows of a table whose next line has this number; a wrong quote costs the row that it stands in.

    ``whole`` tells cells that are a row of this table beyond doubt: a quote that reaches over one is wrong.
    """
    source, again, taken = iter(lines), deque[str](), list[str]()

    def feed() -> Iterator[str]:
        while (text := again.popleft() if again else next(source, None)) is not None:
            taken.append(text)
            yield text

    rows = _reader(feed(), delimiter, quote, strict=True)
    while True:
        found: Row | BadRow
        try:
            cells = next(rows)
            found = Row(line, cells, tuple(taken))
            if (
                len(taken) > 1
                and whole
                and any(whole(cells_of(text, delimiter, quote) or []) for text in taken[1:])
            ):
                found = BadRow(line, NEVER_CLOSED)
        except StopIteration:
            return
        except csv.Error:
            found = _leniently(taken[0], delimiter, quote, line)
        if len(taken) > 1 and isinstance(found, BadRow):
            again.extendleft(reversed(taken[1:]))
            del taken[1:]
            rows = _reader(feed(), delimiter, quote, strict=True)
        line += len(taken)
        taken.clear()
        yield found


def row_batches(chunks: Iterable[list[str]], delimiter: str, quote: str = '"') -> Iterator[Sequence[Row | BadRow]]:
    """Yield what ``rows_of`` does, those of a chunk of lines at a time as long as every line is a row."""
    rest, line = iter(chunks), 1
    for lines in rest:
        try:
            rows = list(_reader(lines, delimiter, quote, strict=True))
        except csv.Error:
            rows = []
        if len(rows) != len(lines):  # a row of several lines, or a wrong quote: nothing after it is sure
            singly = rows_of(chain(lines, chain.from_iterable(rest)), delimiter, quote, line)
            while some := list(islice(singly, _ROWS_TOGETHER)):
                yield some
            return
        yield list(map(Row, range(line, line + len(rows)), rows, zip(lines, strict=True)))
        line += len(lines)


def _leniently(text: str, delimiter: str, quote: str, line: int) -> Row | BadRow:
    """Return the row of a line whose quotes are not as the standard has them."""
    try:
        cells = cells_of(text, delimiter, quote)
    except csv.Error as error:
        return BadRow(line, f"can't be read: {single_line(str(error), 100)}")
    return BadRow(line, NEVER_CLOSED) if cells is None else Row(line, cells, (text,))


def _reader(lines: Iterable[str], delimiter: str, quote: str, *, strict: bool = False) -> "_csv.Reader":
    csv.field_size_limit(LONGEST_CELL_CHARS)
    return csv.reader(lines, delimiter=delimiter, quotechar=quote or None, strict=strict)
