"""Measures of the calls to an API."""

from collections.abc import Callable

from plain_verdict.api.numbers import LEAST_VALUES, CallNumbers
from plain_verdict.judging.measures.interface import CALL_KEYS, COUNT, SECONDS, CheckedScope, Measure
from plain_verdict.text.formatting import format_duration, plural


def _count(name: str, find: Callable[[CheckedScope], float | None], noun: str, many: str = "") -> Measure:
    return Measure(name, COUNT, find, lambda _, number: plural(round(number), noun, many), CALL_KEYS, _without)


def _without(scope: CheckedScope) -> str:
    return "no results to measure" if scope.api.coverage else "no API document is given"


def _percentile(per_cent: int) -> Measure:
    name = f"p{per_cent}"

    def find(scope: CheckedScope) -> float | None:
        found: float | None = getattr(scope.calls, f"{name}_s")
        return found

    def missing(scope: CheckedScope) -> str:
        return f"{plural(scope.calls.calls, 'call')}; {name} needs at least {LEAST_VALUES[per_cent]} with a time"

    return _time(name, find, missing)


def _time(
    name: str, find: Callable[[CheckedScope], float | None], missing: Callable[[CheckedScope], str] = _without
) -> Measure:
    return Measure(name, SECONDS, find, lambda _, number: format_duration(number), CALL_KEYS, missing)


def _not_called(scope: CheckedScope) -> float | None:
    return len(scope.api.coverage.not_called) if scope.api.coverage else None


def _undocumented(scope: CheckedScope) -> float | None:
    if scope.api.coverage is None:
        return None
    return sum(call.documented_status is False for call in scope.api.calls)


def _longest(scope: CheckedScope) -> float | None:
    numbers: CallNumbers = scope.calls
    return numbers.longest_s


MEASURES = (
    _count("calls", lambda scope: scope.calls.calls, "call"),
    _count("wrong calls", lambda scope: scope.calls.wrong, "wrong call"),
    _percentile(50),
    _percentile(95),
    _percentile(99),
    _time("longest", _longest, lambda _: "no call has a time"),
    Measure(
        "operations not called",
        COUNT,
        _not_called,
        lambda _, number: f"{plural(round(number), 'operation')} not called",
        frozenset(),
        _without,
    ),
    _count("undocumented answers", _undocumented, "undocumented answer"),
)
