"""Gives rules of tools the severities that the team has set for them."""

from collections.abc import Iterable, Iterator, Sequence
from functools import partial

import msgspec

from plain_verdict.judging.matching import whole_test
from plain_verdict.judging.severities import fits_severity
from plain_verdict.model import Check, Run, changed_details, detailed_of
from plain_verdict.model.transform import with_fields
from plain_verdict.settings.rules import SeverityRule
from plain_verdict.text.expressions import TooSlow

_ID_FACTS = ("rule", "objective")
"""Facts that hold the id of a rule, in formats whose checks are called by its title."""


class _Matcher:
    """One rule of the team, ready to be tried."""

    def __init__(self, rule: SeverityRule) -> None:
        self._match = rule.match
        self.severity = rule.severity
        self._tool = whole_test(rule.match.tool) if rule.match.tool else None
        self._rule = whole_test(rule.match.rule) if rule.match.rule else None

    def covers(self, check: Check) -> bool:
        """Return whether it means the rule of a check, whatever its severity. Raises TooSlow."""
        is_tool = not self._tool or any(map(self._tool, check.suite))
        return is_tool and (not self._rule or any(map(self._rule, _names_of(check))))

    def replaces(self, check: Check) -> bool:
        """Return whether the check's rule gets the severity. Raises TooSlow."""
        wanted = self._match.severity
        return bool(
            check.rule and (not wanted or fits_severity(wanted, check.rule.severity)) and self.covers(check)
        )


def _names_of(check: Check) -> Iterator[str]:
    """Yield what a rule is called: its name, the id before it, and ids among facts."""
    id_, has_name, name = check.name.partition(": ")
    yield check.name
    if has_name:
        yield from (id_, name)
    yield from (fact.value for fact in check.facts if fact.key in _ID_FACTS)


def with_severities(run: Run, rules: Sequence[SeverityRule]) -> Run:
    """Return the run with the team's severities; of several rules for one, the last that fits counts."""
    if not rules:
        return run
    matchers = [_Matcher(rule) for rule in rules]
    files = (
        with_fields(file, checks=changed_details(file.checks, partial(_with_severity, matchers=matchers)))
        for file in run.files
    )
    return with_fields(run, files=tuple(files))


def _with_severity(check: Check, matchers: Iterable[_Matcher]) -> Check:
    if check.rule is None:
        return check
    # Each looks at what the file says, so that their order matters only where two cover one rule.
    severity = check.rule.severity
    for matcher in matchers:
        try:
            severity = matcher.severity if matcher.replaces(check) else severity
        except TooSlow:
            continue  # said by notes_on
    if severity is check.rule.severity:
        return check
    return msgspec.structs.replace(check, rule=msgspec.structs.replace(check.rule, severity=severity))


def notes_on(rules: Sequence[SeverityRule], checks: Sequence[Check]) -> Iterator[str]:
    """Yield that a rule of the team matches nothing, or can't be tried."""
    for number, rule in enumerate(rules, 1):
        matcher = _Matcher(rule)
        try:
            if not any(matcher.covers(check) for check in detailed_of(checks) if check.rule):
                yield f"Severity rule {number} ({_words(rule)}) matches no rule of any tool."
        except TooSlow:
            yield f"Severity rule {number} ({_words(rule)}) takes too long to match and was switched off."


def _words(rule: SeverityRule) -> str:
    keys = ((key, getattr(rule.match, key)) for key in rule.match.__struct_fields__)
    return ", ".join(f"{key} “{value}”" for key, value in keys if value)
