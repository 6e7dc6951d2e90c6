"""The overview of a load run: its targets, its charts, the numbers of its requests, and what failed."""

from collections.abc import Iterator, Sequence

import msgspec

from plain_verdict.model import Check, Kind, LoadRun, Outcome, Percentile, RequestNumbers, Run
from plain_verdict.report.charts import Chart
from plain_verdict.report.load.carried import carried
from plain_verdict.report.load.changes import COMPARED, ChangeRow, changed, changes_of
from plain_verdict.report.load.heat import heat_map
from plain_verdict.report.load.over_time import over_time, throughput
from plain_verdict.report.load.spread import spread
from plain_verdict.report.ranges import Range, RangeScale
from plain_verdict.text.formatting import format_day, format_duration, format_failed_share, format_span, plural

_FEW_TARGETS = 3
MOST_REQUESTS = 300  # rows of the page; the tables have all


class RequestRow(msgspec.Struct, frozen=True):
    """A request with its numbers and its range of times."""

    numbers: RequestNumbers
    range: Range | None
    failed: str


class LoadOverview(msgspec.Struct, frozen=True):
    """The overview of a load run."""

    lead: str
    targets: tuple[Check, ...]
    charts: tuple[Chart, ...]
    rows: tuple[RequestRow, ...]
    more: int
    scale: str
    whole: RequestRow
    hints: tuple[str, ...]
    changes: tuple[ChangeRow, ...]
    changed: str
    failures: tuple[str, ...]
    notes: tuple[str, ...]
    heat: Chart | None
    run: LoadRun

    @property
    def targets_to_read(self) -> list[Check]:
        """Return the targets that stand open: those not met, or all where they are few."""
        if len(self.targets) <= _FEW_TARGETS:
            return list(self.targets)
        return [check for check in self.targets if check.outcome is not Outcome.PASSED]

    @property
    def targets_met(self) -> list[Check]:
        """Return the other targets."""
        return [check for check in self.targets if check not in self.targets_to_read]

    @property
    def changes_to_read(self) -> list[ChangeRow]:
        """Return the significant changes, or all where none is."""
        return [row for row in self.changes if row.change.certain] or list(self.changes)

    @property
    def changes_not_certain(self) -> list[ChangeRow]:
        """Return the other changes."""
        return [row for row in self.changes if row not in self.changes_to_read]


def load_overview(run: Run) -> LoadOverview | None:
    """Return the overview of the load run; None where there is none."""
    load = run.load
    if load is None:
        return None
    targets = tuple(check for check in run.checks.detailed if check.kind is Kind.LOAD)
    shown = load.requests[:MOST_REQUESTS]
    scale = RangeScale([(request.least_s, request.longest_s) for request in (*shown, load.whole)])
    return LoadOverview(
        lead=" ".join(_lead(load, targets)),
        targets=tuple(sorted(targets, key=lambda check: list(Outcome).index(check.outcome))),
        charts=tuple(charts_of(load)),
        rows=tuple(_row(request, scale) for request in shown),
        more=len(load.requests) - len(shown),
        scale=scale.words,
        whole=_row(load.whole, scale),
        hints=tuple(_hints(load)),
        changes=tuple(changes_of(load.compared)) if load.compared else (),
        changed=changed(load.compared) if load.compared else "",
        failures=tuple(_failures(load)),
        notes=load.notes,
        heat=heat_map(load.heat) if load.heat else None,
        run=load,
    )


