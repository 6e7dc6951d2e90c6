"""Reads the gate log, in which the harbour's test rig writes a line for each movement that it tried.

gate log of Sandvik harbour
06:10  ok      North gate / opens within a minute      41.5 s
06:12  FAILED  North gate / stops for a boat            3.0 s   the boom came down on the fender
"""

import re
from collections.abc import Iterator
from io import TextIOWrapper

from plain_verdict.extension import (
    Attempt,
    Check,
    Head,
    Kind,
    Limits,
    Outcome,
    Problem,
    ReadingNote,
    ResultFile,
    Source,
)

FIRST_LINE = "gate log of "
LINE = re.compile(r"\d\d:\d\d  (\S+)\s+([^/]+?) / (.+?)\s{2,}([\d.]+) s(?:\s+(.*))?")
OUTCOMES = {"ok": Outcome.PASSED, "FAILED": Outcome.FAILED, "STUCK": Outcome.ERRORED, "left": Outcome.SKIPPED}


class GateLogReader:
    """Reads gate logs."""

    format = "gate-log"
    roots: frozenset[str] = frozenset()

    def recognises(self, head: Head) -> bool:
        """Return whether a file begins as a gate log does."""
        return head.text.startswith(FIRST_LINE)

    def read(self, source: Source, limits: Limits) -> ResultFile:
        """Return a check for each line; one that can't be read makes the run undecided."""
        notes: list[ReadingNote] = []
        with source.open() as stream:
            lines = TextIOWrapper(stream, "utf-8", "replace")
            title = next(lines, "").removeprefix(FIRST_LINE).strip()
            checks = tuple(self._checks(lines, source.path, notes))
        return ResultFile(checks=checks, notes=tuple(notes[: limits.notes]), title=title)

    def _checks(self, lines: TextIOWrapper, path: str, notes: list[ReadingNote]) -> Iterator[Check]:
        for number, line in enumerate(lines, 2):
            found = LINE.fullmatch(line.rstrip())
            if found and found[1] in OUTCOMES:
                yield self._check(OUTCOMES[found[1]], found[2], found[3], float(found[4]), found[5] or "")
            elif line.strip():
                what = "is not a line of a gate log"
                notes.append(ReadingNote(path, what, f"line {number}", results_missing=True))

    def _check(self, outcome: Outcome, gate: str, name: str, took_s: float, words: str) -> Check:
        is_bad = outcome in (Outcome.FAILED, Outcome.ERRORED)
        attempt = Attempt(
            outcome,
            took_s,
            reason="" if is_bad else words,
            problems=(Problem(outcome, message=words),) if is_bad else (),
        )
        # The program gives each check its id, by kind, suite and name.
        return Check("", Kind.FUNCTIONAL, (gate,), name, (attempt,))
