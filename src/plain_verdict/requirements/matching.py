"""Tells which checks say whether a requirement is met."""

import re
from collections import Counter
from collections.abc import Iterator, Sequence

import msgspec

from plain_verdict.model import Check, Outcome, Requirement, RequirementResult, Requirements, RequirementState, Run
from plain_verdict.requirements.reading import FoundRequirements
from plain_verdict.text.expressions import Expression, TooSlow
from plain_verdict.text.formatting import plural

# Keys of properties under which runners write the requirements of a check; compared without case and signs.
_KEYS = frozenset(
    [
        "requirement",
        "requirements",
        "requirementid",
        "requirementids",
        "req",
        "reqs",
        "reqid",
        "verifies",
        "covers",
        "story",
        "userstory",
    ]
)
_SIGNS = re.compile(r"[\s_.-]+")
_SEPARATORS = re.compile(r"[,;\s]+")


def with_requirements(run: Run, read: FoundRequirements, pattern: str) -> Run:
    """Return the run with requirements; ``pattern``, an expression, finds ids in the names of checks."""
    requirements, notes = read.requirements, list(read.notes)
    ids = _Ids(pattern)
    links = _Links(requirements, ids)
    by_id: dict[str, list[Check]] = {requirement.id: [] for requirement in requirements}
    for check in run.checks:
        for id_ in links.of(check):
            by_id[id_].append(check)
    results = tuple(
        RequirementResult(
            requirement, state_of(by_id[requirement.id]), tuple(check.id for check in by_id[requirement.id])
        )
        for requirement in requirements
    )
    if ids.unsearched:
        notes.append(
            f"The pattern for requirements takes too long on {plural(ids.unsearched, 'name')} of checks, so"
            " requirements of theirs may be missing; write it simpler."
        )
    whole = read.whole and not ids.unsearched
    found_requirements = Requirements(
        results, tuple(sorted(links.unknown.items())), tuple(notes), given=True, whole=whole
    )
    return msgspec.structs.replace(run, requirements=found_requirements)


class _Links:
    """Which requirements a check proves: those it names, those of its tags, and the one that has its name."""

    def __init__(self, requirements: Sequence[Requirement], ids: "_Ids") -> None:
        self._ids = ids
        # Ids are written by hand in two places, so that their case is no difference.
        self._known = {requirement.id.casefold(): requirement.id for requirement in requirements}
        self._titles = {requirement.title.casefold(): requirement.id for requirement in requirements}
        self._titles.pop("", None)
        self.unknown: Counter[str] = Counter()
        """Ids that checks name and no requirement has."""

    def of(self, check: Check) -> set[str]:
        """Return the ids of the requirements that a check proves."""
        found: set[str] = set()
        for name in dict.fromkeys(_named(check, self._ids)):
            id_ = self._known.get(name.casefold())
            if id_ is None:
                self.unknown[name] += 1
            else:
                found.add(id_)
        # Most tags mean something else, so one that is no id is none that is unknown.
        found |= {self._known[tag.casefold()] for tag in check.tags if tag.casefold() in self._known}
        by_title = self._titles.get(check.name.casefold())
        return found | {by_title} if by_title else found


class _Ids:
    """Finds ids in names by an expression of the team's, and counts the names that it took too long on."""

    def __init__(self, pattern: str) -> None:
        self._expression = Expression(pattern) if pattern else None
        self.unsearched = 0

    def __call__(self, name: str) -> Iterator[str]:
        try:
            yield from self._expression.all_in(name) if self._expression else ()
        except TooSlow:
            self.unsearched += 1


def _named(check: Check, ids: _Ids) -> Iterator[str]:
    """Yield the requirements that a check names."""
    yield from check.requirements
    for fact in check.facts:
        if _SIGNS.sub("", fact.key).casefold() in _KEYS:
            yield from filter(None, _SEPARATORS.split(fact.value))
    yield from ids(check.title)


def state_of(checks: Sequence[Check]) -> RequirementState:
    """Return how a requirement stands: met if all of its checks that ran passed, and one at least did."""
    ran = [check.outcome for check in checks if check.outcome is not Outcome.SKIPPED]
    if not ran:
        return RequirementState.NOT_CHECKED
    if any(outcome in (Outcome.FAILED, Outcome.ERRORED) for outcome in ran):
        return RequirementState.NOT_MET
    return RequirementState.UNDECIDED if Outcome.UNDECIDED in ran else RequirementState.MET
