"""Says who owns each check: by the team's rules, its own facts, or the repository's CODEOWNERS."""

from collections.abc import Callable, Iterator, Sequence
from functools import partial

import msgspec

from plain_verdict.judging.matching import Matcher
from plain_verdict.model import Cause, Check, Fact, Owner, Run, changed_checks
from plain_verdict.model.facts import OWNER
from plain_verdict.model.transform import with_fields
from plain_verdict.settings.rules import OwnerRule
from plain_verdict.text.expressions import TooSlow
from plain_verdict.text.formatting import join_list

_OWNERS_NAMED = 3

OwnersOf = Callable[[Check], tuple[str, ...]]
"""Gives the owners that the repository names for a check."""


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
    naming = _Naming(tried, of_repository)
    files = [
        with_fields(file, checks=changed_checks(file.checks, partial(naming.named, source=file.path)))
        for file in run.files
    ]
    known = tuple(Owner(rule.name, rule.mail, rule.link) for rule in rules)
    found = tuple(note for rule in tried for note in rule.notes())
    return with_fields(run, files=tuple(files), owners=known, owner_notes=(*notes, *found))


class _Naming:
    """Gives checks their owners; those of one owner share the fact."""

    def __init__(self, rules: Sequence[_Rule], of_repository: OwnersOf | None) -> None:
        self._rules = rules
        self._of_repository = of_repository
        self._facts: dict[str, Fact] = {}

    def named(self, check: Check, source: str) -> Check:
        """Return a check with its owners: rules look at those that the result or the repository names."""
        if self._of_repository and not check.owners:
            check = self._with(check, self._of_repository(check))
        fitting = [rule.rule.name for rule in self._rules if rule.covers(check, source)]
        return self._with(check, fitting[-1:])

    def _with(self, check: Check, names: Sequence[str]) -> Check:
        if not names:
            return check
        others = (fact for fact in check.facts if fact.key.casefold() != OWNER)
        facts = (self._facts.setdefault(name, Fact(OWNER, name)) for name in names)
        return msgspec.structs.replace(check, facts=(*others, *facts))


def with_owners_of_checks(cause: Cause, known: Sequence[Owner]) -> Cause:
    """Return a cause with the owners of its checks, where no rule names one, and how to reach a single one."""
    if cause.owner:
        return cause
    names = list(dict.fromkeys(name for check in cause.checks for name in check.owners))
    owner = next((owner for owner in known if names == [owner.name]), None)
    if owner is None:
        return msgspec.structs.replace(cause, owner=join_list(names, most=_OWNERS_NAMED)) if names else cause
    words = f"{owner.name} ({owner.mail})" if owner.mail else owner.name
    return msgspec.structs.replace(cause, owner=words, link=cause.link or owner.link)
