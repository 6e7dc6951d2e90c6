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
    if isinstance(cell, str) and would_run(cell):
        return defused(cell)
    return "" if cell is None else cell


def would_run(cell: str) -> bool:
    """Return whether a spreadsheet would take a text for a formula."""
    return cell[:1] in RUN_BY_SPREADSHEETS


def defused(cell: str) -> str:
    """Return a text that no spreadsheet takes for a formula."""
    return f"'{cell}"
