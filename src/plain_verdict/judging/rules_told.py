"""How many rules are kept and broken, in numbers and in words."""

from collections.abc import Collection, Sequence

import msgspec

from plain_verdict.model import Check, Outcome, Severity
from plain_verdict.text.formatting import plural


class RuleCounts(msgspec.Struct, frozen=True):
    """How many rules ended how. ``allowed`` are broken, and set aside."""

    kept: int
    broken: int
    errored: int
    needs_person: int
    not_applicable: int
    allowed: int
    findings: int
    broken_by_severity: dict[str, int]


def count_rules(checks: Sequence[Check], waived: Collection[str]) -> RuleCounts:
    """Return how many rules ended how."""
    rules = [check for check in checks if check.rule]
    of = {outcome: [check for check in rules if check.outcome is outcome] for outcome in Outcome}
    counting = [check for check in of[Outcome.FAILED] if check.id not in waived]
    by_severity = {
        severity.value: number
        for severity in reversed(Severity)
        if (number := sum(check.rule.severity is severity for check in counting if check.rule))
    }
    return RuleCounts(
        kept=len(of[Outcome.PASSED]),
        broken=len(of[Outcome.FAILED]),
        errored=len(of[Outcome.ERRORED]),
        needs_person=len(of[Outcome.UNDECIDED]),
        not_applicable=len(of[Outcome.SKIPPED]),
        allowed=sum(check.id in waived for check in (*of[Outcome.FAILED], *of[Outcome.ERRORED])),
        findings=sum(check.rule.findings for check in rules if check.rule),
        broken_by_severity=by_severity,
    )


def describe_rules(counts: RuleCounts) -> str:
    """Return how rules ended, in words."""
    total = counts.kept + counts.broken + counts.errored + counts.needs_person
    parts = [f"{counts.kept:,} of {plural(total, 'rule')} kept"]
    parts += [f"{counts.broken:,} broken"] if counts.broken else []
    parts += [f"{counts.errored:,} could not be evaluated"] if counts.errored else []
    if counts.needs_person:
        parts.append(f"{counts.needs_person:,} {'needs' if counts.needs_person == 1 else 'need'} a person")
    words = ", ".join(parts)
    if counts.not_applicable:
        verb = "does" if counts.not_applicable == 1 else "do"
        words += f"; {counts.not_applicable:,} {verb} not apply"
    if counts.allowed:
        verb = "does" if counts.allowed == 1 else "do"
        words += f"; {counts.allowed:,} of those broken {verb} not count"
    return words
