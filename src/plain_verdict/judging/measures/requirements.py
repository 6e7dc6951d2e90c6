"""Measures of requirements: of the whole run only."""

from plain_verdict.judging.measures.interface import COUNT, CheckedScope, Measure
from plain_verdict.model import RequirementState
from plain_verdict.text.formatting import plural


def _count(state: RequirementState) -> Measure:
    def find(scope: CheckedScope) -> float | None:
        requirements = scope.requirements
        return requirements.count(state) if requirements and requirements.given else None

    def describe(_: CheckedScope, number: float) -> str:
        return f"{plural(round(number), 'requirement')} {state.value}"

    return Measure(f"requirements {state.value}", COUNT, find, describe, frozenset(), _missing, _unsure)


def _missing(_: CheckedScope) -> str:
    return "no requirements are given"


def _unsure(scope: CheckedScope) -> str:
    requirements = scope.requirements
    return "" if requirements is None or requirements.whole else "not all requirements could be read"


MEASURES = (_count(RequirementState.NOT_MET), _count(RequirementState.NOT_CHECKED))
