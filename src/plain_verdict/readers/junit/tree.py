"""Takes what the XML parser tells of a JUnit file: keeps what an open case or suite holds, and hands on what ends.

Suites do not keep their cases, so that memory does not grow with the file.
"""

from collections.abc import Mapping
from typing import Protocol

import msgspec
from lxml import etree

from plain_verdict.readers.junit.tags import CASE, SUITE, SUITES, TAGS
from plain_verdict.readers.xml.events import LocalNames, XmlFile
from plain_verdict.readers.xml.text import HAS_DOCTYPE
from plain_verdict.runtime.errors import ReadError

_AROUND_CASES = frozenset((SUITE, SUITES))


_DEEPEST_ELEMENTS = 2_000
"""Elements in each other; a few more, and the parser of trees gives up. Suites' paths grow with its square."""


class _TooDeep(Exception):  # noqa: N818  the name says which case it is
    """Elements stand too deep in each other."""


class Node(msgspec.Struct, eq=False):
    """An element: its local name in lower case, its attributes, and the texts and elements in it, in order."""

    name: str
    attributes: Mapping[str, str]
    content: "list[str | Node]" = []

    @property
    def children(self) -> "list[Node]":
        """Return the elements in it."""
        return [part for part in self.content if isinstance(part, Node)]

    def get(self, attribute: str) -> str:
        """Return the value of an attribute, "" where there is none."""
        return self.attributes.get(attribute, "")

    @property
    def text(self) -> str:
        """Return all text in it, that of elements in it included, however deep they are."""
        pieces: list[str] = []
        todo: list[str | Node] = [self]
        while todo:
            part = todo.pop()
            if isinstance(part, Node):
                todo += reversed(part.content)
            else:
                pieces.append(part)
        return "".join(pieces)


class Walk(Protocol):
    """Given suites as they begin and end, and cases as they end."""

    def start_suite(self, suite: Node) -> None:
        """Take in the start of a suite: its attributes are there, its content is not."""
        ...

    def end_suite(self) -> None:
        """Take in the end of the innermost suite."""
        ...

    def case(self, case: Node, parent: Node | None) -> None:
        """Take in a whole case; what stands in it is let go afterwards."""
        ...


class JunitTree:
    """What is open while a file is read (see ``xml.events.Target``)."""

    def __init__(self, walk: Walk) -> None:
        self.walk = walk
        self._names = LocalNames(str.lower)
        self._open: list[Node] = []
        self._began = False

    @property
    def ended(self) -> bool:
        """Return whether the end of the outermost element was read."""
        return self._began and not self._open

    def start(self, tag: str, attributes: Mapping[str, str]) -> None:
        """Open an element."""
        name = self._names[tag]
        node = Node(name, attributes)
        self._open.append(node)
        if len(self._open) > _DEEPEST_ELEMENTS:
            raise _TooDeep
        if name in _AROUND_CASES:
            self._began = True
            self.walk.start_suite(node)

    def data(self, text: str) -> None:
        """Keep text, but for what stands between cases."""
        node = self._open[-1]
        if node.name not in _AROUND_CASES:
            node.content.append(text)

    def end(self, _tag: str) -> None:
        """Hand on what has ended, or keep it in what is around it."""
        node = self._open.pop()
        parent = self._open[-1] if self._open else None
        name = node.name
        if name == CASE:
            self.walk.case(node, parent)
            if parent is None or parent.name != CASE:
                return
            node.content = []
        elif name in _AROUND_CASES:
            self.walk.end_suite()
        if parent is not None and _is_part(name, parent):
            parent.content.append(node)

    def close(self) -> None:
        """Take in that there is no more."""

    def doctype(self, _name: str, _public: str | None, _system: str | None) -> None:
        """Refuse a DTD. Raises ReadError."""
        raise ReadError(HAS_DOCTYPE, hint="let the runner write its results without one")


def _is_part(name: str, parent: Node) -> bool:
    """Return whether an element is a part of its parent: suites are none, and cases only of another case."""
    return name not in _AROUND_CASES and (name != CASE or parent.name == CASE)


def walk_whole(file: XmlFile, walk: Walk) -> None:
    """Walk a file; what is found counts if it was whole."""
    tree = JunitTree(walk)
    try:
        file.replay(tree)
    except _TooDeep:
        return  # it is not whole, then
    finally:
        del tree.walk  # the parser and its target hold each other until the garbage collector comes


def walk_damaged(file: XmlFile, walk: Walk) -> None:
    """Walk a file that is truncated or not well-formed, which takes longer.

    Only a tree tells what stands beside a broken tag and what in it, and what is there of an open element.
    """
    names = LocalNames(str.lower)
    open_suites: list[tuple[etree._Element, Node]] = []
    before: etree._Element | None = None
    for event, element in file.events(TAGS):
        name = names[str(element.tag)]
        if event == "start":
            if name != CASE:
                open_suites.append((element, Node(name, _attributes(element))))
                walk.start_suite(open_suites[-1][1])
        elif name == CASE:
            parent = element.getparent()
            around = None if parent is None else Node(names[str(parent.tag)], _attributes(parent))
            walk.case(_node(element, names), around)
            if len(element):
                _empty(element)
            _forget(before)
            before = element
        else:
            suite = open_suites.pop()[1]
            suite.content = _node(element, names).content
            walk.end_suite()
            _empty(element)
    for element, suite in open_suites:
        suite.content = _node(element, names).content


def _node(element: "etree._Element", names: LocalNames) -> Node:
    """Return an element of a tree with all that is in it, however deep."""
    whole = Node(names[str(element.tag)], _attributes(element))
    todo = [(element, whole)]
    while todo:
        source, node = todo.pop()
        node.content += [source.text] if source.text else ()
        for child in source:
            name = names[str(child.tag)]
            if _is_part(name, node):
                part = Node(name, _attributes(child))
                node.content.append(part)
                todo.append((child, part))
            node.content += [child.tail] if child.tail else ()
    return whole


def _attributes(element: "etree._Element") -> dict[str, str]:
    return {str(key): str(value) for key, value in element.items()}


def _empty(element: "etree._Element") -> None:
    tail = element.tail
    element.clear()
    element.tail = tail


def _forget(element: "etree._Element | None") -> None:
    """Let go of a case, so that memory does not grow with the file."""
    parent = None if element is None else element.getparent()
    if element is not None and parent is not None and not (element.tail or "").strip():
        parent.remove(element)
