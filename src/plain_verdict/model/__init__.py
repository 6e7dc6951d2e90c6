"""The words of the project as data: what a run, a check, a step, a problem and a verdict are.

Everything here is immutable and compact: a nightly run has 100,000 checks. Nothing here opens files or knows
how a page looks.
"""

from plain_verdict.model.check import (
    BAD,
    Attempt,
    Check,
    Kind,
    LogEntry,
    Outcome,
    Output,
    Place,
    Problem,
    Step,
    counting_last,
    evidence_of,
    gravest,
)
from plain_verdict.model.evidence import Content, ContentKind, Evidence
from plain_verdict.model.facts import Fact, Value
from plain_verdict.model.run import (
    Payload,
    ReadingNote,
    ResultFile,
    Run,
    SuiteNotes,
    Tally,
    Unread,
    in_order,
    tally_of,
)
from plain_verdict.model.verdict import Cause, ConditionResult, State, Verdict, VerdictWord, Waived

__all__ = [
    "BAD",
    "Attempt",
    "Cause",
    "Check",
    "ConditionResult",
    "Content",
    "ContentKind",
    "Evidence",
    "Fact",
    "Kind",
    "LogEntry",
    "Outcome",
    "Output",
    "Payload",
    "Place",
    "Problem",
    "ReadingNote",
    "ResultFile",
    "Run",
    "State",
    "Step",
    "SuiteNotes",
    "Tally",
    "Unread",
    "Value",
    "Verdict",
    "VerdictWord",
    "Waived",
    "counting_last",
    "evidence_of",
    "gravest",
    "in_order",
    "tally_of",
]