def _lead(load: LoadRun, targets: Sequence[Check]) -> Iterator[str]:
    users = f", at most {plural(load.users_most, 'user')} at once" if load.users_most else ""
    machines = f", from {plural(len(load.paths), 'file')}" if len(load.paths) > 1 else ""
    rate = f"{load.per_second:,.0f}" if load.per_second >= 10 else f"{load.per_second:.1f}"
    yield (
        f"{plural(load.rows, 'request')} in {format_duration(load.span_s)}{machines}{users}, {rate} requests/s"
        f" ({format_day(load.started)}, {format_span(load.started, load.ended)})."
    )
    whole = load.whole
    p95 = whole.percentile(95.0)
    if p95.value_s is not None:
        half = whole.percentile(50.0).value_s
        yield f"Median {format_duration(half)}, 95th percentile {described(p95)}."
        yield from _since(load, whole.name)
    failed = (
        "No request failed."
        if not whole.failed
        else f"{format_failed_share(whole.failed_share)} of all requests failed."
    )
    yield failed
    if not targets:
        yield "No condition sets a target, so nothing is judged here."
    if load.left_out:
        yield f"{plural(load.left_out, 'request')} at the beginning are not counted: the settings leave them out."
    if load.bad_rows:
        yield f"{plural(load.bad_rows, 'row')} could not be read."


def _since(load: LoadRun, request: str) -> Iterator[str]:
    """Yield the p95 of the run that this one is compared with."""
    change = load.compared.of(request, COMPARED) if load.compared else None
    if load.compared and change:
        day = f"{load.compared.started.day} {load.compared.started:%B}"
        before = f"p95 in the run of {day}: {format_duration(change.before_s)}"
        if change.low_s is None:
            yield f"{before} (too short, or too few requests to compare)."
        else:
            slower = "significantly slower" if change.share > 0 else "significantly faster"
            yield f"{before} ({slower if change.certain else 'no significant change'})."


def _hints(load: LoadRun) -> Iterator[str]:
    """Yield what may be behind the numbers."""
    window, start = load.error_window, load.slow_start
    if window:
        others = "none at other times"
        if window.failed_outside:
            others = f"{format_failed_share(window.failed_outside / window.count_outside)} at other times"
        yield (
            f"Failures cluster from {window.started:%H:%M:%S} to {window.ended:%H:%M:%S}: "
            f"{window.failed:,} of {plural(window.count, 'request')}, {others}."
        )
    if load.pauses:
        longest = load.pauses[0]
        others = f", and {plural(len(load.pauses) - 1, 'more time')}" if len(load.pauses) > 1 else ""
        yield (
            f"No request was started for {format_duration(longest.span_s)} from {longest.started:%H:%M:%S}{others},"
            " though requests were open. Clients that wait for an answer measure fewer slow requests than users"
            " would see."
        )
    if load.waiting:
        yield (
            f"On average {load.waiting.waiting:,.2g} of {load.waiting.users:,.0f} users waited for an answer;"
            " the others paused between requests."
        )
    if start:
        yield (
            f"The first {format_duration(start.span_s)} look like a warm-up: median "
            f"{format_duration(start.early_s)}, and {format_duration(start.rest_s)} after. They are counted."
        )


def described(found: Percentile) -> str:
    """Return a percentile in words, with its confidence interval where that is known."""
    if found.value_s is None:
        return "not known (too few requests)"
    value = format_duration(found.value_s)
    if found.low_s is None or found.high_s is None:
        return value
    low, high = format_duration(found.low_s), format_duration(found.high_s)
    return value if low == high else f"{value} (95 % CI {low} to {high})"


def _row(request: RequestNumbers, scale: RangeScale) -> RequestRow:
    p50, p95 = request.percentile(50.0).value_s, request.percentile(95.0).value_s
    return RequestRow(
        request,
        scale.range_of(request.least_s, p50, p95, request.longest_s),
        format_failed_share(request.failed_share),
    )


def _failures(load: LoadRun) -> Iterator[str]:
    """Yield what failed requests say, the most frequent first."""
    for status, message, times in load.messages:
        yield f"{', '.join(filter(None, (status, message))) or 'no reason given'} × {times:,}"


def charts_of(load: LoadRun) -> Iterator[Chart]:
    """Yield the charts of a run, each of which answers one question."""
    if load.whole.count > load.whole.failed:
        yield over_time(load)
    yield throughput(load)
    if load.density.shares:
        yield spread(load)
    if load.levels:
        yield carried(load)
