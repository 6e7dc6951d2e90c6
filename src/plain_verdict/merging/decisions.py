"""Settles checks that need a person by what a person decided. What failed or passed by itself stays what it is."""

from collections.abc import Iterator

import msgspec

from plain_verdict.model import (
    Check,
    Checks,
    Decision,
    DecisionsPayload,
    Fact,
    Outcome,
    Output,
    Problem,
    ReadingNote,
    ResultFile,
    Run,
    detailed_of,
    epoch_s,
)
from plain_verdict.model.transform import with_fields
from plain_verdict.text.formatting import format_date, plural

DECIDED_BY = "decided by"


def with_decisions(run: Run) -> Run:
    """Return the run with its decisions in place; of several for one check the last counts."""
    decided = {
        decision.check: decision for _, decision in sorted(_decisions(run), key=lambda pair: _moment(pair[1]))
    }
    if not decided:
        return run
    used: set[str] = set()
    files = [_settled(file, decided, used) for file in run.files]
    idle = [(path, decision) for path, decision in _decisions(run) if decision.check not in used]
    return with_fields(run, files=tuple(_noted(file, idle) for file in files))


def _moment(decision: Decision) -> float:
    return epoch_s(decision.at) if decision.at else 0.0


def _decisions(run: Run) -> Iterator[tuple[str, Decision]]:
    for file in run.files:
        for payload in file.payloads:
            if isinstance(payload, DecisionsPayload):
                yield from ((file.path, decision) for decision in payload.decisions)


def _settled(file: ResultFile, decided: dict[str, Decision], used: set[str]) -> ResultFile:
    open_ones = {
        check.id for check in detailed_of(file.checks) if check.outcome is Outcome.UNDECIDED
    } & decided.keys()
    used |= open_ones
    if not open_ones:
        return file
    checks = (_as_decided(check, decided[check.id]) if check.id in open_ones else check for check in file.checks)
    return msgspec.structs.replace(file, checks=Checks.of(checks))


def _as_decided(check: Check, decision: Decision) -> Check:
    last, bad = check.last, decision.outcome in (Outcome.FAILED, Outcome.ERRORED)
    day = f", {format_date(decision.at.date())}" if decision.at else ""
    outputs = (Output("what was to be decided", last.reason),) if last.reason else ()
    note = (Output("note", decision.note),) if decision.note and not bad else ()
    attempt = msgspec.structs.replace(
        last,
        outcome=decision.outcome,
        reason=decision.note if decision.outcome in (Outcome.SKIPPED, Outcome.UNDECIDED) else "",
        problems=(Problem(decision.outcome, message=decision.note or "decided by a person"),) if bad else (),
        outputs=(*last.outputs, *outputs, *note),
        evidence=(*last.evidence, *decision.evidence),
    )
    fact = Fact(DECIDED_BY, f"{decision.by or 'a person'}{day}")
    return msgspec.structs.replace(check, attempts=(*check.attempts[:-1], attempt), facts=(*check.facts, fact))


def _noted(file: ResultFile, idle: list[tuple[str, Decision]]) -> ResultFile:
    number = sum(path == file.path for path, _ in idle)
    if not number:
        return file
    what = f"holds {plural(number, 'decision')} for checks that are missing or no longer undecided"
    return msgspec.structs.replace(file, notes=(*file.notes, ReadingNote(file.path, what, quiet=True)))
