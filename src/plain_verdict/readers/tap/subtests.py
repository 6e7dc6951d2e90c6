"""Puts the lines of a file into levels: points, and the subtests that belong to them."""

from collections.abc import Iterable, Iterator

import msgspec

from plain_verdict.readers.tap.lines import Bail, Comment, Line, Other, Plan, Point, Subtest, Version, read_line
from plain_verdict.text.yaml import read_yaml

_DEEPEST_SUBTESTS = 40  # Python's own stack ends some time after
_YAML_LINES = 2_000  # of one diagnostic block


class Node(msgspec.Struct, eq=False):
    """A point with what belongs to it; ``level`` is its subtest."""

    point: Point
    level: "Level | None" = None
    yaml: dict[str, object] = {}
    notes: list[str] = []


class Level:
    """The points of a file or of a subtest. ``named``: a heading says that its point follows.

    ``orphans`` are its subtests whose point never came.
    """

    def __init__(self, indent: int, *, named: bool) -> None:
        self.indent = indent
        self.named = named
        self.items: list[Node | Level] = []
        self.nodes: list[Node] = []
        """The points, once they are settled."""
        self.orphans: list[Level] = []
        self.plans: list[Plan] = []
        self.texts: list[str] = []

    @property
    def last(self) -> Node | None:
        """Return the point that came last, if nothing came after it."""
        return self.items[-1] if self.items and isinstance(self.items[-1], Node) else None

    def settle(self) -> None:
        """Give each subtest to its point.

        One in braces, or at the end of its level, belongs to the point before it; runners that write one so write
        all so, unless a heading says otherwise. All others belong to the point after them.
        """
        follows = bool(self.items) and isinstance(self.items[-1], Level) and not self.items[-1].named
        pending: list[Level] = []
        before: Node | None = None
        for item in self.items:
            if isinstance(item, Node):
                if pending:
                    item.level = _joined(pending)
                    pending = []
                self.nodes.append(item)
                before = item
            elif (
                before is not None and before.level is None and (before.point.opens or (follows and not item.named))
            ):
                before.level = item
            else:
                pending.append(item)
        self.items = [*self.nodes]
        self.orphans = pending


def _joined(levels: list[Level]) -> Level:
    first, *others = levels
    for other in others:
        first.items += other.items
        first.nodes += other.nodes
        first.orphans += other.orphans
        first.plans += other.plans
        first.texts += other.texts
    return first


class Document:
    """A file as levels. ``bailed`` is why it was given up, None where it was not."""

    def __init__(self, lines: Iterable[str]) -> None:
        self.top = Level(0, named=False)
        self.bailed: str | None = None
        self.yaml_open = False
        self.bad_yaml = 0
        self._stack = [self.top]
        self._named = False
        self._read(iter(lines))
        while self._stack:
            self._stack.pop().settle()

    def _read(self, lines: Iterator[str]) -> None:
        for text in lines:
            if "---" in text and text.strip() == "---" and self._stack[-1].last is not None:
                self._take_yaml(lines)
                continue
            self._take(*read_line(text))

    def _take(self, indent: int, line: Line) -> None:
        match line:
            case Point():  # most are
                self._at(indent).items.append(Node(line))
            case Bail():
                self.bailed = line.reason
            case Subtest():
                self._named = True
            case Comment() | Other():
                self._note(line.text)
            case Version():
                pass
            case Plan():
                self._at(indent).plans.append(line)

    def _note(self, text: str) -> None:
        level = self._stack[-1]
        if text:
            (level.last.notes if level.last else level.texts).append(text)

    def _at(self, indent: int) -> Level:
        """Return the level of a line, deeper or shallower than the one before."""
        while len(self._stack) > 1 and indent < self._stack[-1].indent:
            self._stack.pop().settle()
        level = self._stack[-1]
        if (
            indent > level.indent
            and len(self._stack) < _DEEPEST_SUBTESTS
            and (level is not self.top or level.items or indent >= 2)
        ):
            deeper = Level(indent, named=self._named)
            level.items.append(deeper)
            self._stack.append(deeper)
            level = deeper
        self._named = False
        return level

    def _take_yaml(self, lines: Iterator[str]) -> None:
        """Take the block after a point. Source: TAP 14, "YAML Diagnostics"."""
        node = self._stack[-1].last
        kept: list[str] = []
        for text in lines:
            if text.strip() == "...":
                break
            if len(kept) < _YAML_LINES:
                kept.append(text.rstrip("\n"))
        else:
            self.yaml_open = True
        try:
            found = read_yaml("\n".join(kept), [])
        except ValueError:
            found = None
            self.bad_yaml += 1
        if node is None:
            return
        if isinstance(found, dict):
            node.yaml = {str(key): value for key, value in found.items()}
        else:
            node.notes += kept
