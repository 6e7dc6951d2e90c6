"""Writes the index's page: a line a series, and behind it charts, lists and reports; complete without scripts."""

import re
from base64 import b64decode
from collections import defaultdict
from collections.abc import Callable, Iterator, Mapping, Sequence
from enum import StrEnum
from functools import cached_property, partial
from urllib.parse import quote

import msgspec

from plain_verdict.delivery.report_index.entries import Entry
from plain_verdict.delivery.report_index.title import IndexWords
from plain_verdict.delivery.report_index.trends import KeptTrend
from plain_verdict.history.digest import pack, unpack
from plain_verdict.model import Outcome, VerdictWord
from plain_verdict.model.trends import Trend
from plain_verdict.report.charts import Chart
from plain_verdict.report.index_line import IndexLine
from plain_verdict.report.trend_charts import trend_charts
from plain_verdict.report.trends import TrendLine, TrendList, trend_lists, trend_numbers, trend_sentence
from plain_verdict.text.formatting import format_duration, join_list, plural
from plain_verdict.writers.html.index_page import IndexLook, render_body, render_index, render_rows
from plain_verdict.writers.html.links import only

_STRIP, _OPEN, _OPEN_OF_MANY = 30, 30, 5
_LISTED_LINES = 5  # entries of each of the four lists
_NAMED_SERIES = 3  # in the sentence at the top
_TRAILER_CHARS = 8  # of Base64, whose last ones hold the last four bytes
_FOLDED = re.compile(rb'<section id="after-([\w-]+)">(?:(?!</?section).)*?"folded-series">([\w+/=]+)<', re.DOTALL)
_OUTCOME_OF_VERDICT = {
    VerdictWord.FIT: Outcome.PASSED,
    VerdictWord.NOT_FIT: Outcome.FAILED,
    VerdictWord.UNDECIDED: Outcome.UNDECIDED,
}
_SHOWN_OUTCOMES = tuple(outcome.value for outcome in Outcome)
_MOST_BYTES, _MOST_PLAIN_BYTES = 1_900_000, 500_000
"""Of the index, and of the series that stand in it as they are."""
_PLAIN_ROWS = 300  # of a series
_LINE_BYTES = 2_800  # of a series without its body
_MOST_PLAIN_BYTES, _MOST_FOLDED_BYTES = 500_000, 800_000
"""Of all series together: what stands in the page as it is, and what stands in it compressed."""


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


class LinkedLine(msgspec.Struct, frozen=True):
    """A line of a list, with a link to where a page shows it, or ""."""

    line: TrendLine
    link: str


class IndexBody(msgspec.Struct, frozen=True):
    """What stands behind the line of a series: rows, the newest first, and older ones; numbers, charts, lists.

    ``oldest`` are the rows of so many more, as gzip in Base64. ``is_short``: there was no room for more than rows.
    """

    open_rows: tuple[IndexRow, ...]
    older: tuple[IndexRow, ...]
    oldest: str = ""
    oldest_number: int = 0
    numbers: tuple[tuple[str, str], ...] = ()
    charts: tuple[Chart, ...] = ()
    lists: tuple[tuple[TrendList, tuple[LinkedLine, ...]], ...] = ()
    is_short: bool = False


class Fold(StrEnum):
    """How the body of a series stands in the page: as it is, or compressed, whole or only its rows."""

    NONE = ""
    WHOLE = "folded-series"
    ROWS = "folded-series short"


class IndexSeries(msgspec.Struct, frozen=True):
    """A series: its line, its last builds as a strip, and its body.

    ``body`` is HTML or, where it is folded, gzip in Base64.
    """

    name: str
    about: str
    newest: str
    """The id of its newest run."""
    word: VerdictWord
    outcome: str
    """Whose sign the word has."""
    sentence: str
    strip: tuple[tuple[str, str, str], ...]
    """Link, word and words of each, the oldest first."""
    body: str
    fold: Fold
    is_open: bool


def by_series(entries: Sequence[Entry]) -> dict[str, list[Entry]]:
    """Return entries, the newest first, by their series: that of the newest entry first."""
    series: dict[str, list[Entry]] = defaultdict(list)
    for entry in entries:
        if entry.line is not None:
            series[entry.line.series].append(entry)
    return series


def write_index(
    entries: Sequence[Entry],
    trends: Mapping[str, KeptTrend],
    kept: tuple[str, str],
    words: IndexWords,
    *,
    folded: Mapping[str, str] | None = None,
    has_feed: bool = True,
) -> Iterator[str]:
    """Yield the page in pieces.

    ``entries`` are the newest first; ``kept`` are entries and trends as the page carries them; ``folded`` are the
    bodies of series that did not change, compressed.
    """
    series = by_series(entries)
    # The newest gives the page its word; where nothing stands, nobody can tell.
    word = entries[0].line.verdict if entries and entries[0].line else VerdictWord.UNDECIDED
    look = IndexLook(
        title=words.title,
        brand=words.brand,
        made=words.made,
        word=word,
        lead=_lead(entries, series),
        entries=kept[0],
        trends=kept[1],
        has_feed=has_feed,
    )
    # What the index carries for the next time counts as well.
    room = _MOST_BYTES - _MOST_PLAIN_BYTES - sum(map(len, kept)) - _LINE_BYTES * len(series)
    return render_index(look, list(_all_series(series, trends, folded or {}, room)))


def _lead(entries: Sequence[Entry], series: Mapping[str, Sequence[Entry]]) -> str:
    if not entries:
        return "No reports yet."
    lines = [newest[0].line for newest in series.values() if newest[0].line]
    reports = f"{plural(len(entries), 'report')} of {plural(len(series), 'series', 'series')}"
    if len(lines) == 1:
        return f"{reports}: {lines[0].verdict.value}."
    return f"{reports}: {', '.join(_counted(lines))}."


