"""Reads the result files of check runs and writes one page with a verdict in plain words.

From Python: ``read``, ``judge``, ``render``, and the types that they take and return; see docs/python.md.
"""

import importlib

TYPE_CHECKING = False  # as type checkers know it; importing typing would take longer than the recorder itself
if TYPE_CHECKING:
    from plain_verdict.judging import judge
    from plain_verdict.masking import MaskRules, secrets_of_environment
    from plain_verdict.model import Run, Verdict
    from plain_verdict.pipeline import read, render
    from plain_verdict.report import PageInfo, Report
    from plain_verdict.request import ReadOptions
    from plain_verdict.runtime.errors import PlainVerdictError, ReadError, UsageError, WriteError
    from plain_verdict.settings.rules import Rules
    from plain_verdict.writers.interface import OutputFile, Writer

__version__ = "0.1.0"
__all__ = [
    "MaskRules",
    "OutputFile",
    "PageInfo",
    "PlainVerdictError",
    "ReadError",
    "ReadOptions",
    "Report",
    "Rules",
    "Run",
    "UsageError",
    "Verdict",
    "WriteError",
    "Writer",
    "judge",
    "read",
    "render",
    "secrets_of_environment",
]
_MODULES = {
    "judging": ("judge",),
    "masking": ("MaskRules", "secrets_of_environment"),
    "model": ("Run", "Verdict"),
    "pipeline": ("read", "render"),
    "report": ("PageInfo", "Report"),
    "request": ("ReadOptions",),
    "runtime.errors": ("PlainVerdictError", "ReadError", "UsageError", "WriteError"),
    "settings.rules": ("Rules",),
    "writers.interface": ("OutputFile", "Writer"),
}


def __getattr__(name: str) -> object:
    """Return a public name from its module, imported when it is first asked for (PEP 562): --help stays instant."""
    for module, names in _MODULES.items():
        if name in names:
            return getattr(importlib.import_module(f"plain_verdict.{module}"), name)
    raise AttributeError(f"module 'plain_verdict' has no attribute {name!r}")
