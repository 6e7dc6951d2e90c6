"""A chart of what requests took at each number of users."""

from collections.abc import Iterator, Sequence
from itertools import chain

from plain_verdict.model import LoadRun, UserLevel
from plain_verdict.report.charts import LEFT, RIGHT, Chart, LinearAxis, LogAxis, Mark, Outline, points
from plain_verdict.text.formatting import format_duration, format_failed_share

_TOP, _BOTTOM = 18.0, 148.0


def carried(load: LoadRun) -> Chart:
    """Return the chart that asks how many users the service can carry; for runs in which users vary."""
    levels = load.levels
    width = (RIGHT - LEFT) / len(levels)
    middles = [round(LEFT + (at + 0.5) * width, 1) for at in range(len(levels))]
    times = list(filter(None, chain.from_iterable((level.p50_s, level.p95_s) for level in levels)))
    y = LogAxis(min(times, default=0.001), max(times, default=1.0), _TOP, _BOTTOM)
    rates = LinearAxis(max(level.per_second for level in levels), _TOP, _BOTTOM)
    lines = [
        *_outline("users", middles, [rates.at(level.per_second) for level in levels]),
        *_outline("median", middles, [y.at(level.p95_s) if level.p95_s else None for level in levels]),
    ]
    lines_of_grid = y.lines()
    heads = ("Users", "Requests", "Requests/s", "Failed", "Median", "p95")
    rows = [_row(level) for level in levels]
    marks = [Mark(LEFT - 6, at + 4, words, "end") for at, words in lines_of_grid]
    marks += [Mark(x, _BOTTOM + 18, users_label(level), "middle") for x, level in zip(middles, levels, strict=True)]
    marks += _ends(levels[-1], y, rates)
    return Chart(
        name="users",
        title="How many users does it carry?",
        aside="p95 of answered requests by users at once; dashed: requests/s",
        words=_words(levels),
        height=_BOTTOM + 26,
        grid=tuple(at for at, _ in lines_of_grid),
        lines=tuple(lines),
        marks=tuple(marks),
        table=(heads, *rows),
        steps=(heads, *rows),
    )


def _ends(last: UserLevel, y: LogAxis, rates: LinearAxis) -> Iterator[Mark]:
    """Yield what the two lines are called, at their ends."""
    if last.p95_s:
        yield Mark(RIGHT, y.at(last.p95_s) + 16, "p95", "end", "label")
    yield Mark(RIGHT, rates.at(last.per_second) - 6, f"{last.per_second:,.3g} requests/s", "end", "label")


def _outline(style: str, middles: Sequence[float], values: Sequence[float | None]) -> list[Outline]:
    """Return the line through the values that are known; none where there is but one."""
    known = [(x, at) for x, at in zip(middles, values, strict=True) if at is not None]
    return [Outline(style, points(known))] if len(known) > 1 else []


def users_label(level: UserLevel) -> str:
    """Return the users of a level in words."""
    return f"{level.users:,}" if level.users == level.most_users else f"{level.users:,}–{level.most_users:,}"


def _row(level: UserLevel) -> tuple[str, ...]:
    return (
        users_label(level),
        f"{level.requests:,}",
        f"{level.per_second:,.3g}",
        format_failed_share(level.failed / level.requests if level.requests else 0.0),
        format_duration(level.p50_s) or "–",
        format_duration(level.p95_s) or "–",
    )


def _words(levels: tuple[UserLevel, ...]) -> str:
    known = [level for level in levels if level.p95_s]
    if len(known) < 2:
        return "Too few requests at each number of users."
    first, last = known[0], known[-1]
    most = max(known, key=lambda level: level.per_second)
    return (
        f"p95 {format_duration(first.p95_s)} with {users_label(first)} users, {format_duration(last.p95_s)} with"
        f" {users_label(last)}. Highest throughput: {most.per_second:,.3g} requests/s with"
        f" {users_label(most)} users."
    )
