"""Leaves out changes of durations and metrics that the team accepts as normal."""

from collections.abc import Iterator, Sequence, Set
from fnmatch import fnmatchcase

import msgspec

from plain_verdict.judging.matching import Matcher
from plain_verdict.model import Build, Check, LevelChange, Run, as_columns
from plain_verdict.model.transform import with_fields
from plain_verdict.settings.rules import LevelRule
from plain_verdict.text.expressions import TooSlow
from plain_verdict.text.formatting import plural


class _Rule:
    """One rule of the team, with where its build stands; None where that is not among the known ones."""

    def __init__(self, number: int, rule: LevelRule, builds: Sequence[Build]) -> None:
        self.words = f"The accepted level {number} (“{rule.reason or rule.metric or rule.as_of}”)"
        self._rule = rule
        self._matcher = Matcher(rule.match) if rule.match else None
        self._positions = {build.label: at for at, build in enumerate(builds)}
        self._at = self._positions.get(rule.as_of)
        self._accepted = 0
        self._is_slow = False

    def accepts(self, change: LevelChange, check: Check | None, source: str) -> bool:
        """Return whether a change is accepted: it began in the rule's build, or before."""
        # What began later is another change than the one that the team looked at.
        if self._at is None or self._positions.get(change.since, len(self._positions)) > self._at:
            return False
        accepts = fnmatchcase(change.name, self._rule.metric) if not check else self._covers(check, source)
        self._accepted += accepts
        return accepts

    def _covers(self, check: Check, source: str) -> bool:
        try:
            return not self._is_slow and self._matcher is not None and self._matcher.covers(check, source)
        except TooSlow:
            self._is_slow = True
            return False

    def notes(self) -> Iterator[str]:
        """Yield what the team should know of the rule."""
        if self._is_slow:
            yield f"{self.words} takes too long to match and was switched off."
        elif self._at is None:
            yield f"{self.words} is not needed: build {self._rule.as_of} is not among the builds that are compared."
        elif self._accepted:
            yield f"{self.words} leaves out {plural(self._accepted, 'change')} of level."


def _checks_of(run: Run, ids: Set[str]) -> dict[str, tuple[Check, str]]:
    return {check.id: (check, file.path) for file in run.files for check in as_columns(file.checks).named(ids)}


def with_accepted_levels(run: Run, rules: Sequence[LevelRule]) -> Run:
    """Return the run without the changes of level that the rules accept, and with notes on rules."""
    context = run.in_series
    since = context.since if context else None
    if not rules or context is None or since is None:
        return run
    builds = (*since.traces.builds, context.now.build)
    tried = [_Rule(number, rule, builds) for number, rule in enumerate(rules, 1)]
    checks = _checks_of(run, {change.id for change in (*since.slower, *since.faster)})

    def is_left(change: LevelChange) -> bool:
        check, source = checks.get(change.id, (None, ""))
        return not any(rule.accepts(change, check, source) for rule in tried)

    lists = {"slower": since.slower, "faster": since.faster, "metrics": since.metrics}
    left = {name: tuple(filter(is_left, changes)) for name, changes in lists.items()}
    since = msgspec.structs.replace(since, **left)
    notes = (*context.notes, *(note for rule in tried for note in rule.notes()))
    return with_fields(run, in_series=msgspec.structs.replace(context, since=since, notes=notes))
