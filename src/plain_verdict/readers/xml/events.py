"""The one XML parser of the project: no entities, no DTD, no network; streams elements and says what was wrong."""

import re
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import suppress
from itertools import chain, pairwise
from typing import Any, BinaryIO, Protocol, cast

import msgspec
from lxml import etree

from plain_verdict.readers.xml.text import CONTROLS, ENCODING, MARKUP, REFERENCES, XmlText

# Trouble that costs at most a character of text. Source: libxml2, include/libxml/xmlerror.h
_HARMLESS = frozenset(
    {
        "ERR_INVALID_CHAR",
        "ERR_LT_IN_ATTRIBUTE",
        "ERR_UNDECLARED_ENTITY",
        "ERR_MISPLACED_CDATA_END",
        "ERR_HYPHEN_IN_COMMENT",
        "ERR_RESERVED_XML_NAME",
        "NS_ERR_UNDEFINED_NAMESPACE",
        "NS_ERR_XML_NAMESPACE",
        "WAR_NS_URI",
        "WAR_NS_URI_RELATIVE",
    }
)
_CUT_OFF = "ERR_TAG_NOT_FINISHED"
_DECLARATION = re.compile(rb"<\?xml\s")  # XML 1.0, section 2.8
_DECLARATION_BYTES = 5  # of its beginning
_MOST_NAMES = 1_000  # no standard has more: a file that does is not let fill the memory
_LOG_HOLDS = 100  # lxml keeps the first so many entries; past them nothing is known
_OPTIONS: dict[str, Any] = {
    "encoding": "utf-8",
    "recover": True,
    "huge_tree": True,
    "resolve_entities": False,
    "load_dtd": False,
    "no_network": True,
    "remove_comments": True,
    "remove_pis": True,
}


class LocalNames(dict[object, str]):
    """Names of elements as the parser has them to those without their namespace, in a spelling."""

    def __init__(self, spelled: Callable[[str], str] = str) -> None:
        super().__init__()
        self._spelled = spelled

    def __missing__(self, tag: object) -> str:
        if len(self) >= _MOST_NAMES:
            self.clear()
        name = self[tag] = self._spelled(tag.rpartition("}")[2]) if isinstance(tag, str) else ""
        return name


def _may_go_on(text: bytes, size: int) -> bool:
    """Return whether so many bytes at the end may be the beginning of a declaration."""
    return text.endswith(b"<?xml"[:size]) and len(text) >= size


class Fault(msgspec.Struct, frozen=True):
    """The first place where a file is not well-formed, past what could be repaired without loss."""

    what: str
    line: int


class Target(Protocol):
    """Told what stands in a file, in order, so that no tree is made of it, which would take three times as long.

    Names are as the parser has them, ``{namespace}name``.
    """

    @property
    def ended(self) -> bool:
        """Return whether the end of the outermost element was read."""
        ...

    def start(self, tag: str, attributes: Mapping[str, str]) -> None:
        """Take in the start of an element."""
        ...

    def data(self, text: str) -> None:
        """Take in a piece of the text of the innermost open element."""
        ...

    def end(self, tag: str) -> None:
        """Take in the end of the innermost open element."""
        ...

    def close(self) -> None:
        """Take in that there is no more."""
        ...

    def doctype(self, name: str, public: str | None, system: str | None) -> None:
        """Refuse a DTD: it is what entities come from. Raises ReadError."""
        ...


class XmlFile:
    """One XML file, and, once it is read, how whole it was.

    A file with a DTD must be refused before (see ``start_of``): a parser expands entities in attributes with any
    options.
    """

    def __init__(self, stream: BinaryIO) -> None:
        self.whole = False
        self.fault: Fault | None = None
        self._text = XmlText(stream)

    @property
    def lines(self) -> int:
        """Return the number of lines read so far."""
        return self._text.lines

    @property
    def repaired(self) -> list[str]:
        """Return what had to be repaired before parsing, in a fixed order."""
        return [what for what in (CONTROLS, REFERENCES, ENCODING, MARKUP) if self._text.repaired[what]]

    def replay(self, target: Target) -> None:
        """Read the file to its end and tell the target what is in it. Raises what the target raises.

        Of a file that is not whole or has a fault, ``events`` tells better what stands in what.
        """
        # Without a tree, an attribute with &amp; in it is right only where entities are resolved; there are none.
        options = {**_OPTIONS, "resolve_entities": True}
        parser = etree.XMLParser(target=cast("Any", target), **options)
        for piece, is_declared in self._pieces():
            if is_declared and target.ended:
                self._second()
                break
            parser.feed(piece)
        self.whole = target.ended
        self._find_fault(parser)

    def events(self, tags: Sequence[str]) -> Iterator[tuple[str, "etree._Element"]]:
        """Yield ("start" or "end", element) of the elements of these names.

        ``end`` is given for whole elements only, never for those that are open where a file is truncated.
        """
        return chain.from_iterable(self.event_batches(tags))

    def event_batches(self, tags: Sequence[str]) -> "Iterator[list[tuple[str, etree._Element]]]":
        """Yield what ``events`` does, all of a piece of the file at a time."""
        spelled = [name for tag in tags for name in (tag, f"{{*}}{tag}")]
        parser = etree.XMLPullParser(events=("start", "end"), tag=spelled, **_OPTIONS)
        root = None
        for piece, is_declared in self._pieces():
            if is_declared and self.whole:
                self._second()
                break
            parser.feed(piece)
            batch = cast("list[tuple[str, etree._Element]]", list(parser.read_events()))
            for event, element in batch:
                if root is None:
                    root = element
                if element is root:
                    self.whole = event == "end"
            yield batch
        # Elements that only the parser itself closes from here on were truncated: their events are not given.
        self._find_fault(parser)

    def _pieces(self) -> Iterator[tuple[bytes, bool]]:
        """Yield the text in pieces, a new one from each declaration on, and whether a piece begins with one.

        The parser passes over a declaration inside a file, and then over all that follows: another document.
        """
        held = b""
        for chunk in self._text:
            text = held + chunk
            end = len(text) - next((size for size in range(_DECLARATION_BYTES, 0, -1) if _may_go_on(text, size)), 0)
            starts = [0, *(found.start() for found in _DECLARATION.finditer(text, 0, end) if found.start()), end]
            held = text[end:]
            for start, stop in pairwise(starts):
                if stop > start:
                    yield text[start:stop], _DECLARATION.match(text, start) is not None
        if held:
            yield held, False

    def _second(self) -> None:
        self.fault = Fault("another document begins after the first", self._text.lines)

    def _find_fault(self, parser: "etree.XMLParser") -> None:
        log = list(parser.feed_error_log)
        losses = [entry for entry in log if entry.type_name not in _HARMLESS]
        if (losses or len(log) >= _LOG_HOLDS) and not self.fault:
            entry = (losses or log)[0]
            self.fault = Fault(" ".join(entry.message.split()), entry.line)
        with suppress(etree.XMLSyntaxError):
            parser.close()
        # What is only missed at the end was truncated, even if it is around all that is looked for.
        self.whole = self.whole and not any(
            fault.type_name == _CUT_OFF for fault in list(parser.feed_error_log)[len(log) :]
        )
