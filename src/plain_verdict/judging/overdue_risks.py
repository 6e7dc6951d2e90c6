"""Open risks of assessments that are past their deadline."""

from collections.abc import Iterator, Sequence
from datetime import date

from plain_verdict.model import AssessedRisk, Check, Remark, Topic, detailed_of
from plain_verdict.text.formatting import capital, format_date, join_list, spelled

_MOST_RISKS = 2
"""Risks that one sentence names."""


def find_overdue_risks(checks: Sequence[Check], today: date) -> tuple[AssessedRisk, ...]:
    """Return the open risks past their deadline, the longest overdue first, each once."""
    # By all that is said of one: what lacks an id, or is closed in another file, hides none.
    risks = dict.fromkeys(risk for check in detailed_of(checks) if check.rule for risk in check.rule.risks)
    overdue = [risk for risk in risks if risk.is_overdue(today)]
    return tuple(sorted(overdue, key=lambda risk: (risk.deadline or today, risk.title)))


def remarks_on_risks(overdue: Sequence[AssessedRisk]) -> Iterator[Remark]:
    """Yield that open risks are past their deadline."""
    if overdue:
        names = [f"“{risk.title}” (until {format_date(risk.deadline)})" for risk in overdue if risk.deadline]
        verb, whose = ("is", "its") if len(overdue) == 1 else ("are", "their")
        lead = f"{capital(spelled(len(overdue), 'open risk'))} {verb} past {whose} deadline"
        yield Remark(Topic.RISKS, lead, f": {join_list(names, _MOST_RISKS)}.")
