"""What a series says over many builds, in words: a sentence, a few numbers, four lists."""

from collections.abc import Iterator

import msgspec

from plain_verdict.model import LevelChange, VerdictWord
from plain_verdict.model.trends import CostlyCause, FlakyCheck, LongFailure, Trend, TrendBuild
from plain_verdict.report.history import describe_level
from plain_verdict.text.formatting import format_days, format_duration, format_share, join_list, plural

FLAKY, FAILING, SLOWER, CAUSES = "Most flaky", "Longest failing", "Slowing down", "Causes that cost most"


class TrendLine(msgspec.Struct, frozen=True):
    """A line of a list: the id of its check, or "", its name, the build whose page shows it, and words."""

    id: str
    name: str
    build: str
    words: str


class TrendList(msgspec.Struct, frozen=True):
    """A list: its name, its lines, how many more there are, and the words for an empty one."""

    name: str
    lines: tuple[TrendLine, ...]
    more: int
    nothing: str


def trend_lists(trend: Trend, most: int) -> tuple[TrendList, ...]:
    """Return the four lists of a series, each with its first entries."""
    newest = trend.newest.label
    known = plural(len(trend.builds), "build")
    listed = (
        (FLAKY, [_flaky(check) for check in trend.flaky[:most]], "No flaky check."),
        (FAILING, [_failing(check, newest) for check in trend.failing[:most]], "No failing check."),
        (SLOWER, [_slower(change, newest) for change in trend.slower[:most]], "No check is slower than usual."),
        (CAUSES, [_cause(cause) for cause in trend.causes[:most]], f"No cause in {known}."),
    )
    return tuple(
        TrendList(name, tuple(lines), found - len(lines), nothing)
        for (name, lines, nothing), found in zip(listed, trend.found, strict=True)
    )


def _flaky(check: FlakyCheck) -> TrendLine:
    words = f"failed or retried in {check.unsteady:,} of {plural(check.runs, 'run')}"
    if check.lost_s:
        words += f", {format_duration(check.lost_s)} lost"
    return TrendLine(check.id, check.name, check.last, _owned(words, check.owner))


def _failing(check: LongFailure, newest: str) -> TrendLine:
    if check.builds == 1 and not check.is_older:
        return TrendLine(check.id, check.name, newest, _owned(f"new in {newest}", check.owner))
    since = f"in all {plural(check.builds, 'build')}" if check.is_older else f"since {check.since}"
    parts = [since, *(() if check.is_older else (plural(check.builds, "build"),))]
    if check.span_s:
        parts.append(format_days(check.span_s))
    return TrendLine(check.id, check.name, newest, _owned(", ".join(parts), check.owner))


def _owned(words: str, owner: str) -> str:
    return f"{words}; {owner}" if owner else words


def _slower(change: LevelChange, newest: str) -> TrendLine:
    return TrendLine(change.id, change.name, newest, describe_level(change))


def _cause(cause: CostlyCause) -> TrendLine:
    words = f"{plural(cause.failures, 'failure')} in {plural(cause.builds, 'build')}"
    if cause.took_s:
        words += f", {format_duration(cause.took_s)} of checks"
    return TrendLine("", cause.name, cause.last, f"{words}; last in {cause.last}")


def trend_sentence(trend: Trend) -> str:
    """Return what became of a series: since when it is not fit, what is new."""
    last = trend.builds[-1]
    lead = _since_when(trend)
    counted = [f"{number:,} {what}" for number, what in _counts(trend, last) if number]
    return f"{lead}{': ' if counted else ''}{join_list(counted, most=5)}."


def _since_when(trend: Trend) -> str:
    newest = trend.newest
    if newest.verdict is VerdictWord.FIT:
        return f"Fit in {newest.label}"
    verdict = newest.verdict.value.capitalize()
    if not trend.last_fit:
        return f"{verdict}, and none of {plural(len(trend.builds), 'build')} was fit"
    fit = max(at for at, entry in enumerate(trend.builds) if entry.build.verdict is VerdictWord.FIT)
    first = trend.builds[fit + 1].build.label
    return f"{verdict} in {first}" if first == newest.label else f"{verdict} since {first}"


def _counts(trend: Trend, last: TrendBuild) -> Iterator[tuple[int, str]]:
    yield last.new or 0, "new failure" if last.new == 1 else "new failures"
    yield last.failing_again or 0, "failing again"
    yield last.still_failing or 0, "still failing"
    yield trend.found[0], "flaky"
    yield trend.found[2], "slower than usual"


def trend_numbers(trend: Trend) -> tuple[tuple[str, str], ...]:
    """Return the numbers that stand above the charts, each with what it is."""
    return tuple(filter(None, (_since_fit(trend), _time_to_fix(trend), _with_results(trend))))


def _since_fit(trend: Trend) -> tuple[str, str]:
    if trend.newest.verdict is VerdictWord.FIT:
        return "Fit", f"in the newest build, {trend.newest.label}"
    if trend.since_fit_s is None:
        return "Never", f"fit in {plural(len(trend.builds), 'build')}"
    return format_days(trend.since_fit_s), f"since it was last fit, in {trend.last_fit}"


def _time_to_fix(trend: Trend) -> tuple[str, str] | None:
    fix = trend.time_to_fix
    if fix is None:
        return None
    builds = f"{fix.builds:g} {'build' if fix.builds == 1 else 'builds'}"
    return builds, f"median time to fix, {format_days(fix.span_s)}, of {plural(fix.fixed, 'failure')} fixed"


def _with_results(trend: Trend) -> tuple[str, str] | None:
    if not trend.missing:
        return None
    builds = len(trend.builds) + trend.missing
    return format_share(len(trend.builds), builds), f"of {plural(builds, 'build')} had results"
