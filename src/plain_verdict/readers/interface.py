"""What a reader is: the contract of all formats, and the values they share."""

import re
from collections.abc import Iterable, Iterator
from functools import cached_property
from typing import Protocol

import msgspec

from plain_verdict.inputs.source import Source
from plain_verdict.model import Check, ReadingNote, ResultFile
from plain_verdict.readers.csv_text import Row, delimiter_of, rows_of
from plain_verdict.readers.xml.text import HEAD_BYTES, XmlStart, head_text, start_of
from plain_verdict.runtime.errors import ReadError
from plain_verdict.settings.limits import DEFAULT_LIMITS, Limits
from plain_verdict.text.cleaning import single_line
from plain_verdict.text.formatting import plural
from plain_verdict.text.json_text import DAMAGED_JSON, decode_json, twice_in
from plain_verdict.text.patterns import pattern

_TAP_PLAN = pattern(r"^\s*\d+\.\.\d+\s*(?:#.*)?$", re.MULTILINE)
_TAP = pattern(rf"\s*(?:TAP version \d+\b|(?:not )?ok \d+\b|not ok\b)|{_TAP_PLAN.pattern}", re.MULTILINE)
_TAP_OK = pattern(r"\s*ok\b")
_TAP_POINT = pattern(r"^(?:not )?ok \d+\b", re.MULTILINE)
_HEAD_ROWS = 20
SUITE_ITSELF, NAMELESS = "The suite itself", "Nameless check"
"""What a check is called that is a suite's own outcome, and one to which its file gives no name."""
TOGETHER = " + "
"""What stands between the names of several mappings that read one file."""
PAGE = "page"
"""What the subject of a rule is called, by which variants of its check differ."""
_JSON_PIECE = pattern(r'"(?:[^"\\\n]|\\.)*"|[{}\[\]:]')


def noted_twice(data: bytes, path: str) -> Iterator[ReadingNote]:
    """Yield a note where a key stands twice in one object of a JSON file. Source: RFC 8259, section 4."""
    key = twice_in(data)
    if key is not None:
        what = f"has the key “{single_line(key, 40)}” twice in one object, so one of its values is lost"
        yield ReadingNote(path, what, results_missing=True)


def within_limit(checks: Iterable[Check], limits: Limits, path: str) -> Iterator[Check]:
    """Yield the checks of a file. Raises ReadError past the most that one may hold."""
    for number, check in enumerate(checks):
        if number >= limits.checks:
            raise too_many_checks(limits, path)
        yield check


def too_many_checks(limits: Limits, path: str = "") -> ReadError:
    """Return the error of a file that holds more checks than one may."""
    return ReadError(
        f"holds more than {plural(limits.checks, 'check')}", path=path, hint="split it into several files"
    )


class Head:
    """The beginning of a file, by which its format is given: as text, and as each syntax sees it.

    A reader asks for the view of its syntax; each is made when it is first asked for.
    """

    def __init__(self, data: bytes, source: Source | None = None) -> None:
        self.data = data
        self.source = source
        """The whole file, for what its beginning can't tell."""

    @property
    def path(self) -> str:
        """Return the file's path as it is named, "" where it has none."""
        return self.source.path if self.source else ""

    @cached_property
    def json_value(self) -> object:
        """Return what the whole file holds as JSON; None where it is none, or larger than is read whole."""
        if self.source is None or self.source.size_bytes > DEFAULT_LIMITS.whole_bytes:
            return None
        with self.source.open() as stream:
            try:
                return decode_json(stream.read())
            except DAMAGED_JSON:
                return None

    @cached_property
    def text(self) -> str:
        """Return the beginning as text, without blank space before it."""
        return head_text(self.data)

    @cached_property
    def xml(self) -> XmlStart:
        """Return the XML root element's local name and namespace, and the name that a DOCTYPE gives."""
        return start_of(self.text)

    @cached_property
    def json_keys(self) -> frozenset[str]:
        """Return the keys of the first JSON object (of JSON Lines, the first line's), not those of objects in it.

        The object need not end within the beginning.
        """
        keys: set[str] = set()
        depth, before = 0, ""
        for piece in _JSON_PIECE.findall(self.text if self.text[:1] == "{" else ""):
            depth += (piece in "{[") - (piece in "}]")
            if not depth:
                break
            if piece == ":" and depth == 1:
                keys.add(before)
            before = piece[1:-1]  # a string without its quotes
        return frozenset(keys)

    @cached_property
    def json_lines(self) -> tuple[object, ...]:
        """Return the first lines of JSON Lines, as far as they stand whole in it; none where it is no such file."""
        if self.text[:1] != "{":
            return ()
        found: list[object] = []
        for line in self.text.split("\n", _HEAD_ROWS)[:_HEAD_ROWS]:
            try:
                found.append(msgspec.json.decode(line.encode("utf-8", "replace")))
            except msgspec.DecodeError:
                continue
        return tuple(found)

    @cached_property
    def csv_rows(self) -> tuple[tuple[str, ...], ...]:
        """Return the first rows of a table, as far as they stand whole in it; none where it is none."""
        cut = len(self.data) >= HEAD_BYTES and "\n" in self.text
        lines = (self.text[: self.text.rindex("\n")] if cut else self.text).split("\n", _HEAD_ROWS)[:_HEAD_ROWS]
        first = lines[0].rstrip("\r")
        if not first or first[:1] in "<{[" or not first.replace("\t", " ").isprintable():
            return ()
        delimiter = delimiter_of(lines)
        rows = rows_of(lines, delimiter) if delimiter in first else ()
        return tuple(tuple(map(str.strip, row.cells)) for row in rows if isinstance(row, Row) and row.cells)

    @property
    def csv_columns(self) -> tuple[str, ...]:
        """Return the names in the first line of a table, as CSV writes them; none where it is one word."""
        return self.csv_rows[0] if self.csv_rows else ()

    @cached_property
    def is_tap(self) -> bool:
        """Return whether it begins as the Test Anything Protocol does: a version, a plan or a test line.

        A log may begin with "ok", too: without a number it is one only where a plan comes with it.
        """
        if _TAP.match(self.text):
            return True
        if self.text[:1] in "<{[" or _TAP_PLAN.search(self.text) is None:
            return False
        # Programs that run others write lines of their own before the first point.
        return _TAP_OK.match(self.text) is not None or _TAP_POINT.search(self.text) is not None


class Reader(Protocol):
    """Reads one format."""

    @property
    def format(self) -> str:
        """Return the format's name in outputs, like ``junit-xml``."""
        ...

    @property
    def roots(self) -> frozenset[str]:
        """Return the XML root elements that this reader takes; none for a format that is not XML."""
        ...

    def recognises(self, head: Head) -> bool:
        """Return whether a file that begins like this is of the reader's format."""
        ...

    def read(self, source: Source, limits: Limits) -> ResultFile:
        """Return what the file holds.

        Raises ReadError when nothing of it can be used; smaller trouble becomes reading notes.
        """
        ...
