"""Writes the comparison of two runs as Markdown, and as JSON, described in docs/comparison.schema.json."""

from collections.abc import Iterator

import msgspec

from plain_verdict.model.run_comparison import RunComparison
from plain_verdict.report.side_by_side import Cell, ComparedTable, SideBySide
from plain_verdict.text.formatting import capital
from plain_verdict.text.markdown import escape_markdown

COMPARISON_SCHEMA = "plain-verdict/comparison/1"
_MARKDOWN_ROWS = 20  # of a table in Markdown


class ComparisonJson(msgspec.Struct, frozen=True):
    """All that ``compare --json`` prints."""

    schema: str
    comparison: RunComparison


def comparison_json(compared: RunComparison) -> str:
    """Return a comparison as indented JSON."""
    return msgspec.json.format(msgspec.json.encode(ComparisonJson(COMPARISON_SCHEMA, compared)), indent=2).decode()


def comparison_markdown(compared: RunComparison, given: SideBySide) -> str:
    """Return a comparison as Markdown, for merge requests and job summaries."""
    return "\n".join(_lines(compared, given)) + "\n"


def _lines(compared: RunComparison, given: SideBySide) -> Iterator[str]:
    yield f"## {escape_markdown(given.title)}"
    yield ""
    yield f"{escape_markdown(capital(given.distance))}. {escape_markdown(given.summary)}"
    yield ""
    for side, sentence in zip((compared.before, compared.after), given.sentences, strict=True):
        yield f"- **{capital(side.verdict.value)}**: {escape_markdown(sentence)}"
    yield from (f"- {escape_markdown(note)}" for note in given.notes)
    for table in given.tables:
        yield from ("", f"### {escape_markdown(table.name)} ({escape_markdown(table.aside)})", "")
        yield from _table(table)


def _table(table: ComparedTable) -> Iterator[str]:
    yield f"| {' | '.join(map(escape_markdown, table.heads))} |"
    yield f"|{' --- |' * len(table.heads)}"
    for row in table.rows[:_MARKDOWN_ROWS]:
        yield f"| {' | '.join(map(_cell, row))} |"
    # A merge request is no place for hundreds of rows.
    more = max(0, len(table.rows) - _MARKDOWN_ROWS) + table.more
    if more:
        yield from ("", f"and {more:,} more")


def _cell(cell: Cell) -> str:
    words = " ".join(filter(None, (cell.outcome, cell.text)))
    note = f"({cell.note})" if cell.note and words else cell.note
    return escape_markdown(" ".join(filter(None, (words, note))))
