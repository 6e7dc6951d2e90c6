"""Charts of a load run over time: what requests took, how many there were, and when they failed."""

from collections.abc import Iterator, Sequence
from itertools import chain

from plain_verdict.model import LoadRun, Series
from plain_verdict.report.charts import (
    LEFT,
    RIGHT,
    Bar,
    Chart,
    LinearAxis,
    LogAxis,
    Mark,
    Outline,
    TimeAxis,
    points,
    thinned,
)
from plain_verdict.text.formatting import format_duration

Values = Sequence[float | None]
_TABLE_ROWS = 16
_MOST_BOUNDS = 2  # more lines hide what they bound
_DRAWN_PER_CENT = 95.0
_TOP, _BOTTOM = 14.0, 200.0


def over_time(load: LoadRun) -> Chart:
    """Return the chart that asks whether it got slower as it went on."""
    series = load.series
    axis = TimeAxis(series.started, series.step_s, len(series.counts))
    times = list(filter(None, chain(series.p50_s, series.p95_s, series.p99_s)))
    y = LogAxis(min(times), max((*times, *(bound.seconds for bound in load.bounds))), _TOP, _BOTTOM)
    lines = y.lines()
    bounds = _bounds(load)
    marks = [Mark(LEFT - 6, at + 4, words, "end") for at, words in lines]
    marks += [Mark(RIGHT, y.at(seconds) - 5, words, "end", "label") for seconds, words in bounds]
    marks += [*axis.ticks(_BOTTOM + 18), *_labels(series.p50_s, series.p95_s, series.p99_s, axis, y)]
    heads = ("From", "Requests", "Median", "p95", "p99")
    rows = [
        (
            axis.clock(at),
            f"{count:,}",
            *(format_duration(seconds[at]) or "–" for seconds in (series.p50_s, series.p95_s, series.p99_s)),
        )
        for at, count in enumerate(series.counts)
    ]
    return Chart(
        name="over-time",
        title="Did response times rise during the run?",
        aside=f"answered requests per {format_duration(series.step_s)}",
        words=_trend(series.p50_s),
        height=_BOTTOM + 26,
        grid=tuple(at for at, _ in lines),
        bars=tuple(_window(load, axis, _TOP, _BOTTOM)),
        areas=(
            *_bands("tail", series.p95_s, series.p99_s, axis, y),
            *_bands("most", series.p50_s, series.p95_s, axis, y),
        ),
        lines=tuple(Outline("median", points(run)) for run in _lines(series.p50_s, axis, y)),
        limits=tuple(y.at(seconds) for seconds, _ in bounds),
        marks=tuple(marks),
        table=(heads, *thinned(rows, _TABLE_ROWS)),
        steps=(heads, *rows),
    )


def _bounds(load: LoadRun) -> list[tuple[float, str]]:
    """Return the bounds on the p95, each once, with its words."""
    found: dict[float, list[str]] = {}
    for bound in load.bounds:
        if bound.per_cent == _DRAWN_PER_CENT:
            found.setdefault(bound.seconds, []).append(bound.words)
    bounds = sorted(found.items())[:_MOST_BOUNDS]
    return [
        (seconds, words[0] if len(words) == 1 else f"p95 at most {format_duration(seconds)}")
        for seconds, words in bounds
    ]


