"""Reads lists of what people check by hand: Markdown task lists and tables."""

import csv
import re
from io import StringIO
from pathlib import Path
from typing import NamedTuple

from plain_verdict.errors import UsageError
from plain_verdict.text.cleaning import one_line
from plain_verdict.text.encoding import as_text
from plain_verdict.text.names import words_of

_CHARS = 500
_HEADING = re.compile(r"^(#{1,6})\s+(.*?)\s*#*\s*$")
_TASK = re.compile(r"^\s*(?:[-*+]|\d+[.)])\s+\[[ xX]\]\s+(.*)$")
_CHECKS = ("check", "name", "title", "what", "step")
_SUITES = ("suite", "section", "group", "area")
_ABOUTS = ("how", "description", "expected", "about")


class Item(NamedTuple):
    """One check by hand: where it stands, what it is called, and how it is done."""

    suite: tuple[str, ...]
    name: str
    about: str = ""


def read_checklist(path: Path) -> list[Item]:
    """Return the items of a list. Raises UsageError for a file that holds none."""
    try:
        text = as_text(path.read_bytes()).removeprefix("\ufeff")
    except OSError as error:
        raise UsageError(f"can't be read ({error.strerror})", path=str(path)) from error
    items = _table(text) if path.suffix.lower() in (".csv", ".tsv") else _tasks(text)
    if not items:
        hint = "write its items as “- [ ] what to check”, or a CSV file with a column check"
        raise UsageError("holds no check", path=str(path), hint=hint)
    return list(dict.fromkeys(items))


def _tasks(text: str) -> list[Item]:
    """Return the tasks of a Markdown list (GitHub Flavored Markdown 0.29, 5.3); headings above are suites."""
    above: list[tuple[int, str]] = []
    items = []
    for line in text.splitlines():
        heading, task = _HEADING.match(line), _TASK.match(line)
        if heading:
            level = len(heading[1])
            above = [*(one for one in above if one[0] < level), (level, one_line(heading[2], _CHARS))]
        elif task:
            items.append(Item(tuple(name for _, name in above), one_line(task[1], _CHARS)))
    return items


def _table(text: str) -> list[Item]:
    first = text.partition("\n")[0]
    rows = csv.reader(StringIO(text, newline=""), delimiter=max(",;\t", key=first.count))
    header = [" ".join(words_of(cell)) for cell in next(rows, [])]
    places = [
        next((header.index(name) for name in names if name in header), None)
        for names in (_SUITES, _CHECKS, _ABOUTS)
    ]
    items = []
    for row in rows:
        suite, name, about = (
            one_line(row[at], _CHARS) if at is not None and at < len(row) else "" for at in places
        )
        if name:
            items.append(Item((suite,) if suite else (), name, about))
    return items
