"""What is told of a load run: its targets, its charts, the numbers of its requests, and what failed."""

import math
from collections.abc import Iterator, Sequence

import msgspec

from plain_verdict.model import Change, Check, Comparison, Kind, LoadRun, Outcome, Percentile, RequestNumbers, Run
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
from plain_verdict.report.ranges import Range, RangeScale, round_numbers_between
from plain_verdict.text.formatting import (
    format_day,
    format_duration,
    format_failed_share,
    format_span,
    join_list,
    plural,
)

MOST_REQUESTS = 300
_TABLE_ROWS = 16
_MOST_BOUNDS = 2
_COMPARED = 95.0
_TOP, _BOTTOM = 14.0, 224.0


class RequestRow(msgspec.Struct, frozen=True):
    """A request with its numbers and its range of times."""

    numbers: RequestNumbers
    range: Range | None
    failed: str


class ChangeRow(msgspec.Struct, frozen=True):
    """What 95 % of a request took before and now, in words; and the interval's place in a drawing, 0 to 190."""

    change: Change
    words: str
    by: str
    low: float | None
    high: float | None
    middle: float

    @property
    def is_slower(self) -> bool:
        """Return whether it is slower for certain."""
        return self.change.certain and self.change.share > 0


class LoadOverview(msgspec.Struct, frozen=True):
    """All that is told of a load run."""

    lead: str
    targets: tuple[Check, ...]
    charts: tuple[Chart, ...]
    rows: tuple[RequestRow, ...]
    untold: int
    scale: str
    whole: RequestRow
    hints: tuple[str, ...]
    changes: tuple[ChangeRow, ...]
    changed: str
    failures: tuple[str, ...]
    notes: tuple[str, ...]
    run: LoadRun


def tell_load(run: Run) -> LoadOverview | None:
    """Return what is told of the load run; None where there is none."""
    load = run.load
    if load is None:
        return None
    targets = tuple(check for check in run.checks if check.kind is Kind.LOAD)
    shown = load.requests[:MOST_REQUESTS]
    scale = RangeScale([(request.least_s, request.longest_s) for request in (*shown, load.whole)])
    return LoadOverview(
        lead=" ".join(_lead(load, targets)),
        targets=tuple(sorted(targets, key=lambda check: list(Outcome).index(check.outcome))),
        charts=tuple(_charts(load)),
        rows=tuple(_row(request, scale) for request in shown),
        untold=len(load.requests) - len(shown),
        scale=scale.words,
        whole=_row(load.whole, scale),
        hints=tuple(_hints(load)),
        changes=tuple(_changes(load.compared)) if load.compared else (),
        changed=_changed(load, load.compared) if load.compared else "",
        failures=tuple(_failures(load)),
        notes=load.notes,
        run=load,
    )


def _lead(load: LoadRun, targets: Sequence[Check]) -> Iterator[str]:
    users = f", at most {plural(load.users_most, 'user')} at once" if load.users_most else ""
    machines = f", from {plural(len(load.paths), 'file')}" if len(load.paths) > 1 else ""
    rate = f"{load.per_second:,.0f}" if load.per_second >= 10 else f"{load.per_second:.1f}"
    yield (
        f"{plural(load.rows, 'request')} in {format_duration(load.span_s)}{machines}{users}, {rate} a second"
        f" ({format_day(load.started)}, {format_span(load.started, load.ended)})."
    )
    whole = load.whole
    p95 = whole.percentile(95.0)
    if p95.value_s is not None:
        half = whole.percentile(50.0).value_s
        yield f"Half of what was answered took up to {format_duration(half)}, 95 % up to {described(p95)}."
        yield from _since(load, whole.name)
    failed = "None failed." if not whole.failed else f"{format_failed_share(whole.failed_share)} of all failed."
    yield failed
    if not targets:
        yield "No target says what is fast enough, so nothing is judged here."
    if load.bad_rows:
        yield f"{plural(load.bad_rows, 'row')} could not be read."


