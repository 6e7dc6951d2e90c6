"""Measures of rules, for compliance checks."""

from plain_verdict.judging.measures.interface import CHECK_KEYS, COUNT, PER_CENT, CheckedScope, Measure
from plain_verdict.judging.overdue_risks import find_overdue_risks
from plain_verdict.model import BAD, Check, Outcome, detailed_of
from plain_verdict.text.formatting import format_per_cent, plural


def _rules(scope: CheckedScope) -> list[Check]:
    return [check for check in detailed_of(scope.checks) if check.rule]


def _broken(scope: CheckedScope) -> float:
    return sum(check.outcome in BAD and not scope.is_waived(check) for check in _rules(scope))


def _undecided(scope: CheckedScope) -> float:
    return sum(check.outcome is Outcome.UNDECIDED for check in _rules(scope))


def _findings(scope: CheckedScope) -> float:
    return sum(check.rule.findings for check in _rules(scope) if check.rule)


def _new_findings(scope: CheckedScope) -> float | None:
    counts = [check.rule.new_findings for check in _rules(scope) if check.rule]
    known = [number for number in counts if number is not None]
    return sum(known) if known else None


def _score(scope: CheckedScope) -> float | None:
    """Return the worst of all scores, in per cent of the best that there is."""
    return min((100 * score.share for score in scope.scores), default=None)


def _overdue(scope: CheckedScope) -> float:
    return len(find_overdue_risks(scope.checks, scope.today))


def _unsure_deadlines(scope: CheckedScope) -> str:
    risks = {risk for check in _rules(scope) if check.rule for risk in check.rule.risks}
    unreadable = sum(risk.is_open and bool(risk.unreadable_deadline) for risk in risks)
    return f"{plural(unreadable, 'deadline')} can't be read" if unreadable else ""


MEASURES = (
    Measure("failed rules", COUNT, _broken, lambda _, number: plural(round(number), "failed rule"), CHECK_KEYS),
    Measure(
        "undecided rules", COUNT, _undecided, lambda _, number: plural(round(number), "undecided rule"), CHECK_KEYS
    ),
    Measure("findings", COUNT, _findings, lambda _, number: plural(round(number), "finding"), CHECK_KEYS),
    Measure(
        "new findings",
        COUNT,
        _new_findings,
        lambda _, number: plural(round(number), "new finding"),
        CHECK_KEYS,
        lambda _: "no result has a baseline",
    ),
    Measure(
        "score",
        PER_CENT,
        _score,
        lambda _, number: f"{format_per_cent(number)} of the maximum",
        CHECK_KEYS,
        lambda _: "no result has a score",
    ),
    Measure(
        "overdue risks",
        COUNT,
        _overdue,
        lambda _, number: plural(round(number), "overdue risk"),
        CHECK_KEYS,
        unsure=_unsure_deadlines,
    ),
)
