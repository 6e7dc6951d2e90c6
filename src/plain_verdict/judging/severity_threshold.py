"""Failed rules that do not break a verdict: allowed in their result file, or below the severity threshold."""

from collections.abc import Iterator, Sequence
from datetime import date

from plain_verdict.model import BAD, Check, Outcome, Severity, Waived
from plain_verdict.text.formatting import capital, format_date, join_list, spelled

_SLIGHT = "below the severity threshold"


def broken_rules(checks: Sequence[Check]) -> list[Check]:
    """Return the rules that are broken or could not be evaluated."""
    return [check for check in checks if check.rule and check.outcome in BAD]


def set_aside(
    checks: Sequence[Check], breaks_from: Severity, waived: dict[str, Waived], today: date
) -> tuple[dict[str, Waived], tuple[str, ...]]:
    """Return the failed rules that do not count, by id, besides those that are waived; and remarks on them."""
    not_counted: dict[str, Waived] = {}
    remarks: list[str] = []
    endless: list[Check] = []
    for check in broken_rules(checks):
        rule = check.rule
        if rule is None or check.id in waived:
            continue
        allowed = rule.allowed
        if allowed and allowed.until and today > allowed.until:
            until = format_date(allowed.until)
            remarks.append(f"The suppression of “{check.name}” ended on {until}: it counts again.")
        elif allowed:
            not_counted[check.id] = Waived(f"suppressed by its file: {allowed.reason}", allowed.until, allowed.who)
            endless += [] if allowed.until else [check]
        elif check.outcome is Outcome.FAILED and rule.severity.rank < breaks_from.rank:
            not_counted[check.id] = Waived(f"{rule.severity.value} severity, {_SLIGHT}", None)
    slight = sum(waived_check.reason.endswith(_SLIGHT) for waived_check in not_counted.values())
    remarks += _threshold_remarks(slight, endless)
    return not_counted, tuple(remarks)


def _threshold_remarks(slight: int, endless: Sequence[Check]) -> Iterator[str]:
    """Yield how many failed rules do not count, and by name those that are allowed without an end."""
    parts = []
    if slight:
        parts.append(f"{spelled(slight, 'failed rule')} {'is' if slight == 1 else 'are'} {_SLIGHT}")
    if endless:
        names = join_list([f"“{check.name}”" for check in endless])
        verb, whose = ("is", "its") if len(endless) == 1 else ("are", "their")
        number = spelled(len(endless), "failed rule")
        number = number.partition(" ")[0] if parts else number
        parts.append(f"{number} {verb} suppressed by {whose} file without an end date: {names}")
    if parts:
        yield f"{capital(', and '.join(parts))}."
