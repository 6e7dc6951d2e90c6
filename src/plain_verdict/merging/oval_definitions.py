"""Brings OVAL results that stand in a file of their own to the rules that they decide: each is one check."""

from collections import defaultdict
from collections.abc import Iterator, Mapping, Sequence
from functools import partial

import msgspec

from plain_verdict.model import (
    BAD,
    NO_WORDS,
    NOT_EVALUATED,
    Attempt,
    Check,
    Outcome,
    Problem,
    ReadingNote,
    ResultFile,
    changed_details,
)
from plain_verdict.model.transform import with_fields
from plain_verdict.text.formatting import plural

_DEFINITION, _HOST = "definition", "host"
_RULES, _DEFINITIONS = "xccdf", "oval"
"""Formats."""


def with_definitions_joined(files: Sequence[ResultFile]) -> tuple[ResultFile, ...]:
    """Return the files; a definition by which a rule was checked on its machine says why, and is no check."""
    if {_RULES, _DEFINITIONS} - {file.format for file in files}:
        return tuple(files)
    known: dict[str, list[Check]] = defaultdict(list)
    for file in files:
        for check in file.checks if file.format == _DEFINITIONS else ():
            known[_value(check, _DEFINITION)].append(check)
    # By the object itself: before ids are made distinct, a definition has one id on all machines.
    joined: set[int] = set()
    with_whys = [
        with_fields(file, checks=changed_details(file.checks, partial(_with_why, known=known, joined=joined)))
        if file.format == _RULES
        else file
        for file in files
    ]
    return tuple(_without(file, joined) if file.format == _DEFINITIONS else file for file in with_whys)


def _with_why(check: Check, known: Mapping[str, Sequence[Check]], joined: set[int]) -> Check:
    """Return a rule's check with what its definitions say; those that it stands for are added to ``joined``."""
    found = list(_definitions_of(check, known))
    # A definition that failed where its rule passed is shown by itself: somebody must look at both.
    joined.update(id(other) for other in found if not _contradicts(check, other))
    whys = [problem for other in found for problem in other.last.problems]
    return _with_detail(check, whys) if check.outcome in BAD and whys else check


def _definitions_of(check: Check, known: Mapping[str, Sequence[Check]]) -> Iterator[Check]:
    for fact in check.facts:
        if fact.key == _DEFINITION:
            yield from (other for other in known.get(fact.value, ()) if _same_machine(check, other))


def _with_detail(check: Check, whys: Sequence[Problem]) -> Check:
    problem, *others = check.last.problems
    detail = "\n".join((*(why.detail for why in whys), problem.detail))
    # A rule whose result has no words takes the first line that says why.
    message = whys[0].message if problem.message == NO_WORDS else problem.message
    problem = msgspec.structs.replace(problem, message=message, detail=detail)
    last = msgspec.structs.replace(check.last, problems=(problem, *others))
    return msgspec.structs.replace(check, attempts=(*check.attempts[:-1], last))


def _contradicts(check: Check, other: Check) -> bool:
    is_allowed = bool(check.rule and check.rule.allowed)
    return other.outcome in BAD and check.outcome is Outcome.PASSED and not is_allowed


def _same_machine(check: Check, other: Check) -> bool:
    hosts = {_value(check, _HOST), _value(other, _HOST)} - {""}
    return len(hosts) < 2


def _value(check: Check, key: str) -> str:
    return next((fact.value for fact in (*check.variant, *check.facts) if fact.key == key), "")


def _without(file: ResultFile, joined: set[int]) -> ResultFile:
    left = tuple(check for check in file.checks if id(check) not in joined)
    if len(left) == len(file.checks):
        return file
    what = f"has {plural(len(file.checks) - len(left), 'definition')} by which rules were checked: shown with them"
    note = ReadingNote(file.path, what, quiet=True)
    # A scanner that checks rules evaluates the definitions of those rules only.
    shown = tuple(_not_needed(check) if check.last.reason == NOT_EVALUATED else check for check in left)
    return with_fields(file, checks=shown, cases=len(left), notes=(*file.notes, note))


def _not_needed(check: Check) -> Check:
    attempt = Attempt(Outcome.SKIPPED, reason="no rule that was checked needs it")
    return msgspec.structs.replace(check, attempts=(attempt,))
