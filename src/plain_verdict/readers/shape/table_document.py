"""CSV and TSV files as a shape sees them: each row is an item, each column a place."""

import codecs
import csv
from collections import Counter
from collections.abc import Iterator, Sequence
from io import TextIOWrapper

from plain_verdict.errors import ReadError
from plain_verdict.inputs.source import Source
from plain_verdict.model import ReadingNote
from plain_verdict.readers.shape.places import SAMPLES, Inner, Item, OnLine, Place, on_line
from plain_verdict.settings.limits import Limits
from plain_verdict.settings.shapes import TableShape
from plain_verdict.text.cleaning import one_line
from plain_verdict.text.formatting import join_list, plural

DELIMITERS = ",;\t|"
_SAMPLE_BYTES = 1 << 16
_LONGEST_CELL = 10_000_000
_ROWS_LOOKED_AT = 50
_SEVERAL = 2


class TableDocument:
    """One table. Raises ReadError for one without a header, or an encoding that is none."""

    def __init__(self, source: Source, table: TableShape, limits: Limits) -> None:
        self._source = source
        self._limits = limits
        self._table = table
        with source.open() as stream:
            sample = stream.read(_SAMPLE_BYTES)
        self._encoding = table.encoding or encoding_of(sample)
        self.delimiter = table.delimiter or delimiter_of(sample.decode(self._codec(), "replace"), table.quote)
        self.columns: list[str] = []
        self._missing: Counter[str] = Counter()
        self._uneven: list[tuple[int, int]] = []
        self._wrong: list[ReadingNote] = []
        self._wrong_bytes = 0
        self.on_line: OnLine | None = None
        if table.header:
            self.columns = self._header()
        self._positions = {name.casefold(): at for at, name in reversed(list(enumerate(self.columns)))}

    def _codec(self) -> str:
        try:
            return codecs.lookup(self._encoding).name
        except LookupError as error:
            raise ReadError(
                f"can't be read: {self._encoding[:40]!r} is no encoding",
                path=self._source.path,
                hint="see [shape.table]",
            ) from error

    def _rows(self) -> Iterator[tuple[int, list[str]]]:
        """Yield the number of each row's last line, and its cells."""
        csv.field_size_limit(_LONGEST_CELL)
        before = _wrong_bytes()
        with (
            self._source.open() as raw,
            TextIOWrapper(raw, self._codec(), errors=_AS_WINDOWS, newline="") as lines,
        ):
            rows = csv.reader(lines, delimiter=self.delimiter, quotechar=self._table.quote or None)
            while True:
                try:
                    for row in rows:
                        if row:
                            yield rows.line_num, row
                    break
                except (csv.Error, UnicodeError) as error:
                    what = f"has a row that can't be read ({one_line(str(error), 200)}); only that row is lost"
                    place = f"line {rows.line_num:,}"
                    self._wrong.append(ReadingNote(self._source.path, what, place, results_missing=True))
                    if isinstance(error, UnicodeError) or len(self._wrong) >= self._limits.notes:
                        break
        self._wrong_bytes = _wrong_bytes() - before

    def _header(self) -> list[str]:
        for line, row in self._rows():
            if line >= self._table.header:
                return [name.strip().removeprefix("\ufeff") for name in row]
        raise ReadError(
            f"has no line {self._table.header} with the names of its columns",
            path=self._source.path,
            hint="say which line has them: header = 1 in [shape.table]",
        )

    def place(self, text: str | int) -> Place:
        """Return the place of a column, by its name or its number from 1."""
        at = text - 1 if isinstance(text, int) else self._positions.get(text.strip().casefold())
        if at is None or at < 0:
            return Place(f"{text}", lambda _item: [])

        def first(row: object) -> object:
            cell = row[at] if at < len(row) else None  # type: ignore[index,arg-type]  # rows are the items
            return cell if cell and not cell.isspace() else None

        place = Place(f"column {text}" if isinstance(text, int) else text, lambda row: [first(row)], first)

        def read(row: object) -> str | None:
            cell: str | None = row[at] if at < len(row) else None  # type: ignore[index,arg-type]  # as above
            if not cell or cell.isspace():
                place.misses += 1
                return None
            place.hits += 1
            if place.hits <= SAMPLES:
                place.sample(cell)
            return cell

        place.read = read
        return place

    def items(self, each: str) -> Iterator[Item]:
        """Yield each row below the header."""
        if each:
            raise ValueError(f"each = “{each}” has no meaning in a table: its rows are the items")
        wanted = len(self.columns)
        for line, row in self._rows():
            if line <= self._table.header or not any(row):
                continue
            if wanted and len(row) != wanted:
                if row == self.columns:
                    continue
                self._uneven.append((line, len(row)))
            elif row == self.columns:
                continue  # the header again, where files were joined
            if self.on_line:
                self.on_line(row)
            yield Item(line, row)

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
        yield from self._wrong
        path = self._source.path
        short = [line for line, cells in self._uneven if cells < len(self.columns)]
        if short:
            what = (
                f"has {plural(len(short), 'row')} with fewer cells than columns; what is missing in them is unknown"
            )
            yield ReadingNote(path, what, f"the first is line {short[0]:,}", results_missing=True)
        if len(self._uneven) > len(short):
            first = next(line for line, cells in self._uneven if cells > len(self.columns))
            long = plural(len(self._uneven) - len(short), "row")
            what = f"has {long} with more cells than columns; these are left out"
            yield ReadingNote(path, what, f"the first is line {first:,}")
        twice = [name for name, times in Counter(self.columns).items() if times > 1 and name]
        if twice:
            yield ReadingNote(
                path, f"has more than one column {join_list([f'“{n}”' for n in twice])}; the first counts"
            )
        if self._wrong_bytes:
            yield ReadingNote(
                path, "has bytes that are not of its encoding; they are read as Windows-1252", quiet=True
            )


def encoding_of(sample: bytes) -> str:
    """Return the encoding that a table begins with: by its byte order mark, else UTF-8.

    Bytes that are not of it are read as Windows-1252, so that both may stand in one file.
    """
    if sample.startswith((codecs.BOM_UTF16_LE, codecs.BOM_UTF16_BE)):
        return "utf-16"
    return "utf-8-sig"


def delimiter_of(text: str, quote: str) -> str:
    """Return what stands between cells: what splits the first rows into the same number of cells, the most."""
    lines = text.splitlines()[:_ROWS_LOOKED_AT]

    def fit(delimiter: str) -> tuple[float, int]:
        try:
            sizes = [len(row) for row in csv.reader(lines, delimiter=delimiter, quotechar=quote or None) if row]
        except csv.Error:
            return (0.0, 0)
        usual, times = Counter(sizes).most_common(1)[0] if sizes else (0, 0)
        return (times / len(sizes), usual) if usual >= _SEVERAL else (0.0, 0)

    return max(DELIMITERS, key=fit)


_AS_WINDOWS = "plain-verdict-as-windows-1252"
_seen = Counter[str]()


def _wrong_bytes() -> int:
    return _seen["bytes"]


def _as_windows(error: UnicodeError) -> tuple[str, int]:
    if not isinstance(error, UnicodeDecodeError):
        raise error
    _seen["bytes"] += 1
    if "16" in error.encoding:
        return "\ufffd", error.end
    return error.object[error.start : error.end].decode("cp1252", "replace"), error.end


codecs.register_error(_AS_WINDOWS, _as_windows)


def looks_like_table(columns: Sequence[str]) -> bool:
    """Return whether the first line holds names of columns."""
    return len(columns) >= _SEVERAL
