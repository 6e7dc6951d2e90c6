"""Load results and metrics as machines read them: a part of the JSON summary."""

from collections.abc import Iterator
from datetime import timedelta

import msgspec

from plain_verdict.model import LoadRun, Metric, Reported, RequestNumbers, Series


class RequestSummary(msgspec.Struct, frozen=True):
    """A request of a load run, over its answered ones; a percentile with too few values is null.

    ``with_failed`` holds the same times over all.
    """

    request: str
    count: int
    failed: int
    mean_ms: float | None
    least_ms: float | None
    longest_ms: float | None
    p50_ms: float | None
    p90_ms: float | None
    p95_ms: float | None
    p99_ms: float | None
    bytes: int
    with_failed: dict[str, float | None]


class StepSummary(msgspec.Struct, frozen=True):
    """What was started within five seconds from a moment on."""

    at: str
    requests: int
    failed: int
    p50_ms: float | None
    p95_ms: float | None
    users: int | None


class LoadSummary(msgspec.Struct, frozen=True):
    """The load results of a run, together. ``messages`` are what failed requests say, after their status."""

    rows: int
    bad_rows: int
    failed: int
    first_start: str
    last_end: str
    requests_per_s: float
    users_most: int | None
    requests: list[RequestSummary]
    all: RequestSummary
    statuses: dict[str, int]
    messages: dict[str, int]
    series_5s: list[StepSummary]


class ReportedSummary(msgspec.Struct, frozen=True):
    """What another tool summed up of a load run, as it reported it; percentiles by their names."""

    file: str
    requests: list[dict[str, str | int | float | None]]


class MetricSummary(msgspec.Struct, frozen=True):
    """A number of the team's own; a p95 with too few values is null."""

    name: str
    unit: str
    count: int
    least: float
    mean: float
    p95: float | None
    longest: float


def load_summary(load: LoadRun) -> LoadSummary:
    """Return the numbers of a load run as machines read them."""
    return LoadSummary(
        rows=load.rows,
        bad_rows=load.bad_rows,
        failed=load.whole.failed,
        first_start=load.started.isoformat(),
        last_end=load.ended.isoformat(),
        requests_per_s=round(load.per_second, 3),
        users_most=load.users_most,
        requests=list(map(_request, load.requests)),
        all=_request(load.whole),
        statuses=dict(load.statuses),
        messages={
            f"{status} {message}".strip() or "no reason told": times for status, message, times in load.messages
        },
        series_5s=list(_steps(load.series_5s)),
    )


def _request(numbers: RequestNumbers) -> RequestSummary:
    with_failed = {f"p{percentile.per_cent:g}_ms": ms_of(percentile.value_s) for percentile in numbers.with_failed}
    return RequestSummary(
        request=numbers.name,
        count=numbers.count,
        failed=numbers.failed,
        mean_ms=ms_of(numbers.mean_s),
        least_ms=ms_of(numbers.least_s),
        longest_ms=ms_of(numbers.longest_s),
        p50_ms=ms_of(numbers.percentile(50.0).value_s),
        p90_ms=ms_of(numbers.percentile(90.0).value_s),
        p95_ms=ms_of(numbers.percentile(95.0).value_s),
        p99_ms=ms_of(numbers.percentile(99.0).value_s),
        bytes=round(numbers.received_bytes),
        with_failed={"mean_ms": ms_of(numbers.mean_with_failed_s)} | with_failed,
    )


def _steps(series: Series) -> Iterator[StepSummary]:
    for at, count in enumerate(series.counts):
        moment = series.started + timedelta(seconds=at * series.step_s)
        p50, p95 = ms_of(series.p50_s[at]), ms_of(series.p95_s[at])
        yield StepSummary(moment.isoformat(), count, series.failed[at], p50, p95, series.users[at])


def ms_of(seconds: float | None) -> float | None:
    """Return a time in milliseconds."""
    return None if seconds is None else round(seconds * 1000, 3)


def reported_summary(reported: Reported) -> ReportedSummary:
    """Return what another tool reported."""
    return ReportedSummary(reported.path, [_reported(request) for request in (*reported.requests, reported.whole)])


def _reported(numbers: RequestNumbers) -> dict[str, str | int | float | None]:
    return {
        "request": numbers.name,
        "count": numbers.count,
        "failed": numbers.failed,
        "mean_ms": ms_of(numbers.mean_s),
        "least_ms": ms_of(numbers.least_s),
        "longest_ms": ms_of(numbers.longest_s),
        **{f"p{percentile.per_cent:g}_ms": ms_of(percentile.value_s) for percentile in numbers.percentiles},
    }


def metric_summary(metric: Metric) -> MetricSummary:
    """Return a metric."""
    return MetricSummary(
        metric.name, metric.unit, metric.count, metric.least, metric.mean, metric.p95, metric.longest
    )
