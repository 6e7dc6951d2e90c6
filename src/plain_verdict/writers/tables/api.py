"""Tables of calls to an API: exchanges, and operations with their numbers."""

from collections.abc import Iterator

from plain_verdict.model import Call, Exchange
from plain_verdict.report import Report
from plain_verdict.writers.summary_load import ms_of
from plain_verdict.writers.tables.checks import WHERE, checks_with_more, parts_of
from plain_verdict.writers.tables.interface import Column, Holds, Row, Table, round_s


def _exchanges(report: Report) -> Iterator[Row]:
    calls = {id(call.exchange): call for call in report.run.api.calls}
    for check in checks_with_more(report):
        for number, path, part in parts_of(check):
            for position, exchange in enumerate(part.exchanges, 1):
                shared = (check.id, check.name, number, path or None, position)
                yield (*shared, *_exchange(exchange, calls.get(id(exchange))))


def _exchange(exchange: Exchange, call: Call | None) -> Row:
    sent, back = exchange.request, exchange.response
    body_back = back.body if back else None
    return (
        sent.method,
        sent.url,
        back.status if back else None,
        back.reason if back else exchange.no_answer,
        *((call.state.value, call.operation.name, call.documented_status) if call else (None, None, None)),
        round_s(exchange.took_s),
        exchange.sent,
        sent.body.size_bytes if sent.body else None,
        body_back.size_bytes if body_back else None,
        body_back.media_type if body_back else None,
        exchange.address,
    )


def _operations(report: Report) -> Iterator[Row]:
    for operation, numbers in report.operations:
        times = (numbers.least_s, numbers.mean_s, numbers.p50_s, numbers.p95_s, numbers.p99_s, numbers.longest_s)
        yield (
            operation.method,
            operation.path,
            operation.host,
            operation.title,
            operation.documented,
            numbers.calls,
            numbers.wrong,
            numbers.unanswered,
            ", ".join(f"{number} x {status}" for status, number in numbers.statuses),
            *map(ms_of, times),
            numbers.received_bytes,
        )
    coverage = report.run.api.coverage
    for uncalled in coverage.not_called if coverage else ():
        yield (uncalled.method, uncalled.path, uncalled.host, uncalled.title, True, 0, 0, 0, *[None] * 8)


def _times() -> tuple[Column, ...]:
    descriptions = {"least": "shortest time", "mean": "mean time", "longest": "longest time"}
    descriptions |= {f"p{per_cent}": f"p{per_cent} of the times; empty: too few calls" for per_cent in (50, 95, 99)}
    order = ("least", "mean", "p50", "p95", "p99", "longest")
    return tuple(Column(f"{name}_ms", descriptions[name], Holds.NUMBER) for name in order)


TABLES = (
    Table(
        "exchanges",
        "All exchanges of checks: requests and responses",
        (
            *WHERE,
            Column("number", "position in the check or step", Holds.INTEGER),
            Column("method", "of the request"),
            Column("url", "of the request"),
            Column("status", "status of the response; empty: no response", Holds.INTEGER),
            Column("reason", "status text, or why there is no response"),
            Column("state", "as expected or wrong; empty: not counted"),
            Column("operation", "operation of the API"),
            Column("documented", "whether the API document lists this status", Holds.FLAG),
            Column("took_s", "duration", Holds.NUMBER),
            Column("sent", "when", Holds.MOMENT),
            Column("request_bytes", "size of the request body", Holds.INTEGER),
            Column("response_bytes", "size of the response body", Holds.INTEGER),
            Column("media_type", "of the response"),
            Column("address", "address that answered"),
        ),
        _exchanges,
    ),
    Table(
        "operations",
        "Operations of the API with their counted calls; also those never called",
        (
            Column("method", "HTTP method"),
            Column("path", "path template"),
            Column("host", "host, where the run has several"),
            Column("title", "title in the document"),
            Column("documented", "whether the document has it; empty: no document", Holds.FLAG),
            Column("calls", "number of calls", Holds.INTEGER),
            Column("wrong", "calls with an unexpected response", Holds.INTEGER),
            Column("unanswered", "calls without a response", Holds.INTEGER),
            Column("statuses", "number of responses by status"),
            *_times(),
            Column("bytes", "bytes received", Holds.INTEGER),
        ),
        _operations,
    ),
)
