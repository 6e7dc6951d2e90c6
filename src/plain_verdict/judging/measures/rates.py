"""Measures that are a share of checks."""

from plain_verdict.judging.measures.interface import PER_CENT, CheckedScope, Measure
from plain_verdict.text.formatting import format_share


def _passed(scope: CheckedScope) -> float | None:
    return 100 * scope.tally.passed / scope.tally.ran if scope.tally.ran else None


PASS_RATE = Measure(
    "pass rate", PER_CENT, _passed, lambda scope, _: format_share(scope.tally.passed, scope.tally.ran)
)
MEASURES = (PASS_RATE,)
