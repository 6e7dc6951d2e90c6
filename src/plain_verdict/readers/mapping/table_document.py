"""CSV and TSV files as a mapping sees them: each row is an item, each column a place."""

from collections import Counter
from collections.abc import Callable, Iterator, Sequence
from itertools import chain, starmap
from typing import cast

from plain_verdict.inputs.source import Source
from plain_verdict.model import ReadingNote
from plain_verdict.readers.csv_text import BadRow, Row, delimiter_of, row_batches
from plain_verdict.readers.mapping.selectors import (
    SAMPLES,
    Batch,
    ColumnsAt,
    Find,
    Inner,
    Item,
    OnDone,
    OnLine,
    Select,
    Selector,
    TextColumns,
    TextsAt,
    name_matcher,
    on_line,
    searched_texts,
)
from plain_verdict.readers.xml.text import HEAD_BYTES, encoding_of
from plain_verdict.runtime.errors import ReadError
from plain_verdict.settings.limits import Limits
from plain_verdict.settings.mappings import TableMapping
from plain_verdict.text.encoding import Decoding
from plain_verdict.text.formatting import join_list, plural

_ROWS_OF_WORDS = 2_000  # enough to tell a column of outcomes
_MOST_OUTCOME_WORDS = 12  # different ones for outcomes
_TRUTH_WORDS = ("true", "false", "yes", "no")
_MEMBER = ("key", "value")
"""What stands behind the cells of a row whose columns are items."""


