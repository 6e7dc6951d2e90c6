"""Writes tables as one workbook (ISO/IEC 29500), a sheet each, row by row so that large runs take no memory."""

from collections.abc import Callable, Iterator
from datetime import datetime, tzinfo
from io import BytesIO
from itertools import chain, islice
from typing import TYPE_CHECKING, Any

from plain_verdict.model import BAD, Outcome
from plain_verdict.report import Report
from plain_verdict.report.brand.tokens import OUTCOMES_LIGHT
from plain_verdict.text.formatting import plural
from plain_verdict.text.packages import require
from plain_verdict.writers.interface import OutputFile
from plain_verdict.writers.tables.folder import filled_tables
from plain_verdict.writers.tables.interface import Cell, Column, Filled, Holds, Row

if TYPE_CHECKING:
    from xlsxwriter.workbook import Workbook
    from xlsxwriter.worksheet import Worksheet

_MOST_ROWS = 1_048_575  # ECMA-376, part 1: 2^20 rows, one of them the header
_MOST_CHARS = 32_767  # of a cell, as spreadsheets have it
_MOST_HYPERLINKS = 60_000
"""In one sheet; Excel takes 65,530."""
_ALL_LINKED = 10_000
"""Rows of a sheet up to which each has a link; after them only what did not pass."""
_MEASURED_ROWS = 100  # looked at for the width of a column
_LEAST_WIDTH, _MOST_WIDTH = 8, 60
_CUT = " … (cut)"
_GOOD = ("passed", "skipped")
_Write = Callable[[int, int, Any], object]


class WorkbookWriter:
    """Writes a sheet for each table that the run has rows for; ``page`` is where links lead.

    Texts are written as texts, so that a spreadsheet runs none of them. One that has rendered a report knows in
    ``notes`` what did not fit.
    """

    name = "workbook"
    suffix = ".xlsx"
    about = "tables as one workbook"
    is_layout = False

    def __init__(self, page: str = "") -> None:
        self._page = page
        self._cut = self._left_out = 0

    @property
    def notes(self) -> tuple[str, ...]:
        """Return what did not fit into sheets."""
        notes = []
        if self._cut:
            notes.append(f"{plural(self._cut, 'text')} of the workbook {'is' if self._cut == 1 else 'are'} cut")
        if self._left_out:
            notes.append(f"{plural(self._left_out, 'row')} did not fit into sheets of the workbook")
        return tuple(f"{note}; --tables FOLDER has all." for note in notes)

    def check(self) -> None:
        """Make sure that what writes workbooks is installed. Raises UsageError."""
        require("xlsxwriter", "a workbook", "tables", "name a folder")

    def render(self, report: Report) -> Iterator[OutputFile]:
        """Yield the workbook."""
        from xlsxwriter import Workbook  # optional

        target = BytesIO()
        options = {"constant_memory": True, "nan_inf_to_errors": True, "default_date_format": "yyyy-mm-dd hh:mm:ss"}
        with Workbook(target, options) as book:
            # Without the moments of the system, the same run gives the same bytes.
            book.set_properties({"title": report.title, "created": report.info.made.replace(tzinfo=None)})
            for filled in filled_tables(report):
                self._write_sheet(book, filled, report.info.made.tzinfo)
        yield OutputFile("tables.xlsx", target.getvalue())

    def _write_sheet(self, book: "Workbook", filled: Filled, zone: tzinfo | None) -> None:
        sheet = book.add_worksheet(filled.table.name)
        rows = iter(filled.rows)
        first = list(islice(rows, _MEASURED_ROWS))
        _write_head(book, sheet, filled.columns, first)
        writes = [self._write_of(sheet, column.holds, zone) for column in filled.columns]
        links = _Links(self._page, filled.columns)
        number = 0
        for number, row in enumerate(chain(first, rows), 1):
            if number > _MOST_ROWS:
                self._left_out += 1
                continue
            link = links.of(number, row)
            if link:
                sheet.write_url(number, 0, link, string=str(row[0]))
            for position in range(bool(link), len(row)):
                if row[position] not in (None, ""):
                    writes[position](number, position, row[position])
        last = min(number, _MOST_ROWS)
        if links.outcome is not None:
            _colour(book, sheet, links.outcome, last)
        sheet.autofilter(0, 0, last, len(filled.columns) - 1)

    def _write_of(self, sheet: "Worksheet", holds: Holds, zone: tzinfo | None) -> _Write:
        """Return what writes the cells of a column."""

        def write_text(row: int, position: int, cell: str) -> None:
            if len(cell) > _MOST_CHARS:
                self._cut += 1
                cell = cell[: _MOST_CHARS - len(_CUT)] + _CUT
            sheet.write_string(row, position, cell)

        def write_moment(row: int, position: int, cell: datetime) -> None:
            # A spreadsheet knows no zones: all are given in the page's.
            local = cell.astimezone(zone) if cell.tzinfo else cell
            sheet.write_datetime(row, position, local.replace(tzinfo=None))

        write_number: _Write = sheet.write_number
        writes: dict[Holds, _Write] = {
            Holds.TEXT: write_text,
            Holds.MOMENT: write_moment,
            Holds.FLAG: lambda row, position, cell: sheet.write_string(row, position, ("no", "yes")[bool(cell)]),
        }
        return writes.get(holds, write_number)


