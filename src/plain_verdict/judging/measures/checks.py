"""Measures of checks: how many ended how, which share passed, how long they took."""

from collections.abc import Callable

from plain_verdict.judging.measures.interface import COUNT, PER_CENT, SECONDS, CheckedScope, Measure
from plain_verdict.model import Outcome
from plain_verdict.text.formatting import format_duration, format_share


def _count(name: str, find: Callable[[CheckedScope], float]) -> Measure:
    return Measure(name, COUNT, find, lambda _, number: f"{number:,.0f} {name}")


def _failures(outcome: Outcome) -> Measure:
    """Return the measure of an outcome that may be waived: those count apart."""

    def find(scope: CheckedScope) -> float:
        return scope.tally.of(outcome) - scope.waived.of(outcome)

    def describe(scope: CheckedScope, number: float) -> str:
        waived = scope.waived.of(outcome)
        return f"{number:,.0f} {outcome.value}{f', {waived:,} {scope.aside_word}' if waived else ''}"

    return Measure(outcome.value, COUNT, find, describe)


def _pass_rate(scope: CheckedScope) -> float | None:
    return 100 * scope.tally.passed / scope.tally.ran if scope.tally.ran else None


def _describe_duration(_: CheckedScope, number: float) -> str:
    return format_duration(number)


COUNTS = (
    Measure("checks", COUNT, lambda scope: scope.tally.ran, lambda _, number: f"{number:,.0f} ran"),
    _failures(Outcome.FAILED),
    _failures(Outcome.ERRORED),
    _count("skipped", lambda scope: scope.tally.skipped),
    _count("undecided", lambda scope: scope.tally.undecided),
    _count("flaky", lambda scope: scope.flaky),
    _count("waived", lambda scope: scope.waived.total),
)
PASS_RATE = Measure(
    "pass rate", PER_CENT, _pass_rate, lambda scope, _: format_share(scope.tally.passed, scope.tally.ran)
)
TIMES = (
    Measure("duration", SECONDS, lambda scope: sum(scope.times_s) if scope.times_s else None, _describe_duration),
    Measure("slowest check", SECONDS, lambda scope: max(scope.times_s, default=None), _describe_duration),
)
