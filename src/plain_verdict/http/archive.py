"""Reads HTTP archives entry by entry, so that one of any size takes little memory and one that is truncated counts.

Source: HAR 1.2 (HTTP Archive), section "HAR Data Structure".
"""

import json
from codecs import BOM_UTF8, getincrementaldecoder
from collections.abc import Iterator
from contextlib import suppress
from typing import BinaryIO

from plain_verdict.text.json_text import noting_twice, without_halves
from plain_verdict.text.patterns import pattern

_READ_BYTES = 1 << 20  # at a time: archives of a whole session are large
_MOST_ENTRY_CHARS = 256_000_000
"""Of one value in the archive: an entry of this size can't be meant to be read."""
_BLANK = pattern(r"[ \t\r\n,]*")
_JSON_KEY = pattern(r'"((?:[^"\\]|\\.){0,200})"\s*:\s*')
# What may be in front of the entries' list: the keys that lead to it.
_PARENTS = ("", "log")


class NotAnArchive(ValueError):  # noqa: N818  the name says what it is
    """The file is not an HTTP archive."""


class Archive:
    """The pages and entries of one archive, as JSON values; ``cut_off`` is true once its end was missed."""

    def __init__(self, stream: BinaryIO) -> None:
        self.pages: list[object] = []
        self.version: object = None
        self.cut_off = False
        self.twice: list[str] = []
        """Keys that stand twice in one object."""
        self.goes_on = False
        """Whether something stands behind its end."""
        self.has_entries = False
        self._stream = stream
        self._decode = getincrementaldecoder("utf-8")("replace").decode
        self._raw_decode = json.JSONDecoder(object_pairs_hook=noting_twice(self.twice)).raw_decode
        self._text = ""
        self._at = 0
        self._ended = False

    def entries(self) -> Iterator[object]:
        """Yield each entry that is whole. Raises NotAnArchive where the file begins as no archive does."""
        try:
            yield from self._below_log()
        except EOFError:
            self.cut_off = True
        if not self.has_entries and not self.cut_off:
            raise NotAnArchive("has no list of entries in its log")

    def _below_log(self) -> Iterator[object]:
        for parent in _PARENTS:
            if parent and not self._find_key(parent):
                raise NotAnArchive("has no log")
            self._expect("{")
        while not self._skips_to("}"):
            key = self._key()
            if key != "entries" or self._next() != "[":
                self._keep(key, self._value())
                continue
            self.has_entries = True
            self._at += 1
            while not self._skips_to("]"):
                yield self._value()
        while not self._skips_to("}"):  # what stands beside the log
            self._key()
            self._value()
        with suppress(EOFError):
            self.goes_on = bool(self._next())

    def _keep(self, key: str, value: object) -> None:
        if key == "pages" and isinstance(value, list):
            self.pages = value
        elif key == "version":
            self.version = value

    def _find_key(self, wanted: str) -> bool:
        """Go to a key's value, past the keys before it."""
        while not self._skips_to("}"):
            if self._key() == wanted:
                return True
            self._value()
        return False

    def _key(self) -> str:
        self._next()
        while True:
            found = _JSON_KEY.match(self._text, self._at)
            if found and (found.end() < len(self._text) or self._ended):
                self._at = found.end()
                return found[1]
            if len(self._text) - self._at > 1000 and not found:
                raise NotAnArchive("is not valid JSON")
            self._read_more()

    def _value(self) -> object:
        """Return the next value. Raises EOFError where the file ends in it."""
        self._next()
        wanted = 0
        while True:
            try:
                value, end = self._raw_decode(self._text, self._at)
            except RecursionError:
                raise NotAnArchive("nests deeper than can be read") from None
            except ValueError:
                # Cut by the end of what is read so far, or by that of the file.
                wanted = max(wanted * 2, _READ_BYTES)
                self._read_more(wanted)
                continue
            if end == len(self._text) and not self._ended:
                self._read_more()  # a number may go on
                continue
            start, self._at = self._at, end
            # Half of a surrogate pair may be escaped: no text can keep it.
            return _whole(value, self._text[start:end]) if self._text.find("\\u", start, end) >= 0 else value

    def _expect(self, sign: str) -> None:
        if self._next() != sign:
            raise NotAnArchive("does not begin as one")
        self._at += 1

    def _skips_to(self, sign: str) -> bool:
        """Return whether the next sign is this one, and go past it then."""
        found = self._next() == sign
        self._at += found
        return found

    def _next(self) -> str:
        """Return the next sign after blanks and commas. Raises EOFError at the end."""
        while True:
            blank = _BLANK.match(self._text, self._at)
            self._at = blank.end() if blank else self._at
            if self._at < len(self._text):
                return self._text[self._at]
            self._read_more()

    def _read_more(self, number_bytes: int = _READ_BYTES) -> None:
        """Read on; what is done with is forgotten. Raises EOFError at the end of the file."""
        if self._ended or len(self._text) - self._at > _MOST_ENTRY_CHARS:
            raise EOFError
        data = self._stream.read(number_bytes)
        if not self._text and not self._at:
            data = data.removeprefix(BOM_UTF8)
        self._ended = not data
        self._text = self._text[self._at :] + self._decode(data, self._ended)
        self._at = 0
        if self._ended and not self._text:
            raise EOFError


def _whole(value: object, text: str) -> object:
    """Return a value, which may have half of a surrogate pair where its JSON escapes one, as it can be kept."""
    if "\\ud" not in text and "\\uD" not in text:
        return value
    data = text.encode("utf-8", "replace")
    whole = without_halves(data)
    return value if whole == data else json.loads(whole)
