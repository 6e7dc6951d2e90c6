"""Measures of the requests of a load run: each is found in the numbers of one request, or of all."""

from collections.abc import Callable, Sequence
from typing import NamedTuple

import msgspec

from plain_verdict.judging.measures.interface import (
    COUNT,
    PER_CENT,
    PER_CENT_SLOWER,
    PER_SECOND,
    SECONDS,
    Measure,
    Unit,
)
from plain_verdict.model import Change, Comparison, Metric, RequestNumbers
from plain_verdict.text.formatting import (
    format_change,
    format_duration,
    format_failed_share,
    percentile_name,
    plural,
)

_SCOPE_KEYS = frozenset({"kind", "request"})
_METRIC_KEYS = _SCOPE_KEYS | {"metric"}


class Sent(NamedTuple):
    """Requests that were sent together: one by one, and all; and how long that was, in seconds."""

    requests: Sequence[RequestNumbers]
    whole: RequestNumbers
    span_s: float | None = None
    compared: Comparison | None = None
    source: str = ""
    """Their file, where another has requests, too."""


class LoadMeasure(msgspec.Struct, frozen=True):
    """How a measure is found in the numbers of a request, and said."""

    unit: Unit
    find: Callable[[RequestNumbers, Sent], float | None]
    noun: str
    describe: Callable[[RequestNumbers, float], str]
    missing: Callable[[RequestNumbers], str] = lambda _: "no request was answered"
    interval: Callable[[RequestNumbers, Sent], tuple[float, float]] | None = None
    """Of a number that is an estimate, where there is one: it is met, or not met, only where all of this is."""

    def format(self, number: float) -> str:
        """Return a number in words."""
        return self.unit.format(number)


def _percentile(per_cent: float) -> LoadMeasure:
    def find(request: RequestNumbers, _: Sent) -> float | None:
        return request.percentile(per_cent).value_s

    def describe(request: RequestNumbers, seconds: float) -> str:
        found = request.percentile(per_cent)
        if found.low_s is None or found.low_s == found.high_s:
            return format_duration(seconds)
        low, high = format_duration(found.low_s), format_duration(found.high_s)
        return format_duration(seconds) if low == high else f"{format_duration(seconds)} (95 % CI {low} to {high})"

    def missing(request: RequestNumbers) -> str:
        if per_cent not in {percentile.per_cent for percentile in request.percentiles}:
            return "the results give no such percentile"
        answered = request.count - request.failed
        return f"too few answered requests ({answered:,})"

    return LoadMeasure(SECONDS, find, percentile_name(per_cent), describe, missing)


def _seconds(noun: str, find: Callable[[RequestNumbers], float | None]) -> LoadMeasure:
    return LoadMeasure(
        SECONDS,
        lambda request, _: find(request),
        noun,
        lambda _, seconds: format_duration(seconds),
    )


def _change(per_cent: float) -> LoadMeasure:
    """Return how much slower a percentile is than before; a trifle, with all of its interval, is not a change."""

    def found(request: RequestNumbers, sent: Sent) -> Change | None:
        change = sent.compared.of(request.name, per_cent) if sent.compared else None
        return change if change and change.low_share is not None else None

    def find(request: RequestNumbers, sent: Sent) -> float | None:
        change = found(request, sent)
        return None if change is None else 0.0 if change.slight and change.share > 0 else 100 * change.share

    def interval(request: RequestNumbers, sent: Sent) -> tuple[float, float]:
        change = found(request, sent)
        if change is None or change.low_share is None or change.high_share is None:
            return 0.0, 0.0
        high = 0.0 if change.slight else 100 * change.high_share
        return min(100 * change.low_share, high), high

    return LoadMeasure(
        PER_CENT_SLOWER,
        find,
        f"{percentile_name(per_cent)} change",
        lambda _, share: f"{format_change(share)} %",
        lambda _: "no earlier run to compare with, or too few requests",
        interval,
    )


def _throughput(request: RequestNumbers, sent: Sent) -> float | None:
    return request.count / sent.span_s if sent.span_s else None


PERCENTILES = {"p50": 50.0, "p90": 90.0, "p95": 95.0, "p99": 99.0, "p99.9": 99.9}
LOAD_MEASURES: dict[str, LoadMeasure] = {
    **{name: _percentile(per_cent) for name, per_cent in PERCENTILES.items()},
    "mean": _seconds("mean", lambda request: request.mean_s),
    "longest": _seconds("longest", lambda request: request.longest_s),
    "error share": LoadMeasure(
        PER_CENT,
        lambda request, _: 100 * request.failed_share if request.count else None,
        "error share",
        lambda request, share: f"{format_failed_share(share / 100)} ({request.failed:,} of {request.count:,})",
    ),
    "throughput": LoadMeasure(
        PER_SECOND,
        _throughput,
        "throughput",
        lambda _, number: f"{number:,.1f} requests/s",
    ),
    "requests": LoadMeasure(
        COUNT,
        lambda request, _: request.count,
        "requests",
        lambda request, _: plural(request.count, "request"),
    ),
}
LOAD_MEASURES |= {f"p{per_cent:g} change": _change(per_cent) for per_cent in (50.0, 95.0, 99.0)}
SHARED = frozenset({"p50", "p95", "p99", "longest"})
"""Measures that the calls of checks have, too: a scope tells which are meant."""


METRIC_MEASURES: dict[str, Callable[[Metric], float | None]] = {
    "least": lambda metric: metric.least,
    "mean": lambda metric: metric.mean,
    "p95": lambda metric: metric.p95,
    "longest": lambda metric: metric.longest,
    "value": lambda metric: metric.mean if metric.count == 1 else None,
}
"""Measures of the team's own numbers, for a scope with a metric."""


def _of_run(name: str) -> Measure:
    """Return the measure as settings know it; its numbers are found request by request (targets.py)."""
    unit = LOAD_MEASURES[name].unit if name in LOAD_MEASURES else COUNT
    keys = _METRIC_KEYS if name in METRIC_MEASURES else _SCOPE_KEYS
    return Measure(
        name, unit, lambda _: None, lambda _, number: unit.format(number), keys, lambda _: "no load results"
    )


MEASURES = tuple(_of_run(name) for name in {**LOAD_MEASURES, **METRIC_MEASURES} if name not in SHARED)
