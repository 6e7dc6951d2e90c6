"""Reads the Test Anything Protocol, versions 12 to 14, as runners really write it."""

import re
from collections import Counter
from collections.abc import Iterator
from hashlib import blake2b
from io import TextIOWrapper
from pathlib import Path
from typing import NamedTuple, cast

from plain_verdict.inputs.source import STANDARD_INPUT_NAME, Source
from plain_verdict.model import (
    Attempt,
    Check,
    Kind,
    Outcome,
    Output,
    Problem,
    ReadingNote,
    ResultFile,
    SourceLocation,
    SuiteNotes,
    Tally,
    passed_in,
    tally_of,
)
from plain_verdict.model.ids import id_within, suite_digest
from plain_verdict.readers.expectations import find_expectation
from plain_verdict.readers.file_reading import FileReading
from plain_verdict.readers.interface import NAMELESS, SUITE_ITSELF, Head, within_limit
from plain_verdict.readers.tap.lines import Plan
from plain_verdict.readers.tap.subtests import Document, Level, Node
from plain_verdict.settings.limits import Limits
from plain_verdict.text.cleaning import block, single_line
from plain_verdict.text.formatting import plural

_FRAME = re.compile(r"\s*(?!at )\S[^()\n]{0,200}\([^()\n]{1,300}:\d{1,7}:\d{1,7}\)\s*\Z")
_EXPECTED, _ACTUAL = ("expected", "wanted"), ("actual", "found", "got")
_STACK, _MESSAGE = ("stack", "trace", "backtrace"), ("message", "error", "reason")


class TapReader:
    """Reads one file."""

    format = "tap"
    roots: frozenset[str] = frozenset()

    def recognises(self, head: Head) -> bool:
        """Return whether the file begins as the protocol does."""
        return head.is_tap

    def read(self, source: Source, limits: Limits) -> ResultFile:
        """Return the file's checks, with a note on everything odd about it."""
        with source.open() as stream, TextIOWrapper(stream, "utf-8-sig", errors="replace") as lines:
            document = Document(lines)
        reading = _Reading(source, limits)
        checks = tuple(within_limit(reading.checks(document.top), limits, source.path))
        return ResultFile(
            checks=checks,
            suites=tuple(reading.suites),
            notes=(*reading.notes, *_on_the_whole(source.path, document, tally_of(checks))),
            cases=len(checks),
        )


def _on_the_whole(path: str, document: Document, tally: Tally) -> Iterator[ReadingNote]:
    """Yield what is odd about a file as a whole."""
    if document.bailed is not None:
        why = f": {single_line(document.bailed, 300)}" if document.bailed else ""
        yield ReadingNote(path, f"bailed out{why}; the points after it are missing", results_missing=True)
    if document.yaml_open:
        yield ReadingNote(path, "ends inside a block of details; it is truncated", results_missing=True)
    if document.bad_yaml:
        yield ReadingNote(
            path, f"has {plural(document.bad_yaml, 'block')} of details that can't be read; shown as text"
        )
    if not tally.total and document.bailed is None:
        yield ReadingNote(path, "holds no points", results_missing=True)


class _Suite(NamedTuple):
    """A suite, how it is shown, and what the ids of its checks begin from."""

    suite: tuple[str, ...]
    shown: tuple[str, ...]
    digest: blake2b


