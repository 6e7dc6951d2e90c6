"""Reads the Test Anything Protocol, versions 12 to 14, as runners really write it."""

import re
from collections import Counter
from collections.abc import Iterator
from io import TextIOWrapper
from pathlib import Path

from plain_verdict.inputs.source import Source
from plain_verdict.model import (
    Attempt,
    Check,
    Kind,
    Outcome,
    Output,
    Place,
    Problem,
    ReadingNote,
    ResultFile,
    SuiteNotes,
    Tally,
    tally_of,
)
from plain_verdict.model.ids import check_id
from plain_verdict.readers.expectations import find_expectation
from plain_verdict.readers.interface import Head
from plain_verdict.readers.tap.levels import Document, Level, Node
from plain_verdict.settings.limits import Limits
from plain_verdict.text.cleaning import block, one_line
from plain_verdict.text.formatting import plural

_CERTAIN = re.compile(r"\A\s*TAP version \d|^\s*\d+\.\.\d+\s*(?:#.*)?$", re.IGNORECASE | re.MULTILINE)
_FRAME = re.compile(r"\s*(?!at )\S[^()\n]{0,200}\([^()\n]{1,300}:\d{1,7}:\d{1,7}\)\s*\Z")
_POINTS = re.compile(r"^\s*(?:not )?ok \d+\b", re.MULTILINE)
SUITE_ITSELF = "The suite itself"
_NAMELESS = "Nameless check"
_EXPECTED, _ACTUAL = ("expected", "wanted"), ("actual", "found", "got")
_STACK, _MESSAGE = ("stack", "trace", "backtrace"), ("message", "error", "reason")


class TapReader:
    """Reads one file."""

    format = "tap"
    told_by = "TAP, which begins with a version, a plan or a point"
    roots: frozenset[str] = frozenset()

    def recognises(self, head: Head) -> bool:
        """Return whether the file begins as the protocol does: many a log begins with a word like "ok", too."""
        return head.is_tap and (_CERTAIN.search(head.text) is not None or len(_POINTS.findall(head.text)) > 1)

    def read(self, source: Source, limits: Limits) -> ResultFile:
        """Return the file's checks, with a note on everything odd about it."""
        with source.open() as stream, TextIOWrapper(stream, "utf-8-sig", errors="replace") as lines:
            document = Document(lines)
        reading = _Reading(source, limits)
        checks = tuple(reading.checks(document.top))
        return ResultFile(
            path=source.path,
            format=self.format,
            size_bytes=source.size_bytes,
            checks=checks,
            suites=tuple(reading.suites),
            notes=(*reading.notes, *_on_the_whole(source.path, document, tally_of(checks))),
            folder=source.folder,
            cases=len(checks),
            go=source.go,
        )


def _on_the_whole(path: str, document: Document, tally: Tally) -> Iterator[ReadingNote]:
    """Yield what is odd about a file as a whole."""
    if document.bailed is not None:
        why = f": {one_line(document.bailed, 300)}" if document.bailed else ""
        yield ReadingNote(path, f"bailed out{why}; what should follow is missing", results_missing=True)
    if document.yaml_open:
        yield ReadingNote(path, "ends inside a block of details; it is cut off", results_missing=True)
    if document.bad_yaml:
        yield ReadingNote(
            path, f"has {plural(document.bad_yaml, 'block')} of details that can't be read; shown as text"
        )
    if not tally.total and document.bailed is None:
        yield ReadingNote(path, "holds no points", results_missing=True)


