"""Reads lists of what people check by hand: Markdown task lists and tables."""

import re
from collections.abc import Iterator
from pathlib import Path
from typing import NamedTuple

from plain_verdict.readers.csv_text import BadRow
from plain_verdict.requirements.markdown import HEADING, Headings, lines_of
from plain_verdict.requirements.tables import CELL_CHARS, rows_by_header
from plain_verdict.runtime.errors import UsageError
from plain_verdict.text.cleaning import single_line
from plain_verdict.text.encoding import as_text

_TASK = re.compile(r"^\s*(?:[-*+]|\d+[.)])\s+\[[ xX]\]\s+(.*)$")
_COLUMNS = {
    "check": ("check", "name", "title", "what", "step"),
    "suite": ("suite", "section", "group", "area"),
    "description": ("how", "description", "expected", "about"),
}
_ITEM_HINT = "write items like “- [ ] what to check”, or a CSV file with a column “check”"


class Item(NamedTuple):
    """One check by hand: where it stands, what it is called, and how it is done."""

    suite: tuple[str, ...]
    name: str
    about: str = ""


def read_checklist(path: Path) -> list[Item]:
    """Return the items of a list. Raises UsageError for a file that holds none."""
    try:
        data = path.read_bytes()
        items = list((_table if path.suffix.lower() in (".csv", ".tsv") else _tasks)(data))
    except OSError as error:
        raise UsageError(f"can't be read ({error.strerror})", path=str(path)) from error
    except ValueError as error:
        raise UsageError(str(error), path=str(path), hint=_ITEM_HINT) from error
    if not items:
        raise UsageError("holds no check", path=str(path), hint=_ITEM_HINT)
    return list(dict.fromkeys(items))


def _tasks(data: bytes) -> Iterator[Item]:
    """Yield the tasks of a Markdown list (GitHub Flavored Markdown 0.29, 5.3); headings above are suites."""
    headings = Headings()
    for line in lines_of(as_text(data)):
        heading, task = HEADING.match(line), _TASK.match(line)
        if heading:
            headings.enter(len(heading[1]), single_line(heading[2], CELL_CHARS))
        elif task:
            yield Item(headings.path, single_line(task[1], CELL_CHARS))


def _table(data: bytes) -> Iterator[Item]:
    for row in rows_by_header(data, _COLUMNS):
        if isinstance(row, BadRow):
            raise ValueError(f"line {row.line:,} {row.why}")
        if row["check"]:
            yield Item((row["suite"],) if row.get("suite") else (), row["check"], row.get("description", ""))