class _Reading(FileReading):
    """Turns levels into checks."""

    def __init__(self, source: Source, limits: Limits) -> None:
        super().__init__(source, limits)
        self.notes: list[ReadingNote] = []
        self.suites: list[SuiteNotes] = []
        self._kind = source.kind or Kind.FUNCTIONAL
        is_named = source.path != STANDARD_INPUT_NAME
        stem = Path(source.path).name.partition(".")[0] if is_named else ""
        self._root = (single_line(stem, limits.name_chars),) if stem else ()
        self._last = _Suite((), (), suite_digest(self._kind, ()))
        """The suite of the check before, which most checks share."""

    def checks(self, top: Level) -> Iterator[Check]:
        """Yield a check for each point that is not a suite."""
        if not top.items and not top.orphans and _skips_all(top):
            reason = single_line(top.plans[0].reason, self.limits.message_chars)
            yield self._check(self._root, SUITE_ITSELF, (Attempt(Outcome.SKIPPED, reason=reason),))
            return
        yield from self._of_level(top, self._root, todo="")

    def _of_level(self, level: Level, suite: tuple[str, ...], *, todo: str) -> Iterator[Check]:
        self._compare(level, suite)
        if level.texts:
            text = block("\n".join(level.texts), self.limits.output_chars)
            self.suites.append(SuiteNotes(self._shown(suite), outputs=(Output("output", text),)))
        for node in level.nodes:
            if node.level is None:
                yield self._check(suite, node.point.name or NAMELESS, self._attempts(node, _excuse(node, todo)))
            else:
                yield from self._of_suite(node, node.level, suite, _excuse(node, todo))
        for orphan in level.orphans:
            yield from self._of_level(orphan, suite, todo=todo)

    def _of_suite(self, node: Node, level: Level, suite: tuple[str, ...], excuse: str) -> Iterator[Check]:
        """Yield the checks of the suite that a point closes."""
        name = node.point.name or NAMELESS
        inside = list(self._of_level(level, (*suite, name), todo=excuse))
        yield from inside
        # It fails though all in it is well; or it holds nothing, and is all there is to tell.
        well = all(check.outcome in (Outcome.PASSED, Outcome.SKIPPED) for check in inside)
        if not inside or (well and not node.point.ok and not excuse):
            yield self._check((*suite, name), SUITE_ITSELF, self._attempts(node, excuse))

    def _shown(self, suite: tuple[str, ...]) -> tuple[str, ...]:
        return tuple(self.name(part) for part in suite)

    def _check(self, suite: tuple[str, ...], name: str, attempts: tuple[Attempt, ...]) -> Check:
        if suite is not self._last.suite:
            self._last = _Suite(suite, self._shown(suite), suite_digest(self._kind, suite))
        id_ = id_within(self._last.digest, name)  # of the names as they are written
        return Check(id_, self._kind, self._last.shown, self.name(name), attempts)

    def _attempts(self, node: Node, excuse: str) -> tuple[Attempt, ...]:
        """Return the only attempt of a point."""
        outcome, reason = _judged(node, excuse)
        if outcome is Outcome.PASSED and not (reason or node.notes):
            return passed_in(_took_s(node))
        notes = "\n".join(node.notes)
        attempt = Attempt(
            outcome=outcome,
            took_s=_took_s(node),
            reason=single_line(reason, self.limits.message_chars) if reason else "",
            problems=(_problem(node, self.limits),) if outcome is Outcome.FAILED else (),
            outputs=(Output("diagnostics", block(notes, self.limits.output_chars)),) if notes else (),
        )
        return (attempt,)

    def _compare(self, level: Level, suite: tuple[str, ...]) -> None:
        """Note where the points are not those of the plan."""
        where = " › ".join(self._shown(suite[len(self._root) :]))
        if level.orphans:
            subtests = plural(len(level.orphans), "subtest")
            self._note(f"has {subtests} whose own point is missing", where, lost=True)
        if len(level.plans) != 1:
            what = f"has {plural(len(level.plans), 'plan')}" if level.plans else "has no plan"
            self._note(f"{what}, so missing points can't be found", where, lost=True)
            return
        self._compare_numbers(level.plans[0], _numbers(level), where)

    def _compare_numbers(self, plan: Plan, numbers: Counter[int], where: str) -> None:
        planned = range(plan.first, plan.last + 1)
        number = plural(numbers.total(), "point")
        if numbers.total() < len(planned):
            self._note(f"holds {number}, {len(planned):,} were planned", where, lost=True)
        elif numbers.total() > len(planned):
            self._note(f"holds {number}, only {len(planned):,} were planned", where)
        # Points can stand in for each other by count, not by number.
        absent = next((each for each in planned if each not in numbers), None)
        if absent is not None and numbers.total() >= len(planned):
            self._note(f"lacks the point {absent}", where, lost=True)
        twice = [each for each, times in numbers.items() if times > 1]
        if twice:
            subtests = plural(len(twice), "number")
            self._note(f"uses {subtests} more than once (the first is {twice[0]}); all points count", where)

    def _note(self, what: str, where: str, *, lost: bool = False) -> None:
        if len(self.notes) < self.limits.notes:
            self.notes.append(ReadingNote(self.source.path, what, where, results_missing=lost))


