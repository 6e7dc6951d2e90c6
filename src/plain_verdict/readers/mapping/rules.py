"""Checks of compliance by a mapping: the rule's severity, where it is broken, and all its findings in one check."""

from collections.abc import Callable, Iterable, Iterator
from itertools import chain

import msgspec

from plain_verdict.model import BAD, Attempt, Check, Fact, Outcome, Problem, Rule, Severity, gravest
from plain_verdict.model.ids import check_id
from plain_verdict.readers.interface import PAGE
from plain_verdict.readers.mapping.values import Values, no_text
from plain_verdict.readers.severities import severity_in
from plain_verdict.settings.mappings import CheckMapping
from plain_verdict.text.cleaning import block, single_line
from plain_verdict.text.formatting import plural

_MOST_FINDINGS = 100
"""Findings of one rule that are listed one by one."""


class RuleValues:
    """Reads what makes a check one of compliance. Raises ValueError."""

    def __init__(self, values: Values, key: str, form: CheckMapping) -> None:
        self._severity, self._id, self._subject, self._location = (
            values.line(f"{key}.{part}", getattr(form, part)) or no_text
            for part in ("severity", "rule", "subject", "place")
        )
        self._help = values.texts.first(f"{key}.help", form.help) or no_text
        self._limits = values.limits
        self._odd: Callable[[str], None] = lambda text: values.odd(f"{key}.severity", text)

    def as_rule(self, item: object, check: Check) -> Check:
        """Return a check with its rule: its id, how grave it is, what was looked at, and where it is broken."""
        rule_id, subject = self._id(item) or "", self._subject(item)
        name = check.name if rule_id in check.name else f"{rule_id}: {check.name}"
        name = single_line(name, self._limits.name_chars)
        attempts = tuple(_of_rule(attempt, name, self._location(item) or "") for attempt in check.attempts)
        last = attempts[-1]
        return msgspec.structs.replace(
            check,
            id=check_id(check.kind, check.suite, rule_id or name, check.parameters),
            name=name,
            attempts=attempts,
            variant=(*check.variant, *([Fact(PAGE, subject)] if subject else [])),
            rule=Rule(
                self._severity_of(item),
                remediation=block(self._help(item) or "", self._limits.message_chars),
                findings=len(last.problems) if last.outcome in BAD else 0,
            ),
        )

    def _severity_of(self, item: object) -> Severity:
        text = self._severity(item)
        severity = severity_in(text) if text else None
        if text and severity is None:
            self._odd(text)
        # Unknown counts as medium, so that nothing passes for slight.
        return severity or Severity.MEDIUM


def _of_rule(attempt: Attempt, name: str, location: str) -> Attempt:
    """Return an attempt at a rule: what breaks it is its cause, at a location where no problem tells one."""
    if attempt.outcome not in BAD:
        return attempt
    problems = tuple(
        problem if problem.place else msgspec.structs.replace(problem, place=location)
        for problem in attempt.problems
    )
    return msgspec.structs.replace(attempt, problems=problems, cause=attempt.cause or name)


def joined_rules(checks: Iterable[Check]) -> Iterator[Check]:
    """Yield one check for all findings of one rule in one subject, in the order of the first."""
    together: dict[tuple[str, tuple[Fact, ...]], list[Check]] = {}
    for check in checks:
        together.setdefault((check.id, check.variant), []).append(check)
    for findings in together.values():
        yield findings[0] if len(findings) == 1 else _joined(findings)


def _joined(findings: list[Check]) -> Check:
    """Return one check with the problems, evidence and outputs of all findings; the gravest of them counts."""
    outcome = gravest(check.outcome for check in findings)
    grave = next(check for check in findings if check.outcome is outcome)
    attempts = [check.last for check in findings]
    rules = list(filter(None, (check.rule for check in findings)))
    attempt = msgspec.structs.replace(
        grave.last,
        problems=_listed(list(chain.from_iterable(attempt.problems for attempt in attempts))),
        evidence=tuple(chain.from_iterable(attempt.evidence for attempt in attempts)),
        outputs=tuple(chain.from_iterable(attempt.outputs for attempt in attempts)),
    )
    gravest_rule = max(rules, key=lambda rule: rule.severity.rank)
    rule = msgspec.structs.replace(gravest_rule, findings=sum(rule.findings for rule in rules))
    return msgspec.structs.replace(grave, attempts=(attempt,), rule=rule)


def _listed(problems: list[Problem]) -> tuple[Problem, ...]:
    """Return problems up to a limit; those past it are only counted."""
    listed = problems[:_MOST_FINDINGS]
    if len(problems) > len(listed):
        more = plural(len(problems) - len(listed), "more place")
        listed.append(Problem(Outcome.FAILED, message=f"and {more}"))
    return tuple(listed)
