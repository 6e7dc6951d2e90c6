"""Writes the trends of series: as JSON, described in docs/trends.schema.json, and as a table, CSV or Parquet."""

from collections.abc import Iterable, Iterator
from datetime import datetime

import msgspec

from plain_verdict.model import LevelChange, VerdictWord
from plain_verdict.model.trends import CostlyCause, FlakyCheck, LongFailure, Trend, TrendBuild
from plain_verdict.report.trends import trend_sentence
from plain_verdict.settings.choices import TablesAs
from plain_verdict.writers.interface import OutputFile
from plain_verdict.writers.tables.folder import TablesWriter
from plain_verdict.writers.tables.interface import Column, Holds, Row

TRENDS_SCHEMA = "plain-verdict/trends/1"
_NO_CHANGE = (None, None, None)  # change, low and high of what is no duration
TREND_COLUMNS = (
    Column("series", "the series"),
    Column("list", "flaky, failing, slower or cause"),
    Column("position", "the place in its list, from 1", Holds.INTEGER),
    Column("id", "the id of the check, or of the cause"),
    Column("name", "the suite and name of the check, or the name of the cause"),
    Column("owner", "who owns the check, of those that fail in the newest build"),
    Column("builds", "builds in which it was flaky, failed or occurred", Holds.INTEGER),
    Column("runs", "of a flaky check: its runs", Holds.INTEGER),
    Column("failures", "of a cause: its failures", Holds.INTEGER),
    Column("since", "the build since which it fails or is slower"),
    Column("last", "the last build in which it was flaky or occurred"),
    Column("days", "of a failure: days since then", Holds.NUMBER),
    Column("time_s", "what its failed attempts took, or the checks of the cause", Holds.NUMBER),
    Column("change", "of a slower check: the share it takes longer", Holds.NUMBER),
    Column("low", "the lower end of the 95 % confidence interval of the change", Holds.NUMBER),
    Column("high", "its upper end", Holds.NUMBER),
)


class BuildTrend(msgspec.Struct, frozen=True):
    """A build in numbers; null where nobody knows. ``failed`` includes errored checks."""

    build: str
    id: str
    started: datetime
    verdict: VerdictWord
    checks: int
    failed: int
    new: int | None
    failing_again: int | None
    still_failing: int | None
    passed_on_retry: int
    checks_took_s: float | None
    load_p95_s: float | None
    error_share: float | None
    failed_rules: list[int]
    """In the order of severities: none, low, medium, high, critical."""
    requirements_met: int | None
    requirements: int | None


class SeriesTrend(msgspec.Struct, frozen=True):
    """A series: its sentence, its numbers, its four lists, and its builds, the oldest first."""

    series: str
    title: str
    branch: str
    sentence: str
    days_since_fit: float | None
    builds_to_fix: float | None
    """The median, of failures that were fixed."""
    missing_builds: int
    flaky: tuple[FlakyCheck, ...]
    failing: tuple[LongFailure, ...]
    slower: tuple[LevelChange, ...]
    causes: tuple[CostlyCause, ...]
    found: tuple[int, int, int, int]
    """How many entries each of the four lists has in all."""
    builds: list[BuildTrend]


class Trends(msgspec.Struct, frozen=True):
    """All that ``history trends --json`` prints."""

    schema: str
    series: list[SeriesTrend]


def trends_json(trends: Iterable[Trend]) -> str:
    """Return trends as indented JSON."""
    data = Trends(TRENDS_SCHEMA, list(map(_series, trends)))
    return msgspec.json.format(msgspec.json.encode(data), indent=2).decode()


def _series(trend: Trend) -> SeriesTrend:
    newest = trend.newest
    return SeriesTrend(
        newest.series,
        newest.title,
        newest.branch,
        trend_sentence(trend),
        _days(trend.since_fit_s),
        trend.time_to_fix.builds if trend.time_to_fix else None,
        trend.missing,
        trend.flaky,
        trend.failing,
        trend.slower,
        trend.causes,
        trend.found,
        list(map(_build, trend.builds)),
    )


def _build(entry: TrendBuild) -> BuildTrend:
    build = entry.build
    numbers, tally = build.numbers, build.tally
    met = numbers.requirements if numbers else None
    return BuildTrend(
        build.label,
        build.id,
        build.moment,
        build.verdict,
        tally.total,
        tally.failed + tally.errored,
        entry.new,
        entry.failing_again,
        entry.still_failing,
        entry.flaky,
        numbers.took_s if numbers else None,
        numbers.load_p95_s if numbers else None,
        numbers.error_share if numbers else None,
        list(numbers.failed_rules) if numbers else [],
        met[0] if met else None,
        met[1] if met else None,
    )


def _days(seconds: float | None) -> float | None:
    return None if seconds is None else round(seconds / 86_400, 2)


def trends_table(trends: Iterable[Trend], how: TablesAs) -> OutputFile:
    """Return the four lists of some series as one table. Raises UsageError where a package is missing."""
    writer = TablesWriter(how)
    writer.check()
    return OutputFile("", writer.content(TREND_COLUMNS, (row for trend in trends for row in _rows(trend))))


def _rows(trend: Trend) -> Iterator[Row]:
    series = trend.newest.series
    for at, check in enumerate(trend.flaky, 1):
        counts = (check.owner, check.unsteady, check.runs, None, None, check.last, None, check.lost_s)
        yield series, "flaky", at, check.id, check.name, *counts, *_NO_CHANGE
    for at, failure in enumerate(trend.failing, 1):
        since = (failure.since, None, _days(failure.span_s), None)
        yield (
            series,
            "failing",
            at,
            failure.id,
            failure.name,
            failure.owner,
            failure.builds,
            None,
            None,
            *since,
            *_NO_CHANGE,
        )
    for at, change in enumerate(trend.slower, 1):
        share = (change.since, None, None, None, change.change, change.low, change.high)
        yield series, "slower", at, change.id, change.name, None, change.lasts, None, None, *share
    for at, cause in enumerate(trend.causes, 1):
        counts_of_cause = (cause.builds, None, cause.failures, None, cause.last, None, cause.took_s)
        yield series, "cause", at, cause.key, cause.name, None, *counts_of_cause, *_NO_CHANGE
