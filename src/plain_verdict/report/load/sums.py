"""The overview of load results that other tools summed up, and of the team's own numbers."""

from collections.abc import Iterator

import msgspec

from plain_verdict.model import Check, Kind, Metric, Outcome, Reported, Run, SumChange
from plain_verdict.report.charts import points
from plain_verdict.text.formatting import (
    format_change,
    format_day,
    format_duration,
    format_failed_share,
    format_metric,
    format_span,
    plural,
)

_MOST_METRICS = 500
_COMPARED = (95.0,)
"""Percentiles of two runs beside each other: the table is read at once."""
_WIDTH, _HEIGHT = 190.0, 20.0
_STATE_WORDS = {Outcome.PASSED: ("met", "Met"), Outcome.FAILED: ("not-met", "Not met")}


class SumRow(msgspec.Struct, frozen=True):
    """A request of two runs, each number before and now in words; "" where one of them does not tell it."""

    name: str
    cells: tuple[tuple[str, str], ...]
    """The number, and what it was and is."""


class ReportedFile(msgspec.Struct, frozen=True):
    """One summary: in words, which percentiles it has, and how an earlier one was."""

    reported: Reported
    words: str
    per_cents: tuple[float, ...]
    compared: tuple[SumRow, ...]


class ReportedOverview(msgspec.Struct, frozen=True):
    """All that other tools summed up."""

    lead: str
    requests: int
    files: tuple[ReportedFile, ...]
    targets: str


class MetricRow(msgspec.Struct, frozen=True):
    """A metric with its numbers in words, and its means over time as lines of a chart."""

    metric: Metric
    least: str
    mean: str
    p95: str
    longest: str
    lines: tuple[str, ...]
    words: str


class MetricTarget(msgspec.Struct, frozen=True):
    """A target on a metric: its state as a class and as a word, and what was met."""

    name: str
    state: str
    word: str
    met: str


class MetricsOverview(msgspec.Struct, frozen=True):
    """All metrics."""

    rows: tuple[MetricRow, ...]
    more: int
    targets: tuple[MetricTarget, ...]


def reported_overview(run: Run) -> ReportedOverview | None:
    """Return the overview of summaries; None where there is none."""
    if not run.reported:
        return None
    files = plural(len(run.reported), "file")
    lead = f"Another tool computed these numbers and percentiles ({files}), so no confidence intervals are known."
    if len(run.reported) > 1:
        lead += " Percentiles of several files can't be merged, so each file is shown by itself."
    targets = [check for check in run.checks.detailed if check.kind is Kind.LOAD] if run.load is None else []
    kept = sum(check.outcome is Outcome.PASSED for check in targets)
    return ReportedOverview(
        lead=lead,
        requests=sum(reported.whole.count for reported in run.reported),
        files=tuple(map(_file, run.reported)),
        targets=f"{kept:,} of {plural(len(targets), 'target')} met." if targets else "",
    )


def _file(reported: Reported) -> ReportedFile:
    whole = reported.whole
    when = ""
    if reported.started:
        when = f", {format_day(reported.started)}, {format_span(reported.started, reported.ended)}"
    failed = f"{format_failed_share(whole.failed_share)} failed" if whole.failed else "none failed"
    per_cents = {
        percentile.per_cent for request in (*reported.requests, whole) for percentile in request.percentiles
    }
    words = f"{plural(whole.count, 'request')}{when}; {failed}."
    return ReportedFile(reported, words, tuple(sorted(per_cents)), tuple(map(_sum_row, reported.compared)))


def _sum_row(change: SumChange) -> SumRow:
    before, now = change.before, change.now
    times = [("Mean", before.mean_s, now.mean_s)]
    times += [
        (f"p{per_cent:g}", before.percentile(per_cent).value_s, now.percentile(per_cent).value_s)
        for per_cent in _COMPARED
    ]
    cells = [(name, _beside(old_s, new_s)) for name, old_s, new_s in times]
    failed = f"{format_failed_share(before.failed_share)} → {format_failed_share(now.failed_share)}"
    return SumRow(now.name, (*cells, ("Failed", failed)))


def _beside(old_s: float | None, new_s: float | None) -> str:
    if old_s is None or new_s is None:
        return ""
    share = f" ({format_change(100 * (new_s / old_s - 1))} %)" if old_s else ""
    return f"{format_duration(old_s)} → {format_duration(new_s)}{share}"


def metrics_overview(run: Run) -> MetricsOverview | None:
    """Return the overview of metrics; None where there is none."""
    if not run.metrics:
        return None
    names = {metric.name.casefold() for metric in run.metrics}
    targets = [check for check in run.checks.detailed if check.kind is Kind.LOAD and _name_in(check, names)]
    rows = tuple(map(_row, run.metrics[:_MOST_METRICS]))
    return MetricsOverview(rows, len(run.metrics) - len(rows), tuple(map(_target, targets)))


def _name_in(check: Check, names: set[str]) -> bool:
    """Return whether a target is one on a metric: its name begins with a metric's."""
    name = check.name.casefold()
    return any(name.startswith((f"{prefix}:", f"{prefix},")) for prefix in names)


def _target(check: Check) -> MetricTarget:
    state, word = _STATE_WORDS.get(check.outcome, ("open", "Open"))
    last = check.last
    met = (last.problems[0].actual if last.problems else last.reason) or ""
    return MetricTarget(check.name, state, word, met)


def _row(metric: Metric) -> MetricRow:
    least, mean, longest = (format_metric(number, "") for number in (metric.least, metric.mean, metric.longest))
    p95 = "" if metric.p95 is None else format_metric(metric.p95, "")
    words = ""
    if metric.series:
        known = [number for number in metric.series if number is not None]
        words = f"from {format_metric(known[0], metric.unit)} to {format_metric(known[-1], metric.unit)}"
    return MetricRow(metric, least, mean, p95, longest, tuple(_lines(metric)), words)


def _lines(metric: Metric) -> Iterator[str]:
    """Yield the unbroken parts of a metric's means over time, as points of a chart."""
    known = [step for step in metric.series if step is not None]
    if len(known) < 2:
        return
    low, high = min(known), max(known)
    width = _WIDTH / max(1, len(metric.series) - 1)
    part: list[tuple[float, float]] = []
    for at, value in enumerate((*metric.series, None)):
        if value is not None:
            share = (value - low) / (high - low) if high > low else 0.5
            part.append((round(at * width, 1), round(2 + _HEIGHT * (1 - share), 1)))
        elif part:
            yield points(part if len(part) > 1 else [*part, (part[0][0] + 2, part[0][1])])
            part = []
