"""Measures of time."""

from plain_verdict.judging.measures.interface import SECONDS, CheckedScope, Measure
from plain_verdict.text.formatting import format_duration


def _describe(_: CheckedScope, number: float) -> str:
    return format_duration(number)


MEASURES = (
    Measure("duration", SECONDS, lambda scope: sum(scope.times_s) if scope.times_s else None, _describe),
    Measure("slowest check", SECONDS, lambda scope: max(scope.times_s, default=None), _describe),
)
