"""Says in reading notes what was odd about a JUnit file."""

from collections import Counter
from collections.abc import Sequence
from typing import TYPE_CHECKING, Protocol

from plain_verdict.model import Check, ReadingNote
from plain_verdict.readers.junit_counts import announced_cases
from plain_verdict.readers.xml_events import XmlEvents
from plain_verdict.words import listed, plural

if TYPE_CHECKING:
    from lxml import etree

    from plain_verdict.readers.junit_case import CaseReader


class Walked(Protocol):
    """What has been collected from a file."""

    checks: dict[object, Check]
    disagreements: list[str]
    cases: "CaseReader"


def notes_on(
    path: str, walk: Walked, events: XmlEvents, open_suites: "Sequence[etree._Element]"
) -> tuple[ReadingNote, ...]:
    """Return the file's reading notes, the gravest first; ``open_suites`` are those it never closed."""
    notes = []
    number = len(walk.checks)
    read = f"{plural(number, 'whole check')} could be read"
    if events.fault:
        what = f"is not well-formed XML ({events.fault.what}): {read}, others may be lost"
        notes.append(ReadingNote(path, what, f"line {events.fault.line:,}", lost=True))
    elif not events.whole:
        promised = next((count for count in map(announced_cases, open_suites) if count is not None), None)
        what = f"is cut off: {read}"
        if promised is not None and promised > number:
            what += f", {promised:,} were announced"
        notes.append(ReadingNote(path, what, f"it ends at line {events.lines:,}", lost=True))
    elif not number:
        notes.append(ReadingNote(path, "holds no checks"))
    if walk.disagreements and events.whole and not events.fault:
        first, others = walk.disagreements[0], len(walk.disagreements) - 1
        more = f" (and {plural(others, 'other suite')} likewise)" if others else ""
        notes.append(ReadingNote(path, f"{first}; what it holds counts{more}"))
    if events.mended:
        notes.append(
            ReadingNote(
                path,
                f"has {listed(events.mended)}, against the rules of XML; they are mended, and no check is lost",
            )
        )
    notes += _odd_words(path, walk.cases.unknown_words, "status", "counted as undecided")
    notes += _odd_words(path, walk.cases.unread_times, "time", "left out")
    return tuple(notes)


def _odd_words(path: str, words: Counter[str], noun: str, fate: str) -> list[ReadingNote]:
    if not words:
        return []
    quoted = [f"“{word}”" for word in words]
    return [
        ReadingNote(
            path,
            f"has {plural(words.total(), noun, noun + 's')} that can't be read ({listed(quoted)}), {fate}",
        )
    ]
