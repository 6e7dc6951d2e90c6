"""Writes tables as CSV files. Source: RFC 4180."""

import csv
from collections.abc import Iterator, Sequence
from io import StringIO
from itertools import chain

from plain_verdict.report import Report
from plain_verdict.text.cells import written_cell
from plain_verdict.writers.interface import OutputFile
from plain_verdict.writers.tables.interface import Cell, Row, Table

_PIECE_ROWS = 5_000


class TablesWriter:
    """Writes a CSV file for each table that the run has rows for.

    Cells that a spreadsheet would run get an apostrophe before them.
    """

    name = "tables"
    suffix = ""
    about = "tables as CSV files"
    is_layout = False

    def render(self, report: Report) -> Iterator[OutputFile]:
        """Yield the files."""
        from plain_verdict.writers.tables.load import TABLES  # for runs whose tables are wanted

        for table in TABLES:
            rows = iter(table.rows(report))
            first = next(rows, None)
            if first is not None:
                yield OutputFile(f"{table.name}.csv", _pieces(table, chain((first,), rows)))


def _pieces(table: Table, rows: Iterator[Row]) -> Iterator[str]:
    text = StringIO()
    writer = csv.writer(text, lineterminator="\r\n")
    writer.writerow([column.name for column in table.columns])
    for number, row in enumerate(rows, 1):
        writer.writerow(_written(row))
        if number % _PIECE_ROWS == 0:
            yield text.getvalue()
            text.seek(0)
            text.truncate()
    yield text.getvalue()


def _written(row: Sequence[Cell]) -> list[object]:
    return [written_cell(cell) for cell in row]