def _counted(lines: Sequence[IndexLine]) -> Iterator[str]:
    """Yield how many series have each verdict, with the names of those that are not fit where they are few."""
    for word in VerdictWord:
        titles = [f"“{line.title}”" for line in lines if line.verdict is word]
        is_named = word is VerdictWord.NOT_FIT and len(titles) <= _NAMED_SERIES
        if titles:
            yield f"{len(titles):,} {word.value}{f' ({join_list(titles)})' if is_named else ''}"


def _all_series(
    series: Mapping[str, Sequence[Entry]], trends: Mapping[str, KeptTrend], folded: Mapping[str, str], room: int
) -> Iterator[IndexSeries]:
    """Yield the series: the first ones stand in the page as they are, others compressed.

    Past ``room`` bytes of those, only their reports are there.
    """
    most = _OPEN if len(series) == 1 else _OPEN_OF_MANY
    plain_bytes = 0
    for position, (name, entries) in enumerate(series.items()):
        trend = trends[name].trend
        body = _Body(folded.get(name, ""), partial(_body, entries, trend, most))
        is_folded = position > 0 and plain_bytes + body.size > _MOST_PLAIN_BYTES
        if is_folded:
            # A series without charts is better than one that the search does not find.
            content = body.packed
            is_short = len(content) > room
            if is_short:
                content = _Body("", partial(_rows_alone, _rows(entries), most, is_short=True)).packed
            room -= len(content)
            yield _line_of(entries, trend, content, Fold.ROWS if is_short else Fold.WHOLE, is_open=False)
        else:
            plain_bytes += body.size
            yield _line_of(entries, trend, body.text, Fold.NONE, is_open=position == 0)


class _Body:
    """The body of a series as HTML: made, or as the index before has it, compressed."""

    def __init__(self, packed: str, make: Callable[[], IndexBody]) -> None:
        self._known = packed
        self._make = make

    @cached_property
    def text(self) -> str:
        """Return it as it is."""
        return unpack(self._known.encode()).decode("utf-8") if self._known else render_body(self._make())

    @cached_property
    def packed(self) -> str:
        """Return it compressed."""
        # Compressing takes as long as making it, and most series did not change.
        return self._known or pack(self.text.encode("utf-8", "replace"))

    @property
    def size(self) -> int:
        """Return its bytes. Source of those of a compressed one: RFC 1952, section 2.3.1, ISIZE."""
        if self._known:
            return int.from_bytes(b64decode(self._known[-_TRAILER_CHARS:])[-4:], "little")
        return len(self.text.encode("utf-8", "replace"))


def bodies_in(index: bytes) -> dict[str, str]:
    """Return the compressed bodies that an index has, by the id of the newest run of their series."""
    return {found[1].decode(): found[2].decode() for found in _FOLDED.finditer(index)}


def _line_of(entries: Sequence[Entry], trend: Trend, body: str, fold: Fold, *, is_open: bool) -> IndexSeries:
    lines = [entry.line for entry in entries if entry.line]
    newest = lines[0]
    rows = [_row(entry, "") for entry in entries[:_STRIP]]
    strip = tuple((row.link, row.word, f"{row.label}: {row.word}. {row.why}") for row in reversed(rows))
    parts = (newest.branch, plural(len(lines), "report"), f"the newest of {rows[0].when}")
    return IndexSeries(
        newest.title or "Without a title",
        ", ".join(filter(None, parts)),
        newest.id,
        newest.verdict,
        _OUTCOME_OF_VERDICT[newest.verdict].value,
        trend_sentence(trend) if len(trend.builds) > 1 else f"{rows[0].label}: {rows[0].why}",
        strip,
        body,
        fold,
        is_open,
    )


def _body(entries: Sequence[Entry], trend: Trend, most: int) -> IndexBody:
    rows = _rows(entries)
    body = _rows_alone(rows, most)
    if len(trend.builds) == 1:
        return body
    # Of two pages of one build the newer one stands first, and is linked.
    links = {row.label: row.link for row in rows[::-1]}
    lists = trend_lists(trend, _LISTED_LINES)
    linked = tuple((listed, tuple(_linked(line, links) for line in listed.lines)) for listed in lists)
    return msgspec.structs.replace(body, numbers=trend_numbers(trend), charts=trend_charts(trend), lists=linked)


def _rows(entries: Sequence[Entry]) -> tuple[IndexRow, ...]:
    lines = [entry.line for entry in entries if entry.line]
    return tuple(_row(*pair) for pair in zip(entries, [*(line.id for line in lines[1:]), ""], strict=True))


def _rows_alone(rows: Sequence[IndexRow], most: int, *, is_short: bool = False) -> IndexBody:
    """Return a body of rows; of a series with thousands most are compressed."""
    oldest = rows[_PLAIN_ROWS:]
    packed = pack(render_rows(oldest).encode("utf-8", "replace")) if oldest else ""
    return IndexBody(tuple(rows[:most]), tuple(rows[most:_PLAIN_ROWS]), packed, len(oldest), is_short=is_short)


def _linked(line: TrendLine, links: Mapping[str, str]) -> LinkedLine:
    page = links.get(line.build, "")
    link = f"{page}#{line.id}" if line.id else f"{page}#{only('cause', line.name)}"
    return LinkedLine(line, link if page else "")


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
    """Return a file's path as a link; nothing in it is taken for a scheme, a query or a fragment.

    A page of a store may have an address.
    """
    return file if file.startswith(("https://", "http://")) else quote(file)
