"""Turns the bytes of an XML file, as runners really write them, into UTF-8 that a parser accepts whole.

Runners write raw escape and bell characters, references that XML forbids (``&#27;``), bytes that are not of the
declared encoding, and ``&`` or ``<`` that they forgot to escape. Each is repaired in passing: a control character
becomes its visible picture, a wrong byte the character it is in Windows-1252. What was repaired is counted, for one
reading note a file.
"""

import codecs
import re
from collections import Counter
from collections.abc import Iterator
from html.entities import html5
from typing import BinaryIO, NamedTuple

from plain_verdict.text.cleaning import picture
from plain_verdict.text.encoding import CHUNK_BYTES, Decoding
from plain_verdict.text.patterns import pattern

HEAD_BYTES = 1 << 16  # enough to name a format: some begin with long licences

HAS_DOCTYPE = "has a DOCTYPE, which is refused: it could include other files or grow without limit"
CONTROLS = "control characters"
REFERENCES = "references to forbidden characters"
ENCODING = "bytes that are not of its encoding"
MARKUP = "an unescaped & or <"

# Source: XML 1.0, 5th edition, section 2.2 (Char) and section 4.1 (character references)
_FORBIDDEN = bytes([*range(9), 0x0B, 0x0C, *range(0x0E, 0x20)])
# XML 1.0 (fifth edition), section 2.2, without the three control characters.
_ALLOWED = ((0x20, 0xD7FF), (0xE000, 0xFFFD), (0x10000, 0x10FFFF))
_FORBIDDEN_RUN = re.compile(rb"[\x00-\x08\x0b\x0c\x0e-\x1f]")
_NONCHARACTER = re.compile(b"\xef\xbf[\xbe\xbf]")
_REFERENCE = re.compile(rb"&#(?:x([0-9A-Fa-f]{1,8})|([0-9]{1,10}));")
# Two patterns, each with a first character that a search can jump to.
_BARE_AND = re.compile(rb"&(?!(?:amp|lt|gt|quot|apos|#[0-9]+|#x[0-9A-Fa-f]+);)(?:([A-Za-z]{2,31});)?")
_BARE_LESS = re.compile(rb"<(?![A-Za-z_:/!?\x80-\xff])")
_SECTION = re.compile(rb"(<!\[CDATA\[|\]\]>)")
# What may stand across the end of a chunk: a reference, or the start or end of a CDATA section.
_LONGEST_UNFINISHED = 33
_UNFINISHED = re.compile(rb"(?:&[#\w]{0,31}|<(?:!\[?[CDAT]{0,5})?|\]{1,2})\Z")

_BYTE_ORDER_MARKS = (  # longest first: the mark of UTF-32 begins like that of UTF-16
    (codecs.BOM_UTF32_LE, "utf-32-le"),
    (codecs.BOM_UTF32_BE, "utf-32-be"),
    (codecs.BOM_UTF8, "utf-8"),
    (codecs.BOM_UTF16_LE, "utf-16-le"),
    (codecs.BOM_UTF16_BE, "utf-16-be"),
)
_DECLARED = re.compile(rb"\A\s*<\?xml[^>]{0,200}?encoding\s*=\s*[\"']([A-Za-z0-9._-]{1,40})[\"']")
# Python has codecs that are no text encodings, and some that take quadratic time; these are safe.
_SAFE_CODEC = pattern(r"utf-8|ascii|iso8859-\d+|cp\d+|koi8-[rtu]|mac-\w+|gb\w+|big5\w*|shift_jis\w*|euc_\w+")


def encoding_of(head: bytes) -> tuple[str, int]:
    """Return the encoding of a file that begins like this, and the length in bytes of its byte order mark."""
    for mark, name in _BYTE_ORDER_MARKS:
        if head.startswith(mark):
            return name, len(mark)
    if head.startswith(b"<\x00"):
        return "utf-16-le", 0
    if head.startswith(b"\x00<"):
        return "utf-16-be", 0
    declared = _DECLARED.match(head)
    if declared:
        try:
            name = codecs.lookup(declared[1].decode("ascii")).name
        except LookupError:
            return "utf-8", 0
        if _SAFE_CODEC.fullmatch(name):
            return name, 0
    return "utf-8", 0


