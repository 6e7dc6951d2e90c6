"""The overview of requirements: met, not met, not checked, group by group, each with its checks."""

import msgspec

from plain_verdict.model import Check, RequirementResult, RequirementState, Run
from plain_verdict.text.formatting import join_list, plural

_MOST_CHECKS = 12
_MOST_REQUIREMENTS = 2_000
_ORDER = tuple(RequirementState)


class RequirementRow(msgspec.Struct, frozen=True):
    """A requirement with its checks; ``more`` are only counted."""

    asked: RequirementResult
    checks: tuple[Check, ...]
    more: int
    about: str


class RequirementGroup(msgspec.Struct, frozen=True):
    """Requirements that belong together."""

    name: str
    words: str
    rows: tuple[RequirementRow, ...]


class RequirementsOverview(msgspec.Struct, frozen=True):
    """All that was asked."""

    lead: str
    number: int
    groups: tuple[RequirementGroup, ...]
    unknown: str
    untold: int


def tell_asked(run: Run) -> RequirementsOverview | None:
    """Return the overview of requirements; None where no file of them was given."""
    told = run.requirements
    if not told.given:
        return None
    checks = {check.id: check for check in run.checks}
    groups: dict[tuple[str, ...], list[RequirementResult]] = {}
    for one in told.asked[:_MOST_REQUIREMENTS]:
        groups.setdefault(one.requirement.group, []).append(one)
    unknown = join_list([f"{name} ({plural(times, 'check')})" for name, times in told.unknown], most=20)
    return RequirementsOverview(
        lead=f"{_words(told.asked)}.",
        number=len(told.asked),
        groups=tuple(_group(name, several, checks) for name, several in groups.items()),
        unknown=f"Checks name requirements that no file lists: {unknown}." if unknown else "",
        untold=max(0, len(told.asked) - _MOST_REQUIREMENTS),
    )


def _words(several: tuple[RequirementResult, ...] | list[RequirementResult]) -> str:
    numbers = {state: sum(one.state is state for one in several) for state in RequirementState}
    parts = [f"{numbers[RequirementState.MET]:,} of {plural(len(several), 'requirement')} met"]
    parts += [
        f"{numbers[state]:,} {state.value}"
        for state in _ORDER
        if numbers[state] and state is not RequirementState.MET
    ]
    return ", ".join(parts)


def _group(name: tuple[str, ...], several: list[RequirementResult], checks: dict[str, Check]) -> RequirementGroup:
    rows = sorted(several, key=lambda one: _ORDER.index(one.state))
    return RequirementGroup(" › ".join(name), _words(several), tuple(_row(one, checks) for one in rows))


def _row(asked: RequirementResult, checks: dict[str, Check]) -> RequirementRow:
    own = [checks[id_] for id_ in asked.checks if id_ in checks]
    requirement = asked.requirement
    about = ", ".join(filter(None, (requirement.owner, requirement.priority)))
    return RequirementRow(asked, tuple(own[:_MOST_CHECKS]), len(own) - len(own[:_MOST_CHECKS]), about)