class _Links:
    """The links of a sheet's rows to their checks on the page; of a long one only what did not pass has one."""

    def __init__(self, page: str, columns: tuple[Column, ...]) -> None:
        names = [column.name for column in columns]
        self.outcome = names.index("outcome") if "outcome" in names else None
        on_web = page.startswith(("https://", "http://"))
        self._page = "" if names[0] != "check_id" else page if on_web or not page else f"external:{page}"
        self._made = 0

    def of(self, number: int, row: Row) -> str:
        """Return the link of a row, "" for one that has none."""
        if not self._page or not row[0] or self._made >= _MOST_HYPERLINKS:
            return ""
        if number > _ALL_LINKED and (self.outcome is None or row[self.outcome] in _GOOD):
            return ""
        self._made += 1
        return f"{self._page}#{row[0]}"


def _write_head(book: "Workbook", sheet: "Worksheet", columns: tuple[Column, ...], first: list[Row]) -> None:
    """Write the names of columns, and set what stays in sight, what is printed, and how wide they are."""
    sheet.freeze_panes(1, 0)
    sheet.set_landscape()
    sheet.fit_to_pages(1, 0)
    sheet.repeat_rows(0)
    heading = book.add_format({"bold": True, "bottom": 1})
    of_numbers = book.add_format({"bold": True, "bottom": 1, "align": "right"})
    for position, column in enumerate(columns):
        to_the_right = column.holds in (Holds.INTEGER, Holds.NUMBER)
        sheet.write_string(0, position, column.name, of_numbers if to_the_right else heading)
        sheet.set_column(position, position, _width(column, [row[position] for row in first]))


def _colour(book: "Workbook", sheet: "Worksheet", position: int, last: int) -> None:
    """Give the words of outcomes their colours."""
    for outcome in Outcome:
        shade = book.add_format({"font_color": OUTCOMES_LIGHT[outcome.value], "bold": outcome in BAD})
        rule = {"type": "cell", "criteria": "==", "value": f'"{outcome.value}"', "format": shade}
        sheet.conditional_format(1, position, last, position, rule)


def _width(column: Column, cells: list[Cell]) -> float:
    """Return how wide a column is, in characters, by its name and its first cells."""
    if column.holds is Holds.MOMENT:
        return 19
    longest = max((len(str(cell).partition("\n")[0]) for cell in cells if cell is not None), default=0)
    return min(max(_LEAST_WIDTH, len(column.name) + 3, longest + 1), _MOST_WIDTH)
