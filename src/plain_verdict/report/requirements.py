"""The overview of requirements: met, not met, not checked, group by group, each with its checks."""

import msgspec

from plain_verdict.model import BAD, Check, RequirementResult, RequirementState, Run
from plain_verdict.text.formatting import join_list, plural

_MOST_CHECKS = 12  # of one requirement that are named
_MOST_NOT_RUN = 3  # scenarios that are named
_MOST_REQUIREMENTS = 2_000  # rows of the page
_SHORT_LIST = 8
_ORDER = tuple(RequirementState)


class RequirementRow(msgspec.Struct, frozen=True):
    """A requirement with its checks; ``more`` are only counted. ``not_run`` are scenarios that no check ran."""

    result: RequirementResult
    checks: tuple[Check, ...]
    more: int
    about: str
    not_run: str


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
    more: int

    @property
    def to_read(self) -> "list[tuple[RequirementGroup, list[RequirementRow]]]":
        """Return the requirements that are not met, by group."""
        return self._rows(met=False)

    @property
    def met(self) -> "list[tuple[RequirementGroup, list[RequirementRow]]]":
        """Return those that are met, by group."""
        return self._rows(met=True)

    @property
    def met_number(self) -> int:
        """Return how many are met."""
        return sum(len(rows) for _, rows in self.met)

    @property
    def opens_met(self) -> bool:
        """Return whether those that are met stand open: where the page is short, or has no others."""
        return self.number <= _SHORT_LIST or not self.to_read

    def _rows(self, *, met: bool) -> "list[tuple[RequirementGroup, list[RequirementRow]]]":
        by_group = (
            (group, [row for row in group.rows if (row.result.state is RequirementState.MET) is met])
            for group in self.groups
        )
        return [(group, rows) for group, rows in by_group if rows]


def requirements_overview(run: Run) -> RequirementsOverview | None:
    """Return the overview of requirements; None where no file of them was given."""
    requirements = run.requirements
    if not requirements.given:
        return None
    checks = {check.id: check for check in run.checks}
    groups: dict[tuple[str, ...], list[RequirementResult]] = {}
    for result in requirements.results[:_MOST_REQUIREMENTS]:
        groups.setdefault(result.requirement.group, []).append(result)
    unknown = join_list([f"{name} ({plural(times, 'check')})" for name, times in requirements.unknown], most=20)
    return RequirementsOverview(
        lead=f"{_words(requirements.results)}.",
        number=len(requirements.results),
        groups=tuple(_group(name, results, checks) for name, results in groups.items()),
        unknown=f"Checks name requirements that no file lists: {unknown}." if unknown else "",
        more=max(0, len(requirements.results) - _MOST_REQUIREMENTS),
    )


def _words(results: tuple[RequirementResult, ...] | list[RequirementResult]) -> str:
    numbers = {state: sum(result.state is state for result in results) for state in RequirementState}
    parts = [f"{numbers[RequirementState.MET]:,} of {plural(len(results), 'requirement')} met"]
    parts += [
        f"{numbers[state]:,} {state.value}"
        for state in _ORDER
        if numbers[state] and state is not RequirementState.MET
    ]
    return ", ".join(parts)


def _group(name: tuple[str, ...], results: list[RequirementResult], checks: dict[str, Check]) -> RequirementGroup:
    rows = sorted(results, key=lambda result: _ORDER.index(result.state))
    return RequirementGroup(" › ".join(name), _words(results), tuple(_row(result, checks) for result in rows))


def _row(result: RequirementResult, checks: dict[str, Check]) -> RequirementRow:
    found = [checks[id_] for id_ in result.checks if id_ in checks]
    named_checks = sorted(found, key=lambda check: check.outcome not in BAD)
    requirement = result.requirement
    about = ", ".join(filter(None, (requirement.owner, requirement.priority)))
    shown = tuple(named_checks[:_MOST_CHECKS])
    not_run = join_list(result.not_run, _MOST_NOT_RUN)
    return RequirementRow(result, shown, len(named_checks) - len(shown), about, not_run)
