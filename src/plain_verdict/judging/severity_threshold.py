"""Failed rules that do not break a verdict: allowed in their result file, or below the severity threshold."""

from collections.abc import Sequence
from datetime import date

from plain_verdict.model import BAD, Check, NotCounted, Outcome, Remark, Severity, Topic, Waived, detailed_of
from plain_verdict.text.formatting import format_date


def broken_rules(checks: Sequence[Check]) -> list[Check]:
    """Return the rules that are broken or could not be evaluated."""
    return [check for check in detailed_of(checks) if check.rule and check.outcome in BAD]


def set_aside(
    checks: Sequence[Check], breaks_from: Severity, waived: dict[str, Waived], today: date
) -> tuple[dict[str, Waived], tuple[Remark, ...]]:
    """Return the failed rules that do not count, by id, besides those that are waived; and remarks on them."""
    not_counted: dict[str, Waived] = {}
    remarks: list[Remark] = []
    for check in broken_rules(checks):
        rule = check.rule
        if rule is None or check.id in waived:
            continue
        allowed = rule.allowed
        if allowed and allowed.until and today > allowed.until:
            lead = f"The suppression of “{check.name}” ended"
            rest = f" on {format_date(allowed.until)}: it counts again."
            remarks.append(Remark(Topic.NOT_COUNTED, lead, rest))
        elif allowed:
            reason = f"suppressed by its file: {allowed.reason}"
            not_counted[check.id] = Waived(reason, allowed.until, allowed.who, by=NotCounted.SUPPRESSED)
        elif check.outcome is Outcome.FAILED and rule.severity.rank < breaks_from.rank:
            reason = f"{rule.severity.value} severity, {NotCounted.BELOW_THRESHOLD}"
            not_counted[check.id] = Waived(reason, None, by=NotCounted.BELOW_THRESHOLD)
    return not_counted, tuple(remarks)
