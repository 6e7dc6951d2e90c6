"""CSV and TSV files as a mapping sees them: each row is an item, each column a place."""

from collections import Counter
from collections.abc import Iterator

from plain_verdict.inputs.source import Source
from plain_verdict.model import ReadingNote
from plain_verdict.readers.csv_text import BadRow, Row, delimiter_of, rows_of
from plain_verdict.readers.mapping.selectors import SAMPLES, Inner, Item, OnLine, Selector, on_line
from plain_verdict.readers.xml.text import HEAD_BYTES, encoding_of
from plain_verdict.runtime.errors import ReadError
from plain_verdict.settings.limits import Limits
from plain_verdict.settings.mappings import TableMapping
from plain_verdict.text.encoding import Decoding
from plain_verdict.text.formatting import join_list, plural


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
        if table.header:
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

    def _rows(self) -> Iterator[Row]:
        """Yield the rows with anything in them; those that can't be read are remembered."""
        decoding = self._decoding()
        self._wrong = []
        with self._source.open() as stream:
            for row in rows_of(decoding.lines(stream), self.delimiter, self._table.quote):
                if isinstance(row, BadRow):
                    self._wrong.append(row)
                elif any(row.cells):
                    yield row
        self._wrong_bytes = decoding.wrong

    def _header(self) -> list[str]:
        for row in self._rows():
            if row.line >= self._table.header:
                return [name.strip() for name in row.cells]
        raise ReadError(
            f"has no line {self._table.header} with the names of its columns",
            path=self._source.path,
            hint="set the line: header = 1 in [mapping.table]",
        )

    def _is_header(self, cells: list[str]) -> bool:
        """Return whether cells name the columns, whatever blank space or mark of an encoding is around."""
        same = bool(self.columns) and len(cells) == len(self.columns)
        return same and [cell.strip("\ufeff \t") for cell in cells] == self.columns

    def select(self, text: str | int) -> Selector:
        """Return the place of a column, by its name or its number from 1."""
        name = "" if isinstance(text, int) else text.strip().casefold()
        at = text - 1 if isinstance(text, int) else self._positions.get(name)
        self._twice |= {column: True for column in self._twice if column.casefold() == name}
        if at is None or at < 0:
            return Selector(f"{text}", lambda _item: [])

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
        return selector

    def items(self, each: str) -> Iterator[Item]:
        """Yield each row below the header."""
        if each:
            raise ValueError(f"each = “{each}” has no meaning in a table: the rows are the items")
        wanted = len(self.columns)
        for row in self._rows():
            if row.line <= self._table.header or self._is_header(row.cells):
                continue  # the header, which stands there again where files were joined
            if len(row.cells) < wanted:
                self._short.append(row.line)
            elif wanted and any(row.cells[wanted:]):
                self._long.append(row.line)
            if self.on_line:
                self.on_line(row.cells)
            yield Item(row.line, row.cells)

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
