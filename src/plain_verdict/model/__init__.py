"""The words of the project as data: what a run, a check, a step, a problem and a verdict are.

Everything here is immutable and compact: a nightly run has 100,000 checks. Nothing here opens files or knows
how a page looks.
"""

from plain_verdict.model.api import ApiCalls, Call, CallState, Coverage, Operation
from plain_verdict.model.check import (
    Attempt,
    Check,
    LogEntry,
    Output,
    Place,
    Problem,
    Step,
    counting_last,
    evidence_of,
    exchanges_of,
    own_evidence,
)
from plain_verdict.model.evidence import Content, ContentKind, Evidence
from plain_verdict.model.exchange import Body, Exchange, Expectation, HttpRequest, HttpResponse, Timings
from plain_verdict.model.facts import Fact, Value
from plain_verdict.model.load import (
    Change,
    Comparison,
    Density,
    ErrorWindow,
    LoadRun,
    Percentile,
    RequestNumbers,
    Series,
    SlowStart,
    TimeBound,
)
from plain_verdict.model.outcome import BAD, Kind, Outcome, gravest
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
from plain_verdict.model.verdict import Cause, ConditionResult, KindVerdict, State, Verdict, VerdictWord, Waived

__all__ = [
    "BAD",
    "ApiCalls",
    "Attempt",
    "Body",
    "Call",
    "CallState",
    "Cause",
    "Change",
    "Check",
    "Comparison",
    "ConditionResult",
    "Content",
    "ContentKind",
    "Coverage",
    "Density",
    "ErrorWindow",
    "Evidence",
    "Exchange",
    "Expectation",
    "Fact",
    "HttpRequest",
    "HttpResponse",
    "Kind",
    "KindVerdict",
    "LoadRun",
    "LogEntry",
    "Operation",
    "Outcome",
    "Output",
    "Payload",
    "Percentile",
    "Place",
    "Problem",
    "ReadingNote",
    "RequestNumbers",
    "ResultFile",
    "Run",
    "Series",
    "SlowStart",
    "State",
    "Step",
    "SuiteNotes",
    "Tally",
    "TimeBound",
    "Timings",
    "Unread",
    "Value",
    "Verdict",
    "VerdictWord",
    "Waived",
    "counting_last",
    "evidence_of",
    "exchanges_of",
    "gravest",
    "in_order",
    "own_evidence",
    "tally_of",
]
