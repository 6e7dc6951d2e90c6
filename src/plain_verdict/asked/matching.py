"""Tells which checks say whether a requirement is met."""

import re
from collections import Counter
from collections.abc import Iterator, Sequence

import msgspec

from plain_verdict.model import Asked, Check, Met, Outcome, Requirement, Requirements, Run

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
_SEVERAL = re.compile(r"[,;\s]+")


def with_requirements(run: Run, requirements: Sequence[Requirement], notes: Sequence[str], pattern: str) -> Run:
    """Return the run with what was asked; ``pattern`` finds ids in the names of checks. Raises nothing."""
    known = {one.id.casefold(): one for one in requirements}
    titles = {one.title.casefold(): one for one in requirements if one.title}
    by_id: dict[str, list[Check]] = {one.id: [] for one in requirements}
    unknown: Counter[str] = Counter()
    for check in run.checks:
        found: set[str] = set()
        for name in dict.fromkeys(_named(check, pattern)):
            own = known.get(name.casefold())
            if own is None:
                unknown[name] += 1
            else:
                found.add(own.id)
        found |= {known[tag.casefold()].id for tag in check.tags if tag.casefold() in known}
        by_title = titles.get(check.name.casefold())
        if by_title:
            found.add(by_title.id)
        for id_ in found:
            by_id[id_].append(check)
    asked = tuple(
        Asked(one, state_of(by_id[one.id]), tuple(check.id for check in by_id[one.id])) for one in requirements
    )
    told = Requirements(asked, tuple(sorted(unknown.items())), tuple(notes), given=True)
    return msgspec.structs.replace(run, requirements=told)


def _named(check: Check, pattern: str) -> Iterator[str]:
    """Yield the requirements that a check names."""
    yield from check.requirements
    for fact in check.facts:
        if _SIGNS.sub("", fact.key).casefold() in _KEYS:
            yield from filter(None, _SEVERAL.split(fact.value))
    if pattern:
        for found in re.finditer(pattern, check.title):
            yield found[1] if found.re.groups else found[0]


def state_of(checks: Sequence[Check]) -> Met:
    """Return how a requirement stands: met if all of its checks that ran passed, and one at least did."""
    ran = [check.outcome for check in checks if check.outcome is not Outcome.SKIPPED]
    if not ran:
        return Met.NOT_CHECKED
    if any(outcome in (Outcome.FAILED, Outcome.ERRORED) for outcome in ran):
        return Met.NOT_MET
    return Met.UNDECIDED if Outcome.UNDECIDED in ran else Met.MET