class TableDocument:
    """One table. Raises ReadError for one without a header, or an encoding that is none."""

    def __init__(self, source: Source, table: TableMapping, limits: Limits) -> None:
        self._source = source
        self._limits = limits
        self._table = table
        with source.open() as stream:
            sample = stream.read(HEAD_BYTES)
        self._encoding = table.encoding or encoding_of(sample)[0]
        self.delimiter = table.delimiter or delimiter_of(self._decoding().text(sample).splitlines(), table.quote)
        self.columns: list[str] = []
        self._twice: dict[str, bool] = {}
        """Names that several columns share, and whether a place is one of them."""
        self._short: list[int] = []
        self._long: list[int] = []
        self._wrong: list[BadRow] = []
        self._wrong_bytes = False
        self.on_line: OnLine | None = None
        self.on_done: OnDone | None = None
        self._header_lines = table.header if isinstance(table.header, tuple) else (table.header,)
        self._has_members = False
        self._used: set[int] = set()
        """Positions of the columns that places name."""
        self._values: list[set[str]] = []
        """Of the first rows the different values of each column, up to a few."""
        self._filled: Counter[int] = Counter()
        self._looked_at = 0
        if any(self._header_lines):
            self.columns = self._header()
            times = Counter(map(str.casefold, filter(None, self.columns)))
            self._twice = {name: False for name in self.columns if times[name.casefold()] > 1}
        self._positions = {name.casefold(): at for at, name in reversed(list(enumerate(self.columns)))}

    def _decoding(self) -> Decoding:
        try:
            return Decoding(self._encoding)
        except LookupError as error:
            what = f"can't be read: {self._encoding[:40]!r} is not an encoding"
            raise ReadError(what, path=self._source.path, hint="see [mapping.table]") from error

    def _rows(self) -> Iterator[Sequence[Row]]:
        """Yield the rows with anything in them, several at a time; those that can't be read are remembered."""
        decoding = self._decoding()
        self._wrong = []
        with self._source.open() as stream:
            for rows in row_batches(decoding.line_chunks(stream), self.delimiter, self._table.quote):
                self._wrong += [row for row in rows if isinstance(row, BadRow)]
                yield [row for row in rows if isinstance(row, Row) and any(row.cells)]
        self._wrong_bytes = decoding.wrong

    def _header(self) -> list[str]:
        wanted, found = list(self._header_lines), []
        for row in chain.from_iterable(self._rows()):
            if row.line >= wanted[0]:
                found.append([name.strip() for name in row.cells])
                wanted.pop(0)
                if not wanted:
                    return _joined_names(found)
        raise ReadError(
            f"has no line {wanted[0]} with the names of its columns",
            path=self._source.path,
            hint="set the line: header = 1 in [mapping.table]",
        )

    def _is_header(self, cells: list[str]) -> bool:
        """Return whether cells name the columns, whatever blank space or mark of an encoding is around."""
        if len(cells) != len(self.columns) or not cells or cells[0].strip("\ufeff \t") != self.columns[0]:
            return False
        return [cell.strip("\ufeff \t") for cell in cells] == self.columns

    def _position(self, text: str | int) -> int | None:
        """Return where a column stands, by its name or its number from 1; behind all of them what members have."""
        if isinstance(text, int):
            return text - 1 if text > 0 else None
        name = text.strip().casefold()
        self._twice |= {column: True for column in self._twice if column.casefold() == name}
        if self._has_members and name in _MEMBER:
            return len(self.columns) + _MEMBER.index(name)
        return self._positions.get(name)

    def select(self, text: str | int) -> Selector:
        """Return the place of a column, by its name or its number from 1."""
        at = self._position(text)
        if at is None:
            return Selector(f"{text}", lambda _item: [])
        self._used.add(at)

        def first(row: object) -> object:
            cell = row[at] if at < len(row) else None  # type: ignore[index,arg-type]  # rows are the items
            return cell if cell and not cell.isspace() else None

        selector = Selector(f"column {text}" if isinstance(text, int) else text, lambda row: [first(row)], first)

        def read(row: object) -> str | None:
            cell: str | None = row[at] if at < len(row) else None  # type: ignore[index,arg-type]  # as above
            if not cell or cell.isspace():
                selector.misses += 1
                return None
            selector.hits += 1
            if selector.hits <= SAMPLES:
                selector.sample(cell)
            return cell

        selector.read = read
        selector.key = at
        return selector

    def texts_at(self, selectors: Sequence[Selector]) -> TextsAt:
        """Return what gives the cells of several columns at once."""
        columns = [selector.key for selector in selectors if isinstance(selector.key, int)]
        if len(columns) < len(selectors):
            return searched_texts(selectors, self.text_of)
        width = max(columns) + 1

        def texts(row: object) -> list[str | None] | None:
            assert isinstance(row, list), "items of a table are rows"  # noqa: S101  for the type checker
            return [row[at] for at in columns] if len(row) >= width else None

        return texts

    def columns_at(self, selectors: Sequence[Selector]) -> ColumnsAt | None:
        """Return what gives the cells of many rows, column by column; None for a column that is not there."""
        positions = [selector.key for selector in selectors if isinstance(selector.key, int)]
        if len(positions) < len(selectors):
            return None
        width = max(positions) + 1

        def columns(rows: Sequence[object]) -> TextColumns:
            cells = cast("Sequence[list[str]]", rows)  # items of a table are rows
            others = {number for number, row in enumerate(cells) if len(row) < width}
            whole = [[*row, *[""] * width] if len(row) < width else row for row in cells] if others else cells
            by_position = list(zip(*whole, strict=False))
            return TextColumns([by_position[at] for at in positions], others)

        return columns

    def members(self, key: str, wanted: str | tuple[str, ...], select: Select) -> Find:  # noqa: ARG002  as in all syntaxes
        """Return what gives a row for each column of those named, with the column's name and cell behind its cells.

        Places name these two ``key`` and ``value``.
        """
        self._has_members = True
        fits = name_matcher((wanted,) if isinstance(wanted, str) else wanted)
        at_columns = [(at, name) for at, name in enumerate(self.columns) if fits(name)]
        if not at_columns:
            raise ValueError(f"{key}: no column is called so; its columns are {join_list(self.columns[:12])}")
        self._used |= {at for at, _ in at_columns}
        width = len(self.columns)

        def find(row: object) -> list[object]:
            cells = [str(cell) for cell in row] if isinstance(row, list) else []
            cells = [*cells[:width], *[""] * (width - len(cells))]
            return [[*cells, name, cells[at]] for at, name in at_columns]

        return find

    def items(self, each: str) -> Iterator[Item]:
        """Yield each row below the header."""
        if each:
            raise ValueError(f"each = “{each}” has no meaning in a table: the rows are the items")
        yield from starmap(Item, chain.from_iterable(self.batches()))

    def batches(self) -> Iterator[Batch]:
        """Yield the rows below the header, several at a time."""
        wanted = len(self.columns)
        for batch in self._rows():
            rows = self._below_header(batch)
            if any(len(row.cells) != wanted for row in rows):
                self._note_widths(rows)
            for row in rows[: max(_ROWS_OF_WORDS - self._looked_at, 0)]:
                self._look_at(row.cells)
            if self.on_line:
                for row in rows:
                    self.on_line(row.cells)
            yield [(row.line, row.cells) for row in rows]

    def _note_widths(self, rows: Sequence[Row]) -> None:
        wanted = len(self.columns)
        self._short += [row.line for row in rows if len(row.cells) < wanted]
        self._long += [row.line for row in rows if wanted and any(row.cells[wanted:])]

    def _below_header(self, rows: Sequence[Row]) -> Sequence[Row]:
        """Return rows without the header, which stands there again where files were joined."""
        if rows and rows[0].line <= self._header_lines[-1]:
            rows = [row for row in rows if row.line > self._header_lines[-1]]
        name = next(iter(self.columns), "")
        if any(name in row.cells[0] for row in rows):
            return [row for row in rows if not self._is_header(row.cells)]
        return rows

    def _look_at(self, cells: list[str]) -> None:
        """Remember what a row has in the columns that no place names."""
        self._looked_at += 1
        self._values = self._values or [set() for _ in self.columns]
        for at, values in enumerate(self._values):
            if at not in self._used and at < len(cells) and cells[at] and len(values) <= _MOST_OUTCOME_WORDS:
                values.add(cells[at].strip())
                self._filled[at] += 1

    def columns_like(self, is_outcome: Callable[[str], bool]) -> Iterator[str]:
        """Yield the names of the columns that no place names, and whose values are words for outcomes."""
        for at, values in enumerate(self._values):
            words = {
                value
                for value in values
                if not value.replace(".", "").isdigit() and value.lower() not in _TRUTH_WORDS
            }
            often = self._filled[at] >= max(2, self._looked_at / 2)
            if (
                often
                and words
                and words == values
                and len(values) <= _MOST_OUTCOME_WORDS
                and all(map(is_outcome, words))
            ):
                yield self.columns[at]

    def text_of(self, value: object) -> str:
        """Return a cell."""
        return str(value)

    def root(self) -> object:
        """Return nothing: a table has only rows."""
        return None

    def locate(self, number: int, _each: str, inner: Inner) -> str:
        """Return the number of the line."""
        return on_line(number, inner)

    def notes(self) -> Iterator[ReadingNote]:
        """Yield notes on rows that are no rows of this table, and on columns that share a name."""
        path, most = self._source.path, self._limits.notes
        for row in self._wrong[:most]:
            yield ReadingNote(path, f"{row.why}; only that row is lost", f"line {row.line:,}", results_missing=True)
        if len(self._wrong) > most:
            what = f"has {plural(len(self._wrong) - most, 'more row')} that can't be read"
            yield ReadingNote(path, what, results_missing=True)
        for lines, what in (
            (self._short, "with fewer cells than columns; the missing values are unknown"),
            (self._long, "with more cells than columns; the columns of the cells are unknown"),
        ):
            if lines:
                where = f"the first is line {lines[0]:,}"
                yield ReadingNote(path, f"has {plural(len(lines), 'row')} {what}", where, results_missing=True)
        if self._twice:
            names = join_list([f"“{name}”" for name in self._twice])
            what = f"has several columns {names}; the first counts"
            yield ReadingNote(path, what, results_missing=any(self._twice.values()))
        if self._wrong_bytes:
            what = "has bytes that are not of its encoding; they are read as Windows-1252"
            yield ReadingNote(path, what, quiet=True)


def _joined_names(lines: list[list[str]]) -> list[str]:
    """Return the names of columns of several lines; a cell that stands over several columns counts for each."""
    *upper, last = lines
    filled = [_filled(cells) for cells in upper]
    names = ((*(cells[at] for cells in filled if at < len(cells)), name) for at, name in enumerate(last))
    return [" ".join(filter(None, parts)) for parts in names]


def _filled(cells: list[str]) -> list[str]:
    before, filled = "", []
    for cell in cells:
        before = cell or before
        filled.append(before)
    return filled
