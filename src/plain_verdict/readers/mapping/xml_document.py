"""XML files as a mapping sees them: XPath 1.0 places; streamed item by item where the mapping allows it."""

import re
from collections.abc import Callable, Iterator, Mapping, Sequence
from decimal import Decimal
from itertools import chain, starmap
from math import isfinite, isnan
from typing import cast

from lxml import etree

from plain_verdict.inputs.source import Source
from plain_verdict.model import ReadingNote
from plain_verdict.readers.interface import Head
from plain_verdict.readers.mapping.selectors import (
    Batch,
    ColumnsAt,
    Find,
    FindFirst,
    Inner,
    Item,
    OnDone,
    OnLine,
    Select,
    Selector,
    TextColumns,
    TextsAt,
    on_line,
    searched_texts,
)
from plain_verdict.readers.xml.events import XmlFile
from plain_verdict.readers.xml.text import HAS_DOCTYPE, HEAD_BYTES, start_of
from plain_verdict.runtime.errors import ReadError
from plain_verdict.settings.limits import Limits
from plain_verdict.text.formatting import format_size, join_list

_NAME = r"(?:[\w.-]+:)?[\w.-]+"
_STREAMABLE = re.compile(rf"(?://)?{_NAME}(?:/{_NAME})*|(?:/{_NAME})+")
_ATTRIBUTE = re.compile(r"@[^\W\d][\w.-]*")
_PREFIX = re.compile(r"([\w.-]+):(?!:)[\w*]")
# Source: XPath 1.0, section 2.2 (axes) and 2.5 (abbreviations)
_WIDE = re.compile(r"//|\b(?:descendant|descendant-or-self|following|preceding|ancestor|ancestor-or-self)::")
# Source: Namespaces in XML 1.0, section 3 (declarations)
_NAMESPACES = re.compile(r"\sxmlns:([\w.-]+)\s*=\s*[\"']([^\"'<]+)[\"']")
_NAMES_WITH_PREFIX = re.compile(r"[<\s]([\w.-]+):[\w.-]+[\s=>/]")
_PREFIXED_NAME = re.compile(r"(@?)(?<![\w.:-])([A-Za-z_][\w.-]*):(?!:)([A-Za-z_][\w.-]*)(?!\()")
_QUOTED = re.compile(r"'[^']*'|\"[^\"]*\"")