def _excuse(node: Node, around: str) -> str:
    """Return why a point may fail: it is to do, or what is around it is; "" where it may not."""
    return (node.point.reason or "to do") if node.point.directive == "todo" else around


def _skips_all(level: Level | None) -> bool:
    return level is not None and any(plan.last < plan.first for plan in level.plans)


def _judged(node: Node, excuse: str) -> tuple[Outcome, str]:
    """Return the outcome of a point, and why it was skipped or is remarkable: what is to do may fail."""
    point = node.point
    if point.directive == "skip":
        return Outcome.SKIPPED, point.reason
    if point.ok and node.level is not None and _skips_all(node.level):
        return Outcome.SKIPPED, node.level.plans[0].reason
    if not point.ok:
        return (Outcome.SKIPPED, f"expected to fail: {excuse}") if excuse else (Outcome.FAILED, "")
    if point.directive == "todo":
        return Outcome.PASSED, f"passed, but was expected to fail: {point.reason}".rstrip(": ")
    return Outcome.PASSED, ""


def _numbers(level: Level) -> Counter[int]:
    """Return the numbers of the points; one without a number has the next."""
    numbers = [node.point.number for node in level.nodes]
    if None in numbers:
        last = 0
        for at, number in enumerate(numbers):
            last = numbers[at] = last + 1 if number is None else number
    return Counter(cast("list[int]", numbers))  # none is unknown now


def _took_s(node: Node) -> float | None:
    if not node.yaml:
        return node.point.took_s
    duration_ms = node.yaml.get("duration_ms")
    if isinstance(duration_ms, int | float) and not isinstance(duration_ms, bool) and 0 <= duration_ms < 1e12:
        return duration_ms / 1000
    return node.point.took_s


def _problem(node: Node, limits: Limits) -> Problem:
    """Return what went wrong, as the block after the point or the diagnostics tell it."""
    message = _texts_of(node, _MESSAGE) or next((note.strip() for note in node.notes), "")
    expected, actual = _value(node, _EXPECTED, limits), _value(node, _ACTUAL, limits)
    if expected is None and actual is None:
        notes = block("\n".join(node.notes), limits.detail_chars)
        expected, actual = find_expectation(notes) or (None, None)
    return Problem(
        Outcome.FAILED,
        type=single_line(_texts_of(node, ("name", "type", "code")) or "", limits.name_chars),
        message=block(message, limits.message_chars),
        detail=block("\n".join(filter(None, (_stack(node), _location(node)))), limits.detail_chars),
        expected=expected,
        actual=actual,
    )


def _stack(node: Node) -> str:
    """Return the stack, its frames written as such: some runners leave the word before them out."""
    lines = _texts_of(node, _STACK).split("\n")
    return "\n".join(f"    at {line.strip()}" if _FRAME.match(line) else line for line in lines)


def _location(node: Node) -> str:
    at = node.yaml.get("at") or node.yaml.get("location")
    if isinstance(at, dict):
        line = at.get("line")
        return f"at {SourceLocation(str(at.get('file', '')), line if isinstance(line, int) else None)}"
    return f"at {at}" if at else ""


def _texts_of(node: Node, keys: tuple[str, ...]) -> str:
    return next((str(node.yaml[key]) for key in keys if node.yaml.get(key)), "")


def _value(node: Node, keys: tuple[str, ...], limits: Limits) -> str | None:
    return next((block(str(node.yaml[key]), limits.message_chars) for key in keys if key in node.yaml), None)
