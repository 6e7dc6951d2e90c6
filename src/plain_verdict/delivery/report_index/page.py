"""Writes the index's page: by series, the newest first, complete without scripts."""

from collections import Counter, defaultdict
from collections.abc import Iterator, Sequence
from urllib.parse import quote

import msgspec

from plain_verdict.delivery.report_index.entries import Entry
from plain_verdict.delivery.report_index.title import IndexWords
from plain_verdict.model import Outcome, VerdictWord
from plain_verdict.report.index_line import IndexLine
from plain_verdict.text.formatting import format_duration, plural
from plain_verdict.writers.html.index_page import IndexLook, render_index

_STRIP, _OPEN, _OPEN_OF_MANY = 30, 30, 5
_SHOWN_OUTCOMES = tuple(outcome.value for outcome in Outcome)


class IndexRow(msgspec.Struct, frozen=True):
    """A page. ``anchor`` is its anchor; ``after`` is the run that it comes after in its series, or ""."""

    link: str
    anchor: str
    after: str
    label: str
    word: str
    why: str
    counts: tuple[tuple[str, int], ...]
    when: str
    moment: str
    took: str
    facts: str


class IndexSeries(msgspec.Struct, frozen=True):
    """A series: its rows, the newest first, those that stand open and older ones; its last builds as a strip."""

    name: str
    about: str
    newest: str
    """The id of its newest run."""
    strip: tuple[tuple[str, str, str], ...]
    """Link, word and words of each, the oldest first."""
    open_rows: tuple[IndexRow, ...]
    older: tuple[IndexRow, ...]


def write_index(entries: Sequence[Entry], everything: str, words: IndexWords) -> Iterator[str]:
    """Yield the page in pieces. ``entries`` are the newest first; ``everything`` is what it carries."""
    series: dict[str, list[Entry]] = defaultdict(list)
    for entry in entries:
        if entry.line is not None:
            series[entry.line.series].append(entry)
    most = _OPEN if len(series) == 1 else _OPEN_OF_MANY
    # The newest gives the page its word; where nothing stands, nobody can tell.
    word = entries[0].line.verdict if entries and entries[0].line else VerdictWord.UNDECIDED
    look = IndexLook(words.title, words.brand, words.made, _lead(entries, len(series)), word, everything)
    return render_index(look, [_series(entries_of_series, most) for entries_of_series in series.values()])


def _lead(entries: Sequence[Entry], series: int) -> str:
    if not entries:
        return "No reports yet."
    words = Counter(entry.line.verdict for entry in entries if entry.line)
    counted = [f"{words[word]:,} {word.value}" for word in VerdictWord if words[word]]
    return f"{plural(len(entries), 'report')} of {plural(series, 'series', 'series')}: {', '.join(counted)}."


def _series(entries: Sequence[Entry], most: int) -> IndexSeries:
    lines = [entry.line for entry in entries if entry.line]
    before = [line.id for line in lines[1:]] + [""]
    rows = tuple(_row(*pair) for pair in zip(entries, before, strict=True))
    strip = tuple((row.link, row.word, f"{row.label}: {row.word}. {row.why}") for row in reversed(rows[:_STRIP]))
    newest = lines[0]
    branch = f", {newest.branch}" if newest.branch else ""
    return IndexSeries(
        newest.title or "Without a title",
        f"{plural(len(rows), 'report')}{branch}",
        newest.id,
        strip,
        rows[:most],
        rows[most:],
    )


def _row(entry: Entry, before: str) -> IndexRow:
    line = entry.line
    assert line is not None  # noqa: S101  only pages have rows
    when = line.started or line.made
    facts = "; ".join(f"{key}: {value}" for key, value in line.facts.items())
    return IndexRow(
        link=_quoted(entry.file),
        anchor=line.id,
        after=before,
        label=line.build or f"{when.day} {when:%b %H:%M}",
        word=line.verdict.value,
        why=_sentence(line),
        counts=tuple(pair for pair in zip(_SHOWN_OUTCOMES, line.counts, strict=False) if pair[1]),
        when=f"{when.day} {when:%b %Y, %H:%M}",
        moment=when.isoformat(),
        took=format_duration(line.took_s),
        facts=facts,
    )


def _sentence(line: IndexLine) -> str:
    new = f" {line.new:,} new." if line.new else ""
    return f"{line.why[:1].upper()}{line.why[1:]}{new}"


def _quoted(file: str) -> str:
    """Return a file's path as a link: nothing in it is taken for a scheme, a query or a fragment."""
    return quote(file)
