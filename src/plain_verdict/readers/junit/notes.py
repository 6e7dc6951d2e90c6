"""Says in reading notes what was odd about a JUnit file."""

from collections import Counter
from collections.abc import Iterator, Sequence
from typing import TYPE_CHECKING, Protocol

from plain_verdict.model import Check, ReadingNote
from plain_verdict.readers.junit.counts import read_announced
from plain_verdict.readers.junit.tree import Node
from plain_verdict.readers.xml.events import XmlFile
from plain_verdict.text.formatting import join_list, plural

if TYPE_CHECKING:
    from plain_verdict.readers.junit.case import CaseReader


class Walked(Protocol):
    """What has been collected from a file."""

    checks: list[Check]
    disagreements: list[str]
    promises: list[str]
    promised_none: bool
    cases: "CaseReader"


def notes_on(path: str, walk: Walked, file: XmlFile, open_suites: Sequence[Node]) -> tuple[ReadingNote, ...]:
    """Return the file's reading notes, the gravest first; ``open_suites`` are those it never closed."""
    notes = list(_on_wholeness(path, walk, file, open_suites))
    if file.whole and not file.fault:
        if walk.promises:
            what = f"{_first_of(walk.promises)}; results may be missing"
            notes.append(ReadingNote(path, what, results_missing=True))
        if walk.disagreements:
            notes.append(ReadingNote(path, f"{_first_of(walk.disagreements)}; the content counts", quiet=True))
    if file.repaired:
        notes.append(
            ReadingNote(
                path,
                f"has {join_list(file.repaired)}, which XML forbids; they are repaired and no check is lost",
            )
        )
    if walk.cases.odd_elements.total():
        names = join_list([f"<{name}>" for name, times in walk.cases.odd_elements.items() if times])
        what = f"has {names} in its cases, which may mean a failure and is not part of JUnit XML"
        notes.append(ReadingNote(path, what, results_missing=True))
    notes += _odd_words(path, walk.cases.unknown_words, "status", "counted as undecided")
    notes += _odd_words(path, walk.cases.unread_times, "time", "left out")
    return tuple(notes)


def _on_wholeness(path: str, walk: Walked, file: XmlFile, open_suites: Sequence[Node]) -> Iterator[ReadingNote]:
    """Yield a note where the file is broken, truncated, or empty."""
    number = len(walk.checks)
    read = f"{plural(number, 'whole check') if number else 'no whole check'} could be read"
    if file.fault:
        what = f"is not well-formed XML ({file.fault.what}): {read}, others may be missing"
        yield ReadingNote(path, what, f"line {file.fault.line:,}", results_missing=True)
    elif not file.whole:
        counts = (read_announced(suite).cases for suite in open_suites)
        promised = next((count for count in counts if count is not None), 0)
        announced = f", {promised:,} were announced" if promised > number else ""
        where = f"it ends at line {file.lines:,}"
        yield ReadingNote(path, f"is truncated: {read}{announced}", where, results_missing=True)
    elif not number:
        # A shard may have nothing to run; one that does not say so may have lost what it ran.
        yield ReadingNote(path, "holds no checks", results_missing=not walk.promised_none)


def _first_of(names: Sequence[str]) -> str:
    others = len(names) - 1
    return names[0] + (f" (and {plural(others, 'other suite')} likewise)" if others else "")


def _odd_words(path: str, words: Counter[str], noun: str, fate: str) -> list[ReadingNote]:
    if not words:
        return []
    quoted = [f"“{word}”" for word in words]
    return [
        ReadingNote(
            path,
            f"has {plural(words.total(), noun, noun + 's')} that can't be read ({join_list(quoted)}), {fate}",
        )
    ]
