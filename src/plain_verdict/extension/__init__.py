"""What packages need that extend the program: the types of results, and what each kind of extension is.

Names are imported when they are asked for. What is here is stable: see docs/extensions.md.
"""

import importlib

TYPE_CHECKING = False  # as type checkers know it
if TYPE_CHECKING:
    from plain_verdict.extension.loading import API_VERSION
    from plain_verdict.inputs.source import Source
    from plain_verdict.judging.measures.interface import (
        COUNT,
        PER_CENT,
        PER_SECOND,
        SECONDS,
        Amount,
        CheckedScope,
        Measure,
        Unit,
    )
    from plain_verdict.model import (
        Attempt,
        Body,
        Cause,
        Check,
        Evidence,
        Exchange,
        Expectation,
        Fact,
        HttpRequest,
        HttpResponse,
        Kind,
        LogEntry,
        Outcome,
        Output,
        Problem,
        ReadingNote,
        ResultFile,
        Run,
        SourceLocation,
        Step,
        SuiteNotes,
        Tally,
        Verdict,
        VerdictWord,
    )
    from plain_verdict.readers.interface import Head, Reader
    from plain_verdict.report import PageInfo, Report
    from plain_verdict.report.extension_sections import Block, Cell, Section, Table, Text
    from plain_verdict.runtime.errors import PlainVerdictError, ReadError
    from plain_verdict.settings.limits import Limits
    from plain_verdict.writers.interface import OutputFile, Writer

__all__ = [
    "API_VERSION",
    "COUNT",
    "PER_CENT",
    "PER_SECOND",
    "SECONDS",
    "Amount",
    "Attempt",
    "Block",
    "Body",
    "Cause",
    "Cell",
    "Check",
    "CheckedScope",
    "Evidence",
    "Exchange",
    "Expectation",
    "Fact",
    "Head",
    "HttpRequest",
    "HttpResponse",
    "Kind",
    "Limits",
    "LogEntry",
    "Measure",
    "Outcome",
    "Output",
    "OutputFile",
    "PageInfo",
    "PlainVerdictError",
    "Problem",
    "ReadError",
    "Reader",
    "ReadingNote",
    "Report",
    "ResultFile",
    "Run",
    "Section",
    "Source",
    "SourceLocation",
    "Step",
    "SuiteNotes",
    "Table",
    "Tally",
    "Text",
    "Unit",
    "Verdict",
    "VerdictWord",
    "Writer",
]
_MODULE_OF = {
    "inputs.source": ("Source",),
    "judging.measures.interface": (
        *("COUNT", "PER_CENT", "PER_SECOND", "SECONDS", "Amount", "CheckedScope", "Measure", "Unit"),
    ),
    "readers.interface": ("Head", "Reader"),
    "report": ("PageInfo", "Report"),
    "report.extension_sections": ("Block", "Cell", "Section", "Table", "Text"),
    "runtime.errors": ("PlainVerdictError", "ReadError"),
    "extension.loading": ("API_VERSION",),
    "settings.limits": ("Limits",),
    "writers.interface": ("OutputFile", "Writer"),
}
"""Where names are that do not stand in ``model``."""


def __getattr__(name: str) -> object:
    """Return a public name from its module, imported when it is first asked for (PEP 562)."""
    if name not in __all__:
        raise AttributeError(f"module 'plain_verdict.extension' has no attribute {name!r}")
    module = next((module for module, names in _MODULE_OF.items() if name in names), "model")
    return getattr(importlib.import_module(f"plain_verdict.{module}"), name)