class _Reading:
    """Turns levels into checks."""

    def __init__(self, source: Source, limits: Limits) -> None:
        self.notes: list[ReadingNote] = []
        self.suites: list[SuiteNotes] = []
        self._source = source
        self._limits = limits
        self._kind = source.kind or Kind.FUNCTIONAL
        stem = Path(source.path).name.partition(".")[0] if source.file else ""
        self._root = (one_line(stem, limits.name_chars),) if stem else ()

    def checks(self, top: Level) -> Iterator[Check]:
        """Yield a check for each point that is no suite."""
        if not top.items and top.plans and top.plans[0].last < top.plans[0].first:
            reason = one_line(top.plans[0].reason, self._limits.message_chars)
            yield self._check(self._root, SUITE_ITSELF, Attempt(Outcome.SKIPPED, reason=reason))
            return
        yield from self._of_level(top, self._root, todo="")

    def _of_level(self, level: Level, suite: tuple[str, ...], *, todo: str) -> Iterator[Check]:
        self._compare(level, suite)
        if level.texts:
            text = block("\n".join(level.texts), self._limits.output_chars)
            self.suites.append(SuiteNotes(suite, outputs=(Output("output", text),)))
        for node in level.nodes:
            name = one_line(node.point.name, self._limits.name_chars)
            excused = node.point.reason or "to do" if node.point.directive == "todo" else todo
            if node.level is None or not (node.level.nodes or node.level.plans):
                yield self._check(suite, name or _NAMELESS, self._attempt(node, excused))
                continue
            inside = list(self._of_level(node.level, (*suite, name or _NAMELESS), todo=excused))
            yield from inside
            # It fails though all in it is well, or says that it was skipped and holds nothing.
            well = all(check.outcome in (Outcome.PASSED, Outcome.SKIPPED) for check in inside)
            if (not node.point.ok and well and not excused) or not inside:
                yield self._check((*suite, name or _NAMELESS), SUITE_ITSELF, self._attempt(node, excused))

    def _check(self, suite: tuple[str, ...], name: str, attempt: Attempt) -> Check:
        return Check(check_id(self._kind, suite, name), self._kind, suite, name, (attempt,), place=None)

    def _attempt(self, node: Node, excused: str) -> Attempt:
        """Return what a point says: a failure that is to do is expected, and so skipped."""
        point, limits = node.point, self._limits
        outcome = Outcome.PASSED if point.ok else Outcome.FAILED
        reason = ""
        skipped_inside = node.level is not None and any(plan.last < plan.first for plan in node.level.plans)
        if point.directive == "skip" or (point.ok and skipped_inside):
            outcome, reason = Outcome.SKIPPED, point.reason
            if not reason and node.level is not None:
                reason = next((plan.reason for plan in node.level.plans if plan.reason), "")
        elif excused and not point.ok:
            outcome, reason = Outcome.SKIPPED, f"expected to fail: {excused}"
        elif point.directive == "todo":
            reason = f"passed, though it was expected to fail: {point.reason}".rstrip(": ")
        notes = "\n".join(node.notes)
        return Attempt(
            outcome=outcome,
            took_s=_took_s(node),
            reason=one_line(reason, limits.message_chars),
            problems=() if point.ok or outcome is Outcome.SKIPPED else (_problem(node, limits),),
            outputs=(Output("diagnostics", block(notes, limits.output_chars)),) if notes else (),
        )

    def _compare(self, level: Level, suite: tuple[str, ...]) -> None:
        """Note where the points are not those of the plan."""
        where = " › ".join(suite[len(self._root) :])
        number = len(level.nodes)
        if len(level.plans) > 1:
            self._note(f"has {plural(len(level.plans), 'plan')}", where, lost=True)
        if not level.plans:
            self._note("has no plan, so nobody knows whether all points are there", where, lost=True)
        else:
            planned = max(0, level.plans[0].last - level.plans[0].first + 1)
            if number < planned:
                self._note(f"holds {plural(number, 'point')}, {planned:,} were planned", where, lost=True)
            elif number > planned:
                self._note(f"holds {plural(number, 'point')}, only {planned:,} were planned", where)
        numbers = Counter(node.point.number for node in level.nodes if node.point.number is not None)
        twice = [number for number, times in numbers.items() if times > 1]
        if twice:
            several = plural(len(twice), "number")
            self._note(f"uses {several} more than once (the first is {twice[0]}); all points count", where)

    def _note(self, what: str, where: str, *, lost: bool = False) -> None:
        if len(self.notes) < self._limits.notes:
            self.notes.append(ReadingNote(self._source.path, what, where, results_missing=lost))


def _took_s(node: Node) -> float | None:
    told = node.yaml.get("duration_ms")
    if isinstance(told, int | float) and not isinstance(told, bool) and 0 <= told < 1e12:
        return told / 1000
    return node.point.took_s


def _problem(node: Node, limits: Limits) -> Problem:
    """Return what went wrong, as the block after the point or the diagnostics tell it."""
    message = _told(node, _MESSAGE) or next((note.strip() for note in node.notes), "")
    expected, actual = _value(node, _EXPECTED, limits), _value(node, _ACTUAL, limits)
    if expected is None and actual is None:
        expected, actual = find_expectation("\n".join(node.notes)) or (None, None)
    return Problem(
        Outcome.FAILED,
        type=one_line(_told(node, ("name", "type", "code")) or "", limits.name_chars),
        message=block(message, limits.message_chars),
        detail=block("\n".join(filter(None, (_stack(node), _place(node)))), limits.detail_chars),
        expected=expected,
        actual=actual,
    )


def _stack(node: Node) -> str:
    """Return the stack, its frames written as such: some runners leave the word before them out."""
    lines = _told(node, _STACK).split("\n")
    return "\n".join(f"    at {line.strip()}" if _FRAME.match(line) else line for line in lines)


def _place(node: Node) -> str:
    at = node.yaml.get("at") or node.yaml.get("location")
    if isinstance(at, dict):
        line = at.get("line")
        return f"at {Place(str(at.get('file', '')), line if isinstance(line, int) else None)}"
    return f"at {at}" if at else ""


def _told(node: Node, keys: tuple[str, ...]) -> str:
    return next((str(node.yaml[key]) for key in keys if node.yaml.get(key)), "")


def _value(node: Node, keys: tuple[str, ...], limits: Limits) -> str | None:
    return next((block(str(node.yaml[key]), limits.message_chars) for key in keys if key in node.yaml), None)
