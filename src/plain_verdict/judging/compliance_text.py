"""How many rules are kept and broken, in numbers and in words."""

from collections import Counter
from collections.abc import Collection, Sequence

import msgspec

from plain_verdict.model import BAD, Check, Outcome, Severity
from plain_verdict.text.formatting import plural


class RuleCounts(msgspec.Struct, frozen=True):
    """How many rules ended how. ``suppressed``: failed, and not counted."""

    passed: int
    failed: int
    errored: int
    undecided: int
    not_applicable: int
    suppressed: int
    findings: int
    failed_by_severity: dict[str, int]


def _gravest_first(severity: Severity) -> int:
    return -severity.rank


def count_rules(checks: Sequence[Check], waived: Collection[str]) -> RuleCounts:
    """Return how many rules ended how."""
    rules = [(check, check.rule) for check in checks if check.rule]
    of = Counter(check.outcome for check, _ in rules)
    failed = Counter(
        rule.severity for check, rule in rules if check.outcome is Outcome.FAILED and check.id not in waived
    )
    bad_ids = [check.id for check, _ in rules if check.outcome in BAD]
    return RuleCounts(
        passed=of[Outcome.PASSED],
        failed=of[Outcome.FAILED],
        errored=of[Outcome.ERRORED],
        undecided=of[Outcome.UNDECIDED],
        not_applicable=of[Outcome.SKIPPED],
        suppressed=sum(map(waived.__contains__, bad_ids)),
        findings=sum(rule.findings for _, rule in rules),
        # The gravest first: that is what people look for.
        failed_by_severity={severity.value: failed[severity] for severity in sorted(failed, key=_gravest_first)},
    )


def describe_rules(counts: RuleCounts) -> str:
    """Return how rules ended, in words."""
    total = counts.passed + counts.failed + counts.errored + counts.undecided
    parts = [f"{counts.passed:,} of {plural(total, 'rule')} passed"]
    parts += [f"{counts.failed:,} failed"] if counts.failed else []
    parts += [f"{counts.errored:,} could not be evaluated"] if counts.errored else []
    if counts.undecided:
        parts.append(f"{counts.undecided:,} undecided")
    words = ", ".join(parts)
    if counts.not_applicable:
        verb = "does" if counts.not_applicable == 1 else "do"
        words += f"; {counts.not_applicable:,} {verb} not apply"
    if counts.suppressed:
        verb = "is" if counts.suppressed == 1 else "are"
        words += f"; {counts.suppressed:,} of those failed {verb} not counted"
    return words
