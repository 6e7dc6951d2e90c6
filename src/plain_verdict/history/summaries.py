"""Earlier runs in summaries, the JSON that ``--json`` prints: with ``--detail`` they name all checks."""

from array import array
from datetime import datetime

import msgspec

from plain_verdict.history.interface import NAME_CHARS
from plain_verdict.model import Build, CheckIndex, KeptRun, Past, Tally, VerdictWord, kept_run
from plain_verdict.runtime.errors import ReadError

_FAMILY = b'"plain-verdict/summary/'
_FIRST_KEY_BYTES = 200  # the schema is the first key, so the beginning tells what a file is
_LETTER_OF = {"passed": "p", "failed": "f", "errored": "e", "skipped": "s", "undecided": "u"}


class _Check(msgspec.Struct):
    id: str
    suite: list[str]
    name: str
    outcome: str
    parameters: dict[str, str] = {}
    took_s: float | None = None
    attempts: list[str] = []


class _Run(msgspec.Struct):
    id: str
    series: str
    made: datetime
    build: str = ""
    branch: str = ""
    commit: str = ""
    started: datetime | None = None


class _Summary(msgspec.Struct):
    verdict: VerdictWord
    sentence: str = ""
    title: str = ""
    counts: Tally = Tally()
    run: _Run | None = None
    checks: list[_Check] = []
    page: str = ""


def is_summary(data: bytes) -> bool:
    """Return whether JSON is a summary of ours."""
    return _FAMILY in data[:_FIRST_KEY_BYTES]


def run_of_summary(data: bytes) -> KeptRun:
    """Return the run that a summary tells of. Raises ReadError."""
    try:
        summary = msgspec.json.decode(data, type=_Summary)
    except msgspec.MsgspecError as error:
        raise ReadError(f"is a summary that can't be read ({error})", hint="it may be truncated") from error
    run = summary.run
    if run is None:
        raise ReadError("is a summary that does not say of which run", hint="make it again with report --json")
    build = Build(
        id=run.id,
        series=run.series,
        made=run.made,
        title=summary.title,
        branch=run.branch,
        build=run.build,
        commit=run.commit,
        started=run.started,
        verdict=summary.verdict,
        why=summary.sentence.partition(": ")[2],
        tally=summary.counts,
        page=summary.page.replace("\\", "/").rpartition("/")[2],
    )
    checks = sorted({check.id: check for check in summary.checks}.values(), key=lambda check: check.id)
    try:
        outcomes = "".join(map(_letter, checks))
    except KeyError as error:
        raise ReadError(f"is a summary with an unknown outcome, {error}", hint="make it again") from error
    return kept_run(
        build,
        CheckIndex(tuple([check.id for check in checks]), tuple(map(_name, checks))),
        outcomes,
        array("I", [min(round((check.took_s or 0) * 1000), 2**32 - 1) for check in checks]),
    )


def _letter(check: _Check) -> str:
    if check.outcome == "passed" and any(attempt in ("failed", "errored") for attempt in check.attempts):
        return Past.PASSED_ON_RETRY
    return _LETTER_OF[check.outcome]


def _name(check: _Check) -> str:
    title = " ".join([check.name, *(f"[{value}]" for value in check.parameters.values())])
    return " › ".join((*check.suite, title))[:NAME_CHARS]