def _since(load: LoadRun, request: str) -> Iterator[str]:
    """Yield what 95 % took in the run that this one is compared with."""
    change = load.compared.of(request, _COMPARED) if load.compared else None
    if load.compared and change:
        day = f"{load.compared.started.day} {load.compared.started:%B}"
        before = f"In the run of {day} it was {format_duration(change.before_s)}"
        if change.low_s is None:
            yield f"{before}; that is too short to tell whether it changed."
        else:
            much = "more than chance explains" if change.certain else "no more than chance explains"
            yield f"{before}, and that is {much}."


def _hints(load: LoadRun) -> Iterator[str]:
    """Yield what may be behind the numbers."""
    window, start = load.error_window, load.slow_start
    if window:
        others = "none outside"
        if window.failed_outside:
            others = f"{format_failed_share(window.failed_outside / window.count_outside)} outside"
        yield (
            f"Failed requests gather from {window.started:%H:%M:%S} to {window.ended:%H:%M:%S}: "
            f"{window.failed:,} of {plural(window.count, 'request')} there, {others}."
        )
    if start:
        yield (
            f"The first {format_duration(start.span_s)} look like a warm-up: half of all took up to "
            f"{format_duration(start.early_s)} there, and {format_duration(start.rest_s)} after. They are counted."
        )


def described(found: Percentile) -> str:
    """Return a percentile in words, with how far chance reaches where that is known and can be told."""
    if found.value_s is None:
        return "too few to tell"
    value = format_duration(found.value_s)
    if found.low_s is None or found.high_s is None:
        return value
    low, high = format_duration(found.low_s), format_duration(found.high_s)
    return value if low == high else f"{value} (between {low} and {high}, as far as chance goes)"


def _row(request: RequestNumbers, scale: RangeScale) -> RequestRow:
    p50, p95 = request.percentile(50.0).value_s, request.percentile(95.0).value_s
    return RequestRow(
        request,
        scale.range_of(request.least_s, p50, p95, request.longest_s),
        format_failed_share(request.failed_share),
    )


def _changed(load: LoadRun, compared: Comparison) -> str:
    """Return what an earlier run was like, in a sentence."""
    before = (
        f"{format_failed_share(compared.failed_before)} failed then"
        if compared.failed_before
        else "none failed then"
    )
    now = f"{format_failed_share(load.whole.failed_share)} now"
    parts = [f"Compared with the run of {format_day(compared.started)}: {before}, {now}"]
    parts.append(f"{compared.per_second_before:,.1f} requests a second then, {load.per_second:,.1f} now")
    for names, words in ((compared.new, "new"), (compared.gone, "not sent any more")):
        if names:
            parts.append(f"{join_list(names)} {'is' if len(names) == 1 else 'are'} {words}")
    return "; ".join(parts) + "."


def _changes(compared: Comparison) -> Iterator[ChangeRow]:
    """Yield what 95 % took before and now, what is certain first."""
    own = [one for one in compared.changes if one.per_cent == _COMPARED]
    reach = max((abs(end) for one in own for end in (one.low_s or 0.0, one.high_s or 0.0)), default=0.0) or 1.0

    def at(seconds: float) -> float:
        return round(95 + 90 * max(-1.0, min(1.0, seconds / reach)), 1)

    for one in sorted(own, key=lambda one: (not one.certain, -abs(one.share))):
        words = "too short to tell" if one.low_s is None else "no more than chance explains"
        if one.certain:
            words = "slower, more than chance explains" if one.share > 0 else "faster, more than chance explains"
        by = one.now_s - one.before_s
        said = f"{'+' if by >= 0 else '−'}{format_duration(abs(by))}"
        if one.low_s is not None and one.high_s is not None:
            said += f" ({_signed(one.low_s)} to {_signed(one.high_s)})"
        low, high = (None if end is None else at(end) for end in (one.low_s, one.high_s))
        yield ChangeRow(one, words, said, low, high, at(by))


def _signed(seconds: float) -> str:
    return f"{'+' if seconds >= 0 else '−'}{format_duration(abs(seconds))}"