class XmlDocument:
    """One XML file. Raises ReadError for one with a DTD, or one that must be read whole and is too large."""

    def __init__(self, source: Source, prefixes: Mapping[str, str], limits: Limits) -> None:
        with source.open() as stream:
            head = Head(stream.read(HEAD_BYTES))
        start = start_of(head.text)
        if start.doctype:
            raise ReadError(
                HAS_DOCTYPE,
                path=source.path,
                hint="let the tool write its results without one",
            )
        self._source = source
        self._limits = limits
        self._prefixes = {**dict(_NAMESPACES.findall(_start_tag(head.text))), **prefixes}
        self._undeclared = frozenset(_NAMES_WITH_PREFIX.findall(head.text))
        self._root_name = start.root
        self._root: etree._Element | None = None
        self._whole = False
        self._fault = ""
        self._repaired: list[str] = []
        self._absolute = False
        self.on_line: OnLine | None = None
        self.on_done: OnDone | None = None
        self.on_other: Callable[[etree._Element], None] | None = None
        """Told of elements that are called as items are, but stand elsewhere, where items are read one by one."""
        self.watched: tuple[str, ...] = ()
        """Names of further elements that it gets."""

    def _check_path(self, text: str, bare: str) -> None:
        """Make sure that a path ends in time and knows its prefixes; ``bare``: without texts. Raises ValueError."""
        wide = _WIDE.findall(bare)
        if len(wide) > 1 or (wide and "[" in bare and bare.index("[") < bare.rindex(wide[0])):
            raise ValueError(
                f"“{text}” has more than one “//”, or one in a condition: the search could take forever"
            )
        unknown = [prefix for prefix in _PREFIX.findall(bare) if prefix not in self._prefixes]
        if unknown and unknown[0] not in self._undeclared:
            raise ValueError(f"“{text}” has the prefix “{unknown[0]}”, which [mapping.prefixes] does not name")

    def _by_whole_name(self, found: re.Match[str]) -> str:
        """Return the step to a name whose prefix the file does not declare: it is a part of the name then."""
        attribute, prefix, name = found.groups()
        if prefix in self._prefixes:
            return found[0]
        return f"{attribute}*[name()='{prefix}:{name}']"

    def _compiled(self, text: str) -> "etree.XPath":
        """Return an XPath. Raises ValueError for a text that is none."""
        if text.startswith("$"):
            raise ValueError(f"“{text}” is a JSONPath, but the file is XML")
        bare = _QUOTED.sub("", text)
        self._check_path(text, bare)
        path = text if bare != text else _PREFIXED_NAME.sub(self._by_whole_name, text)
        self._absolute = self._absolute or bare.startswith("/")
        try:
            return etree.XPath(path, namespaces=self._prefixes or None, regexp=False, smart_strings=False)
        except etree.XPathError as error:
            column = error.error_log[-1].column + 1 if error.error_log else len(text)
            raise ValueError(f"“{text}” is not an XPath: {error}, column {column}") from error

    def select(self, text: str | int) -> Selector:
        """Return the place of an XPath, seen from an item. Raises ValueError."""
        if isinstance(text, int):
            raise ValueError(f"{text} is a column number, but the file is not a table")
        search = self._compiled(text)

        def find(item: object) -> list[object]:
            assert isinstance(item, etree._Element), "items of XML are elements"  # noqa: S101  for the type checker
            try:
                found = search(item)
            except etree.XPathError as error:
                raise ValueError(f"“{text}” can't be looked for: {error}") from error
            return list(found) if isinstance(found, list) else [found]

        if text.endswith("text()") and "|" not in text:  # text before and after children is one text

            def joined(item: object) -> object:
                return "".join(map(str, find(item))).strip() or None

            return Selector(text, lambda item: [joined(item)], joined, to_text=self.text_of)
        name = text[1:]
        quickly: FindFirst | None = (lambda item: item.get(name)) if _ATTRIBUTE.fullmatch(text) else None  # type: ignore[attr-defined]
        selector = Selector(text, find, quickly, single=quickly is not None, to_text=self.text_of)
        selector.key = name if quickly else None
        return selector

    def texts_at(self, selectors: Sequence[Selector]) -> TextsAt:
        """Return what gives the texts at several places at once: attributes without a search."""
        names = [selector.key for selector in selectors if isinstance(selector.key, str)]
        if len(names) < len(selectors):
            return searched_texts(selectors, self.text_of)

        def texts(item: object) -> list[str | None] | None:
            assert isinstance(item, etree._Element), "items of XML are elements"  # noqa: S101  for the type checker
            return list(map(item.get, names))

        return texts

    def columns_at(self, selectors: Sequence[Selector]) -> ColumnsAt | None:
        """Return what gives attributes of many elements; None where a place needs a search."""
        names = [selector.key for selector in selectors if isinstance(selector.key, str)]
        if len(names) < len(selectors):
            return None

        def columns(items: Sequence[object]) -> TextColumns:
            elements = cast("Sequence[etree._Element]", items)
            return TextColumns([[element.get(name) for element in elements] for name in names], frozenset())

        return columns

    def members(self, key: str, wanted: str | tuple[str, ...], select: Select) -> Find:  # noqa: ARG002  as in all syntaxes
        """Raise ValueError: XML has no objects."""
        raise ValueError(f"{key}: XML has no objects; give each, like each = “test”")

    def items(self, each: str) -> Iterator[Item]:
        """Yield the elements at the path."""
        return starmap(Item, chain.from_iterable(self.batches(each)))

    def batches(self, each: str) -> Iterator[Batch]:
        """Yield the elements at the path; those of a piece of the file, where it is made of names only."""
        each = each or "/*"
        from_item_only = not self._absolute
        selector = self.select(each)
        if _STREAMABLE.fullmatch(each) and from_item_only:
            yield from self._streamed(each)
            return
        if self._source.size_bytes > self._limits.whole_bytes:
            raise ReadError(
                f"is larger than {format_size(self._limits.whole_bytes)}, and read whole for this mapping",
                path=self._source.path,
                hint="give a path of plain element names to the items, and paths inside the item for its values",
            )
        for _ in self._events(["*"]):
            pass
        if self._root is not None:
            yield [(_line_of(element), element) for element in selector.all(self._root)]
            if self.on_done:
                self.on_done([self._root])

    def _events(self, tags: list[str]) -> "Iterator[list[tuple[str, etree._Element]]]":
        with self._source.open() as stream:
            file = XmlFile(stream)
            for events in file.event_batches(tags):
                if self._root is None and events:
                    self._root = events[0][1]
                yield events
            self._whole, self._repaired = file.whole, file.repaired
            self._fault = f"{file.fault.what}, line {file.fault.line:,}" if file.fault else ""

    def _streamed(self, each: str) -> Iterator[Batch]:
        anywhere = each.startswith("//")
        steps = [self._name(step) for step in each.strip("/").split("/")]
        from_root = each.startswith("/") and not anywhere
        local = each.rpartition("/")[2].rpartition(":")[2]
        waiting: list[etree._Element] = []  # an item and those in it, in their order: it sees what they hold
        ended: list[etree._Element] = []
        together: list[etree._Element] = []
        outermost: list[etree._Element] = []  # of those together
        for events in self._events([self._root_name, local, *self.watched]):
            for event, element in events:
                if not self._fits(element, steps, from_root=from_root, anywhere=anywhere):
                    if event == "end" and not waiting:
                        yield from self._given(together, outermost)
                        self._pass_over(element)
                elif event == "start":
                    waiting.append(element)
                else:
                    ended.append(element)
                    if element is waiting[0]:
                        together += waiting
                        outermost.append(element)
                        waiting.clear()
                        ended.clear()
            yield from self._given(together, outermost)
        # Of a file that is truncated: what ended inside of what did not.
        yield _numbered(list(filter(ended.__contains__, waiting)))

    def _pass_over(self, element: "etree._Element") -> None:
        """Tell of an element that is called as items are, but stands elsewhere."""
        if self.on_other and element is not self._root:
            self.on_other(element)

    def _given(self, together: "list[etree._Element]", outermost: "list[etree._Element]") -> Iterator[Batch]:
        """Yield elements as items; the outermost of them are passed on then with all in them, and forgotten."""
        if not together:
            return
        yield _numbered(together)
        if self.on_done:
            self.on_done(outermost)
        for element in outermost:
            if element is not self._root:
                _forget(element)
        together.clear()
        outermost.clear()

    def _name(self, step: str) -> str:
        prefix, sign, local = step.rpartition(":")
        return f"{{{self._prefixes[prefix]}}}{local}" if sign else local

    def _fits(self, element: "etree._Element", steps: list[str], *, from_root: bool, anywhere: bool) -> bool:
        """Return whether an element stands at a path: from the root, below it, or anywhere."""
        for step in reversed(steps):
            if element is None or element.tag != step:
                return False
            element = element.getparent()  # type: ignore[assignment]  # None is looked at above
        return anywhere or (element is None if from_root else element is self._root)

    def text_of(self, value: object) -> str:
        """Return an element's text, or an attribute, number or truth value as XPath has it."""
        if isinstance(value, etree._Element):
            return "".join(map(str, value.itertext()))
        if isinstance(value, bool):
            return str(value).lower()
        return _number_text(value) if isinstance(value, float) else str(value)

    def root(self) -> object:
        """Return the root element; items that were read one by one are not in it any more."""
        return self._root

    def locate(self, number: int, _each: str, inner: Inner) -> str:
        """Return the number of the line."""
        return on_line(number, inner)

    def notes(self) -> Iterator[ReadingNote]:
        """Yield notes on a file that is truncated or not well-formed."""
        if not self._whole or self._fault:
            what = "is truncated" if not self._whole else "is not well-formed"
            yield ReadingNote(
                self._source.path,
                f"{what}{f' ({self._fault})' if self._fault else ''}; what could be read counts",
                results_missing=True,
            )
        if self._repaired:
            yield ReadingNote(
                self._source.path, f"had {join_list(self._repaired)}, which were repaired", quiet=True
            )


def _start_tag(text: str) -> str:
    """Return the start tag of the root, as far as it stands in the beginning of a file."""
    begins = re.search(r"<[A-Za-z_]", text)
    return text[begins.start() : text.find(">", begins.start()) + 1 or None] if begins else ""


def _number_text(value: float) -> str:
    """Return a number as text. Source: XPath 1.0, section 4.2 (string): no exponent, and all digits that it has."""
    if not isfinite(value):
        return "NaN" if isnan(value) else f"{'-' if value < 0 else ''}Infinity"
    return str(int(value)) if value.is_integer() else format(Decimal(repr(value)), "f")


def _numbered(elements: "Sequence[etree._Element]") -> Batch:
    return [(_line_of(element), element) for element in elements]


def _line_of(element: object) -> int:
    line = element.sourceline if isinstance(element, etree._Element) else None
    return line if isinstance(line, int) else 0


def _forget(element: "etree._Element") -> None:
    """Drop what an item held, and the items before it, so that memory does not grow with the file."""
    element.clear()
    parent, before = element.getparent(), element.getprevious()
    if parent is not None and before is not None and before.tag == element.tag:
        parent.remove(before)
