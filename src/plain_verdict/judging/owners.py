"""Says who owns each check: by the team's rules, its own facts, or the repository's CODEOWNERS."""

from collections.abc import Callable, Iterator, Sequence

import msgspec

from plain_verdict.judging.matching import Matcher
from plain_verdict.model import Cause, Check, Fact, Owner, Run
from plain_verdict.model.facts import OWNER
from plain_verdict.model.transform import with_fields
from plain_verdict.settings.rules import OwnerRule
from plain_verdict.text.expressions import TooSlow
from plain_verdict.text.formatting import join_list

_OWNERS_NAMED = 3

OwnersOf = Callable[[Check], tuple[str, ...]]
"""Gives the owners that the repository names for a check."""


def owners_of(check: Check) -> list[str]:
    """Return who owns a check."""
    return [fact.value for fact in check.facts if fact.key.casefold() == OWNER]


class _Rule:
    """One rule of the team, ready to be tried."""

    def __init__(self, number: int, rule: OwnerRule) -> None:
        self.rule = rule
        self.words = f"Owner rule {number} (“{rule.name}”)"
        self._matcher = Matcher(rule.match) if rule.match else None
        self.matches = 0
        self.is_slow = False

    def covers(self, check: Check, source: str) -> bool:
        """Return whether a check is the owner's; a rule that takes too long covers nothing."""
        if self._matcher is None or self.is_slow:
            return False
        try:
            covers = self._matcher.covers(check, source)
        except TooSlow:
            self.is_slow = True
            return False
        self.matches += covers
        return covers

    def notes(self) -> Iterator[str]:
        """Yield what the team should know of the rule."""
        if self.is_slow:
            yield f"{self.words} takes too long to match and was switched off."
        elif self._matcher and not self.matches:
            yield f"{self.words} matches no check."


def with_owners(run: Run, rules: Sequence[OwnerRule], of_repository: OwnersOf | None, notes: Sequence[str]) -> Run:
    """Return the run with the owners of its checks as facts; of several rules, the last that fits counts."""
    if not rules and of_repository is None:
        return with_fields(run, owner_notes=tuple(notes)) if notes else run
    tried = [_Rule(number, rule) for number, rule in enumerate(rules, 1)]
    facts: dict[tuple[str, ...], tuple[Fact, ...]] = {}
    files = []
    for file in run.files:
        checks = [
            _with_owner(check, _names(check, file.path, tried, of_repository), facts) for check in file.checks
        ]
        files.append(with_fields(file, checks=tuple(checks)))
    known = tuple(Owner(rule.name, rule.mail, rule.link) for rule in rules)
    found = tuple(note for rule in tried for note in rule.notes())
    return with_fields(run, files=tuple(files), owners=known, owner_notes=(*notes, *found))


def _names(check: Check, source: str, rules: Sequence[_Rule], of_repository: OwnersOf | None) -> tuple[str, ...]:
    """Return the owners that a check does not name itself."""
    fitting = [rule.rule.name for rule in rules if rule.covers(check, source)]
    if fitting or owners_of(check):
        return tuple(fitting[-1:])
    return of_repository(check) if of_repository else ()


def _with_owner(check: Check, names: tuple[str, ...], facts: dict[tuple[str, ...], tuple[Fact, ...]]) -> Check:
    if not names:
        return check
    if names not in facts:
        facts[names] = tuple(Fact(OWNER, name) for name in names)
    # What a rule says stands in the place of what the result says.
    others = tuple(fact for fact in check.facts if fact.key.casefold() != OWNER)
    return msgspec.structs.replace(check, facts=(*others, *facts[names]))


def with_owners_of_checks(cause: Cause) -> Cause:
    """Return a cause with the owners of its checks, where no rule names one."""
    if cause.owner:
        return cause
    names = dict.fromkeys(name for check in cause.checks for name in owners_of(check))
    return msgspec.structs.replace(cause, owner=join_list(list(names), most=_OWNERS_NAMED)) if names else cause
