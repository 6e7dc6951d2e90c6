"""Decodes text that may hold bytes of another encoding: each such byte is read as Windows-1252."""

import codecs
import re
from collections.abc import Iterator
from io import StringIO
from itertools import chain
from typing import BinaryIO

from plain_verdict.text.patterns import pattern

CHUNK_BYTES = 1 << 16
_LONGEST_LINE_CHARS = 20_000_000  # a line without end is cut before it fills the memory
# A byte that is not of the encoding is kept as a lone surrogate (PEP 383), and then read as Windows-1252.
_WRONG_BYTE = pattern("[\udc80-\udcff]")


def as_text(data: bytes) -> str:
    """Return UTF-8 as text."""
    try:
        return data.decode("utf-8")
    except UnicodeDecodeError:
        return _WRONG_BYTE.sub(_as_windows, data.decode("utf-8", "surrogateescape"))


def _as_windows(found: re.Match[str]) -> str:
    return bytes([ord(found[0]) - 0xDC00]).decode("cp1252", "replace")


class Decoding:
    """Decodes the chunks of one file. Raises LookupError for an encoding of text that Python does not know."""

    def __init__(self, encoding: str) -> None:
        b"".decode(encoding)  # raises for codecs that are no encodings of text, too
        self.wrong = False
        """Whether a byte was not of the encoding."""
        self._encoding = codecs.lookup(encoding).name
        self._decoder = codecs.getincrementaldecoder(self._encoding)("strict")

    def text(self, data: bytes, *, final: bool = False) -> str:
        """Return what a chunk holds; a character that goes on in the next chunk comes with that one."""
        try:
            text = self._decoder.decode(data, final)
        except UnicodeDecodeError:
            self.wrong = True
            pending = self._decoder.getstate()[0]
            wide = self._encoding.startswith(("utf-16", "utf-32"))
            self._decoder = codecs.getincrementaldecoder(self._encoding)("replace" if wide else "surrogateescape")
            text = self._decoder.decode(pending + data, final)
        return _WRONG_BYTE.sub(_as_windows, text) if self.wrong else text

    def lines(self, stream: BinaryIO) -> Iterator[str]:
        """Yield the lines of a file, each with its end, without a byte order mark; a long one may come in parts."""
        return chain.from_iterable(self.line_chunks(stream))

    def line_chunks(self, stream: BinaryIO) -> Iterator[list[str]]:
        """Yield them several at a time."""
        held = self.text(stream.read(CHUNK_BYTES)).removeprefix("\ufeff")
        for data in iter(lambda: stream.read(CHUNK_BYTES), b""):
            whole = list(StringIO(held + self.text(data), newline=""))
            # A return may be half of a line's end.
            held = (
                whole.pop()
                if whole and not whole[-1].endswith("\n") and len(whole[-1]) < _LONGEST_LINE_CHARS
                else ""
            )
            yield whole
        yield list(StringIO(held + self.text(b"", final=True), newline=""))
