"""Finds the values in columns of a table whose heading names a secret: Markdown, ruled, CSV, tabs, blanks."""

import re
from collections.abc import Iterator

from ahocorasick_rs import AhoCorasick

from plain_verdict.masking.names import ANY, NEEDLES
from plain_verdict.masking.values import looks_typed

_HEADING = re.compile(rf"(?:[\w .-]{{0,30}}[ _.-])?(?:{ANY})(?:[ _-]?hash)?", re.IGNORECASE)
_NAMES = AhoCorasick(NEEDLES)
_RULE = re.compile(r"[\s|+:=-]*")
_SEPARATORS = (re.compile(r"\|"), re.compile(r"\t"), re.compile(r";"), re.compile(r","), re.compile(r"[ ]{2,}"))
_MOST_ROWS = 2_000
_LINE_CHARS = 2_000


def find_in_tables(text: str) -> Iterator[tuple[int, int]]:
    """Yield the spans of cells that stand under a heading like ``password`` and look like one."""
    if "\n" not in text:
        return
    lines = text.split("\n")
    starts = [0]
    for line in lines:
        starts.append(starts[-1] + len(line) + 1)
    for number, line in enumerate(lines[:-1]):
        if len(line) > _LINE_CHARS or not _NAMES.find_matches_as_indexes(line.lower(), overlapping=True):
            continue
        for separator in _SEPARATORS:
            heads = list(_cells(line, separator))
            columns = [at for at, (_, _, cell) in enumerate(heads) if _HEADING.fullmatch(cell.strip("\"' "))]
            if len(heads) > 1 and columns and all(len(cell) < 40 for _, _, cell in heads):
                yield from _values(lines, starts, number + 1, separator, columns, len(heads))
                break


def _values(
    lines: list[str], starts: list[int], first: int, separator: re.Pattern[str], columns: list[int], width: int
) -> Iterator[tuple[int, int]]:
    for number in range(first, min(len(lines), first + _MOST_ROWS)):
        line = lines[number]
        if _RULE.fullmatch(line) and line.strip():
            continue
        cells = list(_cells(line, separator))
        if len(cells) != width:
            return
        for column in columns:
            start, end, cell = cells[column]
            if looks_typed(cell):
                yield starts[number] + start, starts[number] + end


def _cells(line: str, separator: re.Pattern[str]) -> Iterator[tuple[int, int, str]]:
    """Yield (start, end, text) of each cell, without the blanks and quotes around it."""
    at = len(line) - len(line.lstrip()) if separator.pattern.startswith("[ ]") else 0
    cuts = [(match.start(), match.end()) for match in separator.finditer(line, at)]
    for start, end in zip([at, *(cut[1] for cut in cuts)], [*(cut[0] for cut in cuts), len(line)], strict=True):
        cell = line[start:end]
        inner = cell.strip().strip("\"'")
        before = cell.find(inner) if inner else 0
        yield start + before, start + before + len(inner), inner
