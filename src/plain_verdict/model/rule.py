"""What a check of kind compliance says besides other checks: the rule's severity, what it asks, what was found."""

from datetime import date
from enum import StrEnum

from plain_verdict.model.facts import Value

NO_WORDS = "the machine does not meet it"
"""What the problem of a machine's rule says where its file gives no words."""


NOT_EVALUATED = "undecided: nothing evaluated it"
"""Why a definition is undecided that a scanner knows and did not look at."""


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


class AssessedRisk(Value, frozen=True):
    """A risk that an assessment names: its status, and its deadline; None: none is given."""

    id: str
    title: str
    status: str
    is_open: bool
    """Neither closed nor accepted as a deviation."""
    deadline: date | None = None
    unreadable_deadline: str = ""
    """As the file has it, where it can't be read as a day."""

    def is_overdue(self, today: date) -> bool:
        """Return whether it is open after its last day."""
        return self.is_open and self.deadline is not None and today > self.deadline


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
    risks: tuple[AssessedRisk, ...] = ()
