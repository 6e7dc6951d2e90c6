"""Finds the values in columns whose heading names a secret: of Markdown, ruled, CSV and HTML tables, and of SQL."""

import re
from collections.abc import Iterator
from itertools import islice

from ahocorasick_rs import AhoCorasick

from plain_verdict.masking.names import ANY_KEY, NEEDLES
from plain_verdict.masking.values import looks_typed
from plain_verdict.text.patterns import pattern

_HEADING = pattern(rf"(?:[\w .-]{{0,30}}[ _.-])?(?:{ANY_KEY})(?:[ _-]?hash)?", re.IGNORECASE)
_NAMES = AhoCorasick(NEEDLES)
_TABLE_RULE = pattern(r"[\s|+:=─━┼┬┴├┤┌┐└┘╪═-]*")
_COLUMN_SEPARATORS = (
    pattern(r"[|│┃]"),
    pattern(r"\t"),
    pattern(r";"),
    pattern(r","),
    pattern(r"[ ]{2,}"),
)
_MOST_MASKED_ROWS = 2_000  # below one heading
_ROW_CHARS = 2_000  # longer lines are no rows of a table


def find_in_tables(text: str) -> Iterator[tuple[int, int]]:
    """Yield the spans of cells that stand under a heading like ``password`` and look like one."""
    if "<t" in text:
        yield from _in_html(text)
    if "nsert" in text or "NSERT" in text:
        yield from _in_inserts(text)
    if "\n" in text:
        yield from _in_lines(text)


_ROW = pattern(r"<tr[^<>]{0,200}>(.*?)(?=<tr|</table|\Z)", re.IGNORECASE | re.DOTALL)
_HTML_CELL = pattern(r"<t[hd][^<>]{0,200}>\s*(?:<\w[^<>]{0,80}>)?([^<>]{0,400}?)\s*(?=<)", re.IGNORECASE)
_INSERT = pattern(r"INSERT\s+INTO\s+\S{1,80}\s*\(([^()]{1,400})\)\s*VALUES\s*", re.IGNORECASE)
_SQL_VALUES = pattern(r"\(((?:'(?:[^']|'')*'|[^()'])*)\)")
_VALUE = pattern(r"\s*(?:N?'((?:[^']|'')*)'|([^,']*))\s*(?:,|\Z)")


def _in_html(text: str) -> Iterator[tuple[int, int]]:
    columns: list[int] = []
    for row in islice(_ROW.finditer(text), _MOST_MASKED_ROWS):
        cells = list(_HTML_CELL.finditer(text, *row.span(1)))
        heads = [at for at, cell in enumerate(cells) if _HEADING.fullmatch(cell[1].strip())]
        if heads and len(cells) > 1:
            columns = heads
            continue
        yield from (cells[at].span(1) for at in columns if at < len(cells) and looks_typed(cells[at][1]))


def _in_inserts(text: str) -> Iterator[tuple[int, int]]:
    """Yield the values that a statement puts into columns for secrets."""
    for statement in islice(_INSERT.finditer(text), _MOST_MASKED_ROWS):
        names = [name.strip().strip('`"[]') for name in statement[1].split(",")]
        columns = [at for at, name in enumerate(names) if _HEADING.fullmatch(name)]
        row = _SQL_VALUES.match(text, statement.end()) if columns else None
        if row:
            values = list(_VALUE.finditer(text, *row.span(1)))
            yield from (values[at].span(1) for at in columns if at < len(values) and values[at][1])


def _in_lines(text: str) -> Iterator[tuple[int, int]]:
    lines = text.split("\n")
    starts = [0]
    for line in lines:
        starts.append(starts[-1] + len(line) + 1)
    for number, line in enumerate(lines[:-1]):
        if len(line) > _ROW_CHARS or not _NAMES.find_matches_as_indexes(line.lower(), overlapping=True):
            continue
        for separator in _COLUMN_SEPARATORS:
            heads = list(_cells(line, separator))
            columns = [at for at, (_, _, cell) in enumerate(heads) if _HEADING.fullmatch(cell.strip("\"' "))]
            if len(heads) > 1 and columns and all(len(cell) < 40 for _, _, cell in heads):
                yield from _values(lines, starts, number + 1, separator, columns, len(heads))
                break


def _values(
    lines: list[str], starts: list[int], first: int, separator: re.Pattern[str], columns: list[int], width: int
) -> Iterator[tuple[int, int]]:
    for number in range(first, min(len(lines), first + _MOST_MASKED_ROWS)):
        line = lines[number]
        if _TABLE_RULE.fullmatch(line) and line.strip():
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
