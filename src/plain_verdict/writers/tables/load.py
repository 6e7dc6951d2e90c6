"""Tables of load runs: requests, the run over time, and numbers of the team's own."""

from collections.abc import Iterator
from datetime import timedelta

from plain_verdict.model import RequestNumbers
from plain_verdict.report import Report
from plain_verdict.writers.summary_load import ms_of
from plain_verdict.writers.tables.interface import Column, Holds, Row, Table

_TABLE_PER_CENTS = (50.0, 90.0, 95.0, 99.0, 99.9)


def _requests(report: Report) -> Iterator[Row]:
    run = report.run
    if run.load:
        yield from (_request(request, "") for request in (*run.load.requests, run.load.whole))
    for reported in run.reported:
        yield from (_request(request, reported.path) for request in (*reported.requests, reported.whole))


def _request(numbers: RequestNumbers, reported_in: str) -> Row:
    percentiles = [numbers.percentile(per_cent) for per_cent in _TABLE_PER_CENTS]
    p95 = numbers.percentile(95.0)
    return (
        numbers.name,
        numbers.count,
        numbers.failed,
        ms_of(numbers.least_s),
        ms_of(numbers.mean_s),
        *(ms_of(percentile.value_s) for percentile in percentiles),
        ms_of(p95.low_s),
        ms_of(p95.high_s),
        ms_of(numbers.longest_s),
        round(numbers.received_bytes),
        reported_in,
    )


def _series(report: Report) -> Iterator[Row]:
    if report.run.load is None:
        return
    series = report.run.load.series_5s
    for at, count in enumerate(series.counts):
        moment = series.started + timedelta(seconds=at * series.step_s)
        times = (ms_of(percentile_s[at]) for percentile_s in (series.p50_s, series.p95_s, series.p99_s))
        yield (moment, count, series.failed[at], *times, series.users[at])


def _metrics(report: Report) -> Iterator[Row]:
    for metric in report.run.metrics:
        yield (metric.name, metric.unit, metric.count, metric.least, metric.mean, metric.p95, metric.longest)


TABLES = (
    Table(
        "load-requests",
        "Requests of load runs and their total; times of answered requests",
        (
            Column("request", "name"),
            Column("count", "requests sent", Holds.INTEGER),
            Column("failed", "failed requests", Holds.INTEGER),
            Column("least_ms", "shortest time", Holds.NUMBER),
            Column("mean_ms", "mean time", Holds.NUMBER),
            *(
                Column(
                    f"p{per_cent:g}_ms", f"within which {per_cent:g} % were answered; empty: too few", Holds.NUMBER
                )
                for per_cent in _TABLE_PER_CENTS
            ),
            Column("p95_low_ms", "lower end of the 95 % confidence interval of the p95", Holds.NUMBER),
            Column("p95_high_ms", "upper end of the 95 % confidence interval of the p95", Holds.NUMBER),
            Column("longest_ms", "longest time", Holds.NUMBER),
            Column("bytes", "bytes received", Holds.INTEGER),
            Column("reported_in", "source file of a summary; empty: counted from samples"),
        ),
        _requests,
    ),
    Table(
        "load-series",
        "A load run in steps of five seconds",
        (
            Column("from", "start of the step", Holds.MOMENT),
            Column("requests", "requests started", Holds.INTEGER),
            Column("failed", "failed requests", Holds.INTEGER),
            *(
                Column(f"p{per_cent}_ms", f"p{per_cent} of the times; empty: too few requests", Holds.NUMBER)
                for per_cent in (50, 95, 99)
            ),
            Column("users", "most users at once", Holds.INTEGER),
        ),
        _series,
    ),
    Table(
        "metrics",
        "Custom metrics",
        (
            Column("metric", "name"),
            Column("unit", "unit"),
            Column("count", "number of values", Holds.INTEGER),
            Column("least", "smallest value", Holds.NUMBER),
            Column("mean", "mean", Holds.NUMBER),
            Column("p95", "p95; empty: too few values", Holds.NUMBER),
            Column("longest", "largest value", Holds.NUMBER),
        ),
        _metrics,
    ),
)
