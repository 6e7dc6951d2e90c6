"""Builders for the tests of extensions: a source of text, what a reader makes of it, a run and its report."""

import io
from collections.abc import Sequence
from datetime import UTC, datetime

from plain_verdict.inputs.source import Source
from plain_verdict.judging import judge
from plain_verdict.judging.measures import CheckedScope
from plain_verdict.model import Attempt, Check, Kind, Outcome, Problem, ResultFile, Run
from plain_verdict.model.ids import check_id
from plain_verdict.readers.interface import Head, Reader
from plain_verdict.readers.xml.text import HEAD_BYTES
from plain_verdict.report import PageInfo, Report
from plain_verdict.settings.limits import DEFAULT_LIMITS, Limits
from plain_verdict.settings.rules import Rules

MOMENT = datetime(2026, 11, 22, 6, 0, tzinfo=UTC)
"""When reports of tests are made: the same report gives the same bytes."""


def source_of(content: str | bytes, path: str = "results.txt") -> Source:
    """Return a source that holds a text (as UTF-8) or bytes, and is named by a path."""
    data = content.encode() if isinstance(content, str) else content
    return Source(path, lambda: io.BytesIO(data), len(data))


def head_of(content: str | bytes, path: str = "results.txt") -> Head:
    """Return the beginning of a file that holds a text or bytes, as readers are asked about it."""
    source = source_of(content, path)
    with source.open() as stream:
        return Head(stream.read(HEAD_BYTES), source)


def read(
    reader: Reader, content: str | bytes, path: str = "results.txt", limits: Limits = DEFAULT_LIMITS
) -> ResultFile:
    """Return what a reader makes of a text or bytes. Raises ReadError, and ValueError where it takes none."""
    if not reader.recognises(head_of(content, path)):
        raise ValueError(f"the reader does not recognise {path}")
    return reader.read(source_of(content, path), limits)


def check_of(
    name: str,
    outcome: Outcome = Outcome.PASSED,
    *,
    suite: Sequence[str] = ("Desk",),
    kind: Kind = Kind.FUNCTIONAL,
    took_s: float | None = None,
    message: str = "",
) -> Check:
    """Return a check with one attempt; ``message`` is that of its problem."""
    problems = (Problem(outcome, message=message),) if message else ()
    attempt = Attempt(outcome, took_s, problems=problems)
    return Check(check_id(kind, tuple(suite), name), kind, tuple(suite), name, (attempt,))


def run_of(*checks: Check) -> Run:
    """Return a run of one result file with these checks."""
    return Run((ResultFile("results.txt", "text", checks=checks, cases=len(checks)),))


def scope_of(*checks: Check) -> CheckedScope:
    """Return the checks as a measure is given them: a condition on the whole run."""
    return CheckedScope(checks, {})


def report_of(*checks: Check) -> Report:
    """Return the report on a run of these checks, judged without rules."""
    run = run_of(*checks)
    return Report(run, judge(run, Rules(), MOMENT.date()), PageInfo(made=MOMENT))
