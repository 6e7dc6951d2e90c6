"""Goes through all evidence of checks, wherever it hangs: on a check, an attempt, a step inside a step."""

from collections.abc import Callable, Sequence
from operator import is_
from typing import TypeVar

import msgspec

from plain_verdict.model import (
    Attempt,
    Check,
    Evidence,
    Exchange,
    HttpRequest,
    HttpResponse,
    ResultFile,
    Run,
    Step,
    changed_checks,
    changed_details,
    detailed_of,
    evidence_of,
)
from plain_verdict.model.transform import with_fields

Change = Callable[[Evidence], Evidence | None]
"""Returns what takes the place of a piece of evidence; None takes it away."""


def has_evidence(check: Check) -> bool:
    """Return whether a check has evidence."""
    return any(True for _ in evidence_of(check))


def change_check(check: Check, change: Change) -> Check:
    """Return the check with each piece of its evidence changed."""
    if not has_evidence(check):
        return check
    return msgspec.structs.replace(check, attempts=tuple(_changed(attempt, change) for attempt in check.attempts))


Part = TypeVar("Part", Attempt, Step)
ChangeAll = Callable[[Sequence[Evidence]], tuple[Evidence, ...]]
"""Returns what takes the place of all evidence of an attempt or a step."""


def change_parts(check: Check, change: ChangeAll) -> Check:
    """Return the check with the evidence of each attempt and step changed as a whole."""
    if not has_evidence(check):
        return check
    attempts = tuple(_changed_part(attempt, change) for attempt in check.attempts)
    return msgspec.structs.replace(check, attempts=attempts)


def _changed_part(part: Part, change: ChangeAll) -> Part:
    evidence = change(part.evidence) if part.evidence else ()
    steps = tuple(_changed_part(step, change) for step in part.steps)
    return msgspec.structs.replace(part, evidence=evidence, steps=steps)


def _changed(part: Part, change: Change) -> Part:
    evidence = tuple(new for new in map(change, part.evidence) if new is not None)
    steps = tuple(_changed(step, change) for step in part.steps)
    exchanges = tuple(_exchange(exchange, change) for exchange in part.exchanges)
    return msgspec.structs.replace(part, evidence=evidence, steps=steps, exchanges=exchanges)


def _exchange(exchange: Exchange, change: Change) -> Exchange:
    """Return the exchange with bodies changed that are no text."""
    request, response = exchange.request, exchange.response
    new_request = _message(request, change)
    new_response = response and _message(response, change)
    if new_request is request and new_response is response:
        return exchange
    return msgspec.structs.replace(exchange, request=new_request, response=new_response)


Message = TypeVar("Message", HttpRequest, HttpResponse)


def _message(message: Message, change: Change) -> Message:
    body = message.body
    if body is None or body.binary is None:
        return message
    binary = change(body.binary)
    remark = body.remark if binary else "was left out"
    return msgspec.structs.replace(message, body=msgspec.structs.replace(body, binary=binary, remark=remark))


def change_run(run: Run, change: Callable[[Check, str], Check]) -> Run:
    """Return the run with each check changed; ``change`` is given the folder of its result file, too."""

    def changed(file: ResultFile) -> ResultFile:
        return with_fields(file, checks=changed_checks(file.checks, lambda check: change(check, file.folder)))

    return with_fields(run, files=tuple(map(changed, run.files)))


def busy_part(run: Run, is_busy: Callable[[Check], bool]) -> Run:
    """Return the run with only some of its checks: those that the work to come is about."""
    files = tuple(with_fields(file, checks=tuple(filter(is_busy, detailed_of(file.checks)))) for file in run.files)
    return with_fields(run, files=files)


def with_busy_part(run: Run, part: Run, changed: Run) -> Run:
    """Return the run with what became of a part of it, each check in its place."""
    file_parts = zip(run.files, part.files, changed.files, strict=True)
    files = tuple(
        file if _same(before.checks, after.checks) else _with_changed(file, before, after)
        for file, before, after in file_parts
    )
    return with_fields(changed, files=files)


def _same(these: Sequence[object], those: Sequence[object]) -> bool:
    """Return whether two lists hold the very same objects."""
    return len(these) == len(those) and all(map(is_, these, those))


def _with_changed(file: ResultFile, before: ResultFile, after: ResultFile) -> ResultFile:
    new = {id(check): changed for check, changed in zip(before.checks, after.checks, strict=True)}
    checks = changed_details(file.checks, lambda check: new.get(id(check), check))
    return with_fields(file, checks=checks)