def _trend(medians: Values) -> str:
    """Return how the median of the first quarter compares with that of the last."""
    known = [median for median in medians if median is not None]
    quarter = max(1, len(known) // 4)
    first, last = sorted(known[:quarter])[quarter // 2], sorted(known[-quarter:])[quarter // 2]
    began, ended = format_duration(first), format_duration(last)
    return f"The median went from {began} in the first quarter to {ended} in the last."


def _lines(values: Values, axis: TimeAxis, y: LogAxis) -> Iterator[list[tuple[float, float]]]:
    """Yield the unbroken runs of a line; where nothing is known there is none."""
    run: list[tuple[float, float]] = []
    for at, value in enumerate(values):
        if value is None:
            if run:
                yield run
            run = []
        else:
            run.append((axis.middle(at), y.at(value)))
    if run:
        yield run if len(run) > 1 else [*run, (run[0][0] + 2, run[0][1])]


def _bands(style: str, low: Values, high: Values, axis: TimeAxis, y: LogAxis) -> Iterator[Outline]:
    both: list[float | None] = [
        value_s if other is not None else None for value_s, other in zip(low, high, strict=True)
    ]
    tops: list[float | None] = [
        other if value_s is not None else None for value_s, other in zip(low, high, strict=True)
    ]
    for below, above in zip(_lines(both, axis, y), _lines(tops, axis, y), strict=True):
        yield Outline(style, points([*above, *reversed(below)]))


def _window(load: LoadRun, axis: TimeAxis, top: float, bottom: float) -> Iterator[Bar]:
    """Yield where failed requests gather, as a part of the background."""
    if load.error_window:
        left, right = axis.at(load.error_window.started), axis.at(load.error_window.ended)
        yield Bar("window", left, top, round(max(right - left, 2.0), 1), bottom - top)


def _labels(p50: Values, p95: Values, p99: Values, axis: TimeAxis, y: LogAxis) -> Iterator[Mark]:
    """Yield a word at each line, where it is known and not in the way of another."""
    at = next((at for at in range(len(p50) // 3, len(p50)) if p50[at] is not None), None)
    if at is None:
        return
    last = 1e9
    for values, words in ((p50, "median"), (p95, "p95"), (p99, "p99")):
        value = values[at]
        if value is not None and y.at(value) - 5 < last - 13:
            last = y.at(value) - 5
            yield Mark(axis.middle(at), last, words, style="label")


def _sent_and_failed(series: Series, axis: TimeAxis, y: LinearAxis, bottom: float) -> Iterator[Bar]:
    width = round(max(axis.width - 0.8, 0.5), 2)
    for at, (count, failed) in enumerate(zip(series.counts, series.failed, strict=True)):
        for style, number in (("sent", count), ("failed", failed)):
            if number:
                position = y.at(number / series.step_s)
                yield Bar(style, axis.left(at), position, width, round(max(bottom - position, 0.5), 1))


def throughput(load: LoadRun) -> Chart:
    """Return the chart that asks how much was done, and when it failed."""
    series = load.series
    axis = TimeAxis(series.started, series.step_s, len(series.counts))
    top, bottom = 18.0, 104.0
    most = max(series.counts) / series.step_s
    y = LinearAxis(most, top, bottom)
    marks = [
        Mark(LEFT - 6, top + 4, f"{y.most:,g}/s", "end"),
        Mark(LEFT - 6, (top + bottom) / 2 + 4, f"{y.most / 2:,g}/s", "end"),
    ]
    lines = list(_users(load, axis, top, bottom))
    if lines:
        users = next(at for at in range(len(series.users)) if series.users[at] == load.users_most)
        anchor = "end" if axis.middle(users) > RIGHT * 0.8 else "start"
        marks.append(Mark(axis.middle(users), top - 5, f"users, up to {load.users_most:,}", anchor, "label"))
    worst = max(range(len(series.failed)), key=lambda at: series.failed[at])
    words = f"Peak: {most:,.0f} requests/s."
    if series.failed[worst]:
        words += f" Most failures at {axis.clock(worst)}: {series.failed[worst]:,} of {series.counts[worst]:,}."
    heads = ("From", "Requests", "Failed", "Users")
    rows = [
        (axis.clock(at), f"{count:,}", f"{failed:,}", "–" if users is None else f"{users:,}")
        for at, (count, failed, users) in enumerate(zip(series.counts, series.failed, series.users, strict=True))
    ]
    return Chart(
        name="requests",
        title="How many requests were sent, and when did they fail?",
        aside="requests/s, failed ones below" + (", with the number of users" if lines else ""),
        words=words,
        height=bottom + 24,
        grid=(top, (top + bottom) / 2),
        bars=(*_window(load, axis, top, bottom), *_sent_and_failed(series, axis, y, bottom)),
        lines=tuple(lines),
        marks=(*marks, *axis.ticks(bottom + 18)),
        table=(heads, *thinned(rows, _TABLE_ROWS)),
        steps=(heads, *rows),
    )


def _users(load: LoadRun, axis: TimeAxis, top: float, bottom: float) -> Iterator[Outline]:
    if not load.users_most:
        return
    y = LinearAxis(load.users_most, top, bottom)
    y.most = float(load.users_most)
    known = [(axis.middle(at), y.at(users)) for at, users in enumerate(load.series.users) if users is not None]
    if len(known) > 1:
        yield Outline("users", points(known))