def _failures(load: LoadRun) -> Iterator[str]:
    """Yield what failed requests say, the most frequent first."""
    for status, message, times in load.messages:
        yield f"{', '.join(filter(None, (status, message))) or 'for no reason that is told'} × {times:,}"


def _charts(load: LoadRun) -> Iterator[Chart]:
    if load.whole.count > load.whole.failed:
        yield _over_time(load)
    yield _throughput(load)
    if load.density.shares:
        yield _spread(load)


def _over_time(load: LoadRun) -> Chart:
    """Return the chart that asks whether it got slower as it went on."""
    series = load.series
    axis = TimeAxis(series.started, series.step_s, len(series.counts))
    times = [one for several in (series.p50_s, series.p95_s, series.p99_s) for one in several if one]
    y = LogAxis(min(times), max((*times, *(bound.seconds for bound in load.bounds))), _TOP, _BOTTOM)
    lines = y.lines()
    bounds = [bound for bound in load.bounds if bound.per_cent == 95.0][:_MOST_BOUNDS]
    marks = [Mark(LEFT - 6, at + 4, words, "end") for at, words in lines]
    marks += [Mark(RIGHT, y.at(bound.seconds) - 5, bound.words, "end", "label") for bound in bounds]
    marks += [*axis.ticks(_BOTTOM + 18), *_labels(series.p50_s, series.p95_s, series.p99_s, axis, y)]
    heads = ("From", "Requests", "Half within", "95 % within", "99 % within")
    rows = [
        (
            axis.clock(at),
            f"{count:,}",
            *(format_duration(one[at]) or "–" for one in (series.p50_s, series.p95_s, series.p99_s)),
        )
        for at, count in enumerate(series.counts)
    ]
    return Chart(
        title="Did it get slower as it went on?",
        aside=f"answered requests, each {format_duration(series.step_s)}",
        words=_trend(series.p50_s),
        height=_BOTTOM + 26,
        grid=tuple(at for at, _ in lines),
        bars=tuple(_window(load, axis, _TOP, _BOTTOM)),
        areas=(
            *_bands("tail", series.p95_s, series.p99_s, axis, y),
            *_bands("most", series.p50_s, series.p95_s, axis, y),
        ),
        lines=tuple(Outline("median", points(run)) for run in _lines(series.p50_s, axis, y)),
        limits=tuple(y.at(bound.seconds) for bound in bounds),
        marks=tuple(marks),
        table=(heads, *thinned(rows, _TABLE_ROWS)),
    )