class XmlText:
    """The chunks of one XML file as clean UTF-8, and what had to be repaired to get them."""

    def __init__(self, stream: BinaryIO) -> None:
        self.repaired: Counter[str] = Counter()
        self.lines = 1
        self._stream = stream
        self._in_cdata = False
        self._first = stream.read(CHUNK_BYTES)
        encoding, mark_bytes = encoding_of(self._first)
        self._first = self._first[mark_bytes:]
        self._decoding = Decoding(encoding)

    def __iter__(self) -> Iterator[bytes]:
        """Yield the file's content in chunks; a reference never stands across two of them."""
        first = self._decoded(self._first)
        text = first.lstrip()  # XML allows nothing before its declaration, but some runners print a blank line
        self.lines += first.count("\n") - text.count("\n")
        held = b""
        while True:
            data = self._stream.read(CHUNK_BYTES)
            chunk = held + text.encode("utf-8", "replace")
            unfinished = _UNFINISHED.search(chunk, max(0, len(chunk) - _LONGEST_UNFINISHED)) if data else None
            held = unfinished[0] if unfinished else b""
            if len(chunk) > len(held):
                yield self._clean(chunk[: len(chunk) - len(held)])
            if not data:
                break
            text = self._decoded(data)
        rest = self._decoded(b"", final=True)
        if rest:
            yield self._clean(rest.encode("utf-8", "replace"))

    def _decoded(self, data: bytes, *, final: bool = False) -> str:
        text = self._decoding.text(data, final=final)
        self.repaired[ENCODING] = int(self._decoding.wrong)
        return text

    def _clean(self, chunk: bytes) -> bytes:
        self.lines += chunk.count(b"\n")
        if len(chunk.translate(None, _FORBIDDEN)) != len(chunk):
            chunk, number = _FORBIDDEN_RUN.subn(lambda found: picture(found[0][0]).encode(), chunk)
            self.repaired[CONTROLS] += number
        if b"&#" in chunk:
            chunk = _REFERENCE.sub(self._reference, chunk)
        if b"\xef\xbf" in chunk:
            chunk, number = _NONCHARACTER.subn("\ufffd".encode(), chunk)
            self.repaired[CONTROLS] += number
        return self._escaped(chunk)

    def _escaped(self, chunk: bytes) -> bytes:
        """Return the chunk with bare markup characters escaped, except in CDATA sections."""
        # A cheap look first: nearly every chunk has nothing to mend, and most have no CDATA.
        if not self._in_cdata and b"<![CDATA[" not in chunk:
            return self._without_bare(chunk)
        pieces = _SECTION.split(chunk)
        for index, piece in enumerate(pieces):
            if piece == b"<![CDATA[":
                self._in_cdata = True
            elif piece == b"]]>":
                self._in_cdata = False
            elif not self._in_cdata:
                pieces[index] = self._without_bare(piece)
        return b"".join(pieces)

    def _without_bare(self, text: bytes) -> bytes:
        if b"&" in text:
            text, number = _BARE_AND.subn(self._bare, text)
            self.repaired[MARKUP] += number
        text, number = _BARE_LESS.subn(b"&lt;", text)
        self.repaired[MARKUP] += number
        return text

    @staticmethod
    def _bare(found: re.Match[bytes]) -> bytes:
        known = html5.get(found[1].decode() + ";") if found[1] else None  # names of HTML, like &nbsp;
        return known.encode() if known and known not in "<&" else b"&amp;" + found[0][1:]

    def _reference(self, found: re.Match[bytes]) -> bytes:
        code = int(found[1], 16) if found[1] else int(found[2])
        if code in (0x9, 0xA, 0xD) or any(low <= code <= high for low, high in _ALLOWED):
            return found[0]
        self.repaired[REFERENCES] += 1
        return (picture(code) if code < 0x20 else "\ufffd").encode()


def head_text(data: bytes) -> str:
    """Return the beginning of a file as text, for telling its format."""
    encoding, mark_bytes = encoding_of(data)
    return data[mark_bytes:].decode(encoding, "replace").lstrip()


_PROLOG = pattern(r"(?:\s+|<\?.*?\?>|<!--.*?-->)*", re.DOTALL)
_DOCTYPE = pattern(r"<!DOCTYPE\s+([^\s>\[]+)", re.IGNORECASE)
_ROOT_TAG = pattern(r"<(?:([\w.-]+):)?([\w.-]+)([^<>]{0,4000})")


class XmlStart(NamedTuple):
    """How an XML file begins: its root element, or the DOCTYPE before it; "" for what isn't there."""

    root: str = ""
    namespace: str = ""
    doctype: str = ""


def start_of(text: str) -> XmlStart:
    """Return the local name and namespace of the root element, and the name a DOCTYPE gives."""
    prolog = _PROLOG.match(text)
    rest = text[prolog.end() :] if prolog else text
    doctype = _DOCTYPE.match(rest)
    if doctype:
        return XmlStart(doctype=doctype[1])
    root = _ROOT_TAG.match(rest)
    if not root:
        return XmlStart()
    # Source: Namespaces in XML 1.0, section 3 (declaring namespaces)
    attribute = re.escape(f"xmlns:{root[1]}" if root[1] else "xmlns")
    namespace = re.search(rf"""\s{attribute}\s*=\s*(?:"([^"]*)"|'([^']*)')""", root[3])
    return XmlStart(root[2], (namespace[1] or namespace[2] or "") if namespace else "")


def local_name(name: object) -> str:
    """Return the name of an element or attribute without its namespace."""
    return str(name).rpartition("}")[2]
