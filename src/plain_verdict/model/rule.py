"""What a check of kind compliance says besides other checks: the rule's severity, what it asks, what was found."""

from datetime import date
from enum import StrEnum

from plain_verdict.model.facts import Value


class Severity(StrEnum):
    """How grave it is that a rule is broken, in every standard's own scale brought to one."""

    NONE = "none"
    LOW = "low"
    MEDIUM = "medium"
    HIGH = "high"
    CRITICAL = "critical"

    @property
    def rank(self) -> int:
        """Return its place among all, from 0."""
        return list(Severity).index(self)


class Allowed(Value, frozen=True):
    """That a result file itself allows what breaks a rule: why, by whom, and until which day if it reports it."""

    reason: str
    who: str = ""
    until: date | None = None


class Rule(Value, frozen=True):
    """A rule. ``findings`` are places that break it and count, ``suppressed_findings`` those that its file allows.

    ``new_findings`` are those that were not there at the file's own baseline; None where it has none.
    """

    severity: Severity
    why: str = ""
    remediation: str = ""
    findings: int = 0
    suppressed_findings: int = 0
    new_findings: int | None = None
    allowed: Allowed | None = None
    """Where all that breaks it is allowed."""
