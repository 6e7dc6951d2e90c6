"""Measures that count checks."""

from collections.abc import Callable

from plain_verdict.judging.measures.interface import COUNT, CheckedScope, Measure
from plain_verdict.model import Outcome


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


MEASURES = (
    Measure("checks", COUNT, lambda scope: scope.tally.ran, lambda _, number: f"{number:,.0f} ran"),
    _failures(Outcome.FAILED),
    _failures(Outcome.ERRORED),
    _count("skipped", lambda scope: scope.tally.skipped),
    _count("undecided", lambda scope: scope.tally.undecided),
    _count("flaky", lambda scope: scope.flaky),
    _count("waived", lambda scope: scope.waived.total),
)
