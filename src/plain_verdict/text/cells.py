"""Cells of tables that people open in a spreadsheet."""

from datetime import datetime

RUN_BY_SPREADSHEETS = frozenset("=+-@\t\r")
"""What a cell begins with that a spreadsheet takes for a formula."""


def written_cell(cell: object) -> object:
    """Return a cell as CSV has it: moments as ISO 8601, and an apostrophe before what a spreadsheet would run."""
    if isinstance(cell, datetime):
        return cell.isoformat()
    if isinstance(cell, bool):
        return "yes" if cell else "no"
    if isinstance(cell, str) and cell[:1] in RUN_BY_SPREADSHEETS:
        return f"'{cell}"
    return "" if cell is None else cell
