"""Writes the index's page: a line a series, and behind it charts, lists and reports; complete without scripts."""

from collections import Counter, defaultdict
from collections.abc import Iterator, Mapping, Sequence
from urllib.parse import quote

import msgspec

from plain_verdict.delivery.report_index.entries import Entry
from plain_verdict.delivery.report_index.title import IndexWords
from plain_verdict.delivery.report_index.trends import KeptTrend
from plain_verdict.history.digest import pack
from plain_verdict.model import Outcome, VerdictWord
from plain_verdict.model.trends import Trend
from plain_verdict.report.charts import Chart
from plain_verdict.report.index_line import IndexLine
from plain_verdict.report.trend_charts import trend_charts
from plain_verdict.report.trends import TrendLine, TrendList, trend_lists, trend_numbers, trend_sentence
from plain_verdict.text.formatting import format_duration, join_list, plural
from plain_verdict.writers.html.index_page import IndexLook, render_body, render_index
from plain_verdict.writers.html.links import only

_STRIP, _OPEN, _OPEN_OF_MANY = 30, 30, 5
_LISTED = 5  # entries of each of the four lists
_NAMED_SERIES = 3  # in the sentence at the top
_SHOWN_OUTCOMES = tuple(outcome.value for outcome in Outcome)
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
    """What stands behind the line of a series: numbers, charts, lists; rows, the newest first, and older ones."""

    numbers: tuple[tuple[str, str], ...]
    charts: tuple[Chart, ...]
    lists: tuple[tuple[TrendList, tuple[LinkedLine, ...]], ...]
    open_rows: tuple[IndexRow, ...]
    older: tuple[IndexRow, ...]


class IndexSeries(msgspec.Struct, frozen=True):
    """A series: its line, its last builds as a strip, and its body.

    ``body`` is HTML or, where it is ``is_folded``, gzip in Base64; "" where there was no room for it.
    """

    name: str
    about: str
    newest: str
    """The id of its newest run."""
    word: VerdictWord
    sentence: str
    strip: tuple[tuple[str, str, str], ...]
    """Link, word and words of each, the oldest first."""
    body: str
    is_folded: bool
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
    has_feed: bool = True,
) -> Iterator[str]:
    """Yield the page in pieces.

    ``entries`` are the newest first; ``kept`` are entries and trends as the page carries them.
    """
    series = by_series(entries)
    most = _OPEN if len(series) == 1 else _OPEN_OF_MANY
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
    return render_index(look, list(_all_series(series, trends, most, words)))


def _lead(entries: Sequence[Entry], series: Mapping[str, Sequence[Entry]]) -> str:
    if not entries:
        return "No reports yet."
    lines = [newest[0].line for newest in series.values() if newest[0].line]
    words = Counter(line.verdict for line in lines)
    reports = f"{plural(len(entries), 'report')} of {plural(len(series), 'series', 'series')}"
    if len(lines) == 1:
        return f"{reports}: {lines[0].verdict.value}."
    not_fit = [f"“{line.title}”" for line in lines if line.verdict is VerdictWord.NOT_FIT]
    names = f" ({join_list(not_fit)})" if not_fit and len(not_fit) <= _NAMED_SERIES else ""
    counted = [
        f"{words[word]:,} {word.value}{names if word is VerdictWord.NOT_FIT else ''}"
        for word in VerdictWord
        if words[word]
    ]
    return f"{reports}: {', '.join(counted)}."


def _all_series(
    series: Mapping[str, Sequence[Entry]], trends: Mapping[str, KeptTrend], most: int, words: IndexWords
) -> Iterator[IndexSeries]:
    """Yield the series; the first ones stand in the page as they are, later ones are folded while there is room."""
    plain_bytes = folded_bytes = 0
    for position, (name, entries) in enumerate(series.items()):
        trend = trends[name].trend
        content = render_body(_body(entries, trend, most, words))
        size = len(content.encode("utf-8", "replace"))
        is_folded = position > 0 and plain_bytes + size > _MOST_PLAIN_BYTES
        if is_folded:
            content = pack(content.encode("utf-8", "replace")) if folded_bytes < _MOST_FOLDED_BYTES else ""
            folded_bytes += len(content)
            content = content if folded_bytes <= _MOST_FOLDED_BYTES else ""
        else:
            plain_bytes += size
        yield _line_of(entries, trend, content, is_folded=is_folded, is_open=position == 0)


def _line_of(entries: Sequence[Entry], trend: Trend, body: str, *, is_folded: bool, is_open: bool) -> IndexSeries:
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
        trend_sentence(trend) if len(trend.builds) > 1 else f"{rows[0].label}: {rows[0].why}",
        strip,
        body,
        is_folded,
        is_open,
    )


def _body(entries: Sequence[Entry], trend: Trend, most: int, words: IndexWords) -> IndexBody:
    lines = [entry.line for entry in entries if entry.line]
    before = [line.id for line in lines[1:]] + [""]
    rows = tuple(_row(*pair) for pair in zip(entries, before, strict=True))
    links = {row.label: row.link for row in reversed(rows)}
    is_trend = len(trend.builds) > 1
    lists = trend_lists(trend, _LISTED) if is_trend else ()
    linked = tuple((listed, tuple(_linked(line, links, words) for line in listed.lines)) for listed in lists)
    return IndexBody(
        trend_numbers(trend) if is_trend else (),
        trend_charts(trend) if is_trend else (),
        linked,
        rows[:most],
        rows[most:],
    )


def _linked(line: TrendLine, links: Mapping[str, str], words: IndexWords) -> LinkedLine:
    """Return a line with its link; secrets in its name are masked: its page may have been made without masking."""
    page = links.get(line.build, "")
    link = f"{page}#{line.id}" if line.id else f"{page}#{only('cause', line.name)}"
    return LinkedLine(msgspec.structs.replace(line, name=words.mask(line.name)), link if page else "")


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

    A page of a store may have an address of its own.
    """
    return file if file.startswith(("https://", "http://")) else quote(file)