def _trend(medians: Sequence[float | None]) -> str:
    """Return how the median of the first quarter compares with that of the last."""
    known = [one for one in medians if one is not None]
    quarter = max(1, len(known) // 4)
    first, last = sorted(known[:quarter])[quarter // 2], sorted(known[-quarter:])[quarter // 2]
    began, ended = format_duration(first), format_duration(last)
    return f"The median went from {began} in the first quarter to {ended} in the last."


Values = Sequence[float | None]


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
    both: list[float | None] = [one if other is not None else None for one, other in zip(low, high, strict=True)]
    tops: list[float | None] = [other if one is not None else None for one, other in zip(low, high, strict=True)]
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
    for values, words in ((p50, "half of all"), (p95, "95 %"), (p99, "99 %")):
        value = values[at]
        if value is not None and y.at(value) - 5 < last - 13:
            last = y.at(value) - 5
            yield Mark(axis.middle(at), last, words, style="label")


def _throughput(load: LoadRun) -> Chart:
    """Return the chart that asks how much was done, and when it failed."""
    series = load.series
    axis = TimeAxis(series.started, series.step_s, len(series.counts))
    top, bottom = 18.0, 104.0
    most = max(series.counts) / series.step_s
    y = LinearAxis(most, top, bottom)
    width = round(max(axis.width - 0.8, 0.5), 2)
    bars = []
    for at, (count, failed) in enumerate(zip(series.counts, series.failed, strict=True)):
        for style, number in (("sent", count), ("failed", failed)):
            if number:
                place = y.at(number / series.step_s)
                bars.append(Bar(style, axis.left(at), place, width, round(max(bottom - place, 0.5), 1)))
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
    words = f"At most {most:,.0f} requests a second were started."
    if series.failed[worst]:
        words += f" Most failed at {axis.clock(worst)}: {series.failed[worst]:,} of {series.counts[worst]:,}."
    rows = [
        (axis.clock(at), f"{count:,}", f"{failed:,}", "–" if users is None else f"{users:,}")
        for at, (count, failed, users) in enumerate(zip(series.counts, series.failed, series.users, strict=True))
    ]
    return Chart(
        title="How much was done, and when did it fail?",
        aside="requests a second, failed ones below" + (", and the users who sent them" if lines else ""),
        words=words,
        height=bottom + 24,
        grid=(top, (top + bottom) / 2),
        bars=(*_window(load, axis, top, bottom), *bars),
        lines=tuple(lines),
        marks=(*marks, *axis.ticks(bottom + 18)),
        table=(("From", "Requests", "Failed", "Users"), *thinned(rows, _TABLE_ROWS)),
    )


def _users(load: LoadRun, axis: TimeAxis, top: float, bottom: float) -> Iterator[Outline]:
    if not load.users_most:
        return
    y = LinearAxis(load.users_most, top, bottom)
    y.most = float(load.users_most)
    known = [(axis.middle(at), y.at(users)) for at, users in enumerate(load.series.users) if users is not None]
    if len(known) > 1:
        yield Outline("users", points(known))


def _spread(load: LoadRun) -> Chart:
    """Return the chart that asks what most callers saw, and how far the tail reaches."""
    edges, shares = load.density.edges_s, load.density.shares
    top, bottom = 18.0, 124.0
    y = LinearAxis(max(shares) * 100, top, bottom)
    width = (RIGHT - LEFT) / len(shares)
    bars = tuple(
        Bar(
            "sent",
            round(LEFT + at * width, 1),
            y.at(100 * one),
            round(max(width - 0.8, 0.5), 2),
            round(bottom - y.at(100 * one), 1),
        )
        for at, one in enumerate(shares)
        if one
    )
    low, high = edges[0], edges[-1]

    def x(seconds: float) -> float:
        return round(LEFT + (RIGHT - LEFT) * math.log(seconds / low) / math.log(high / low), 1)

    ticks = [
        Mark(x(seconds), bottom + 18, format_duration(seconds), "middle")
        for seconds in round_numbers_between(low, high)
    ]
    told = [(per_cent, load.whole.percentile(per_cent).value_s) for per_cent in (50.0, 95.0, 99.0)]
    known = [(per_cent, seconds) for per_cent, seconds in told if seconds is not None and low <= seconds <= high]
    lines = tuple(Outline("median", points([(x(seconds), top), (x(seconds), bottom)])) for _, seconds in known)
    labels = [Mark(x(seconds), top - 5, f"{per_cent:g} %", "middle", "label") for per_cent, seconds in known]
    words = ", ".join(f"{per_cent:g} % took up to {format_duration(seconds)}" for per_cent, seconds in known)
    longest = load.whole.longest_s
    rows = [
        (f"{format_duration(edges[at])} to {format_duration(edges[at + 1])}", f"{100 * one:.2g} %")
        for at, one in enumerate(shares)
    ]
    return Chart(
        title="What did most callers see, and how far does the tail reach?",
        aside="share of answered requests for each eighth of a doubling of the time",
        words=f"{words}; the longest {format_duration(longest)}."
        if words
        else f"The longest took {format_duration(longest)}.",
        height=bottom + 24,
        grid=(top, (top + bottom) / 2),
        bars=bars,
        lines=lines,
        marks=(
            Mark(LEFT - 6, top + 4, f"{y.most:g} %", "end"),
            Mark(LEFT - 6, (top + bottom) / 2 + 4, f"{y.most / 2:g} %", "end"),
            *ticks,
            *labels,
        ),
        table=(("Took", "Share"), *thinned(rows, _TABLE_ROWS)),
    )
