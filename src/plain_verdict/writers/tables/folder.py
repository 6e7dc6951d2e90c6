"""Writes tables into a folder: CSV (RFC 4180) or Parquet files, and a list of them with their columns."""

import csv
from collections.abc import Iterable, Iterator, Sequence
from datetime import datetime
from io import StringIO
from itertools import chain, islice

from plain_verdict.report import Report
from plain_verdict.settings.choices import TablesAs
from plain_verdict.text.cells import RUN_BY_SPREADSHEETS, defused, would_run
from plain_verdict.text.formatting import plural
from plain_verdict.text.packages import require
from plain_verdict.writers.interface import OutputFile
from plain_verdict.writers.tables.interface import Cell, Column, Filled, Holds, Row, fill
from plain_verdict.writers.tables.list import TABLES
from plain_verdict.writers.tables.package import PACKAGE, TableFile, describe

_PIECE_ROWS = 5_000  # at a time: a table is never in memory whole
_BOM = "\ufeff"


class TablesWriter:
    """Writes a file for each table that has rows; cells of CSV that a spreadsheet would run are defused.

    One that has rendered a report knows in ``notes`` what it did to the cells.
    """

    name = "tables"
    suffix = ""
    about = "tables as CSV or Parquet files"
    is_layout = False

    def __init__(self, how: TablesAs = TablesAs.CSV) -> None:
        self._how = how
        self._defused = 0

    @property
    def notes(self) -> tuple[str, ...]:
        """Return what was done to cells."""
        if not self._defused:
            return ()
        cells = plural(self._defused, "cell of the tables begins", "cells of the tables begin")
        return (f"{cells} like a formula and got an apostrophe; --tables-as csv-raw keeps them unchanged.",)

    def check(self) -> None:
        """Make sure that what writes the tables is installed. Raises UsageError."""
        if self._how is TablesAs.PARQUET:
            require("pyarrow.parquet", "--tables-as parquet", "tables", "write CSV")

    def render(self, report: Report) -> Iterator[OutputFile]:
        """Yield the files, the list of them last."""
        written = []
        for filled in filled_tables(report):
            file = TableFile(filled.table.name, filled.table.about, filled.columns, self._how)
            written.append(file)
            yield OutputFile(file.path, self.content(filled.columns, filled.rows))
        yield OutputFile(PACKAGE, describe(report.title, report.info.made, written))

    def content(self, columns: tuple[Column, ...], rows: Iterable[Row]) -> bytes | Iterator[str]:
        """Return what a table's file holds."""
        if self._how is not TablesAs.PARQUET:
            return self._csv(columns, rows)
        from plain_verdict.writers.tables.parquet import parquet_of  # an extra, for tables in columns

        return parquet_of(columns, rows)

    def _csv(self, columns: tuple[Column, ...], cell_rows: Iterable[Row]) -> Iterator[str]:
        text = StringIO(newline="")
        writer = csv.writer(text, lineterminator="\r\n")
        writer.writerow([column.name for column in columns])
        yield _BOM if self._how is TablesAs.CSV_BOM else ""
        rows = iter(cell_rows)
        while piece := list(islice(rows, _PIECE_ROWS)):
            writer.writerows(self._written(piece, columns))
            yield text.getvalue()
            text.seek(0)
            text.truncate()

    def _written(self, rows: list[Row], columns: tuple[Column, ...]) -> Iterable[Sequence[Cell]]:
        """Return rows as CSV has them: moments as ISO 8601, an apostrophe before what a spreadsheet would run.

        Column by column: most have nothing to change, and that is quick to see.
        """
        return zip(
            *(
                self._cells(cells, column.holds)
                for cells, column in zip(zip(*rows, strict=True), columns, strict=True)
            ),
            strict=True,
        )

    def _cells(self, cells: Sequence[Cell], holds: Holds) -> Sequence[Cell]:
        if holds is Holds.TEXT:
            return cells if self._how is TablesAs.CSV_RAW else self._defuse(cells)
        if holds is Holds.MOMENT:
            return [cell.isoformat() if isinstance(cell, datetime) else None for cell in cells]
        if holds is Holds.FLAG:
            return [None if cell is None else ("no", "yes")[bool(cell)] for cell in cells]
        return cells

    def _defuse(self, cells: Sequence[Cell]) -> Sequence[Cell]:
        if RUN_BY_SPREADSHEETS.isdisjoint({str(cell)[:1] for cell in cells if cell}):
            return cells
        risky = [would_run(str(cell or "")) for cell in cells]
        self._defused += sum(risky)
        return [defused(str(cell)) if runs else cell for cell, runs in zip(cells, risky, strict=True)]


def filled_tables(report: Report) -> Iterator[Filled]:
    """Yield the tables that have a row."""
    for table in TABLES:
        filled = fill(table, report)
        rows = iter(filled.rows)
        first = next(rows, None)
        if first is not None:
            yield Filled(table, filled.columns, chain((first,), rows))


def table_names() -> frozenset[str]:
    """Return the names of all tables."""
    return frozenset(table.name for table in TABLES)
