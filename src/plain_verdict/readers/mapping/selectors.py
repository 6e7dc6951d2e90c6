"""Places: where in a file, or in an item of it, something stands; and what all syntaxes share."""

import re
from collections.abc import Callable, Iterator, Sequence, Set
from fnmatch import translate
from typing import NamedTuple, Protocol

import msgspec

from plain_verdict.model import ReadingNote

SAMPLES = 3
"""Values that a place remembers."""
_SAMPLE_CHARS = 200
ANY = object()
"""A step of a path that takes all values."""

Find = Callable[[object], list[object]]
FindFirst = Callable[[object], object]
FindText = Callable[[object], str | None]
"""Returns the text that an item has, or None."""
ToText = Callable[[object], str]
TextsAt = Callable[[object], list[str | None] | None]
"""Returns the texts of an item at several places, uncounted; None where there is anything but one text or none."""


class TextColumns(NamedTuple):
    """The texts of many items at several places, a column for each place.

    ``others`` are the numbers of the items that have anything but one text or none at some place.
    """

    columns: Sequence[Sequence[str | None]]
    others: Set[int]


ColumnsAt = Callable[[Sequence[object]], TextColumns]
"""Returns what ``TextsAt`` does for many items at once."""


class Selector:
    """A place, as it is looked for again and again: how often there was something, and what it was first.

    ``read`` gives the first value there as text. Syntaxes set a quicker one for the places that are read most.
    """

    __slots__ = ("_all", "_first", "_to_text", "hits", "key", "misses", "read", "samples", "single", "text")

    def __init__(
        self,
        text: str,
        find: Find,
        find_first: FindFirst | None = None,
        *,
        single: bool = True,
        to_text: ToText | None = None,
    ) -> None:
        self.text = text
        self.single = single
        """Whether it can find one value at most."""
        self.key: str | int | None = None
        """Of a place that is a member of an object, an attribute or a column: its name or number from 0."""
        self.hits = 0
        self.misses = 0
        self.samples: list[str] = []
        """The first values, as text."""
        self._to_text = to_text or json_text
        self._all = find
        self._first = find_first or (lambda item: next(iter(find(item)), None))
        self.read: FindText = self._read

    def _read(self, item: object) -> str | None:
        value = self.first(item)
        return value if value is None or type(value) is str else self._to_text(value)

    def first(self, item: object) -> object:
        """Return the first value that stands there; None where nothing does, or only blank text."""
        value = self._first(item)
        if value is None or value == "":
            self.misses += 1
            return None
        self.hits += 1
        if self.hits <= SAMPLES:
            self.sample(value)
        return value

    def peek(self, item: object) -> object:
        """Return what ``first`` does, without counting it."""
        value = self._first(item)
        return None if value == "" else value

    def peek_all(self, item: object) -> list[object]:
        """Return what ``all`` does, without counting it."""
        return [value for value in self._all(item) if value is not None and value != ""]

    def all(self, item: object) -> list[object]:
        """Return all values that stand there."""
        values = self.peek_all(item)
        if not values:
            self.misses += 1
            return values
        self.hits += 1
        for value in values[: SAMPLES - len(self.samples)]:
            self.sample(value)
        return values

    def sample(self, value: object) -> None:
        """Remember a value, for those who want to see what stands there."""
        self.samples.append(self._to_text(value)[:_SAMPLE_CHARS])


class Item(NamedTuple):
    """An item of the outermost level, and its number: a line, or its place in the order."""

    number: int
    value: object


Batch = Sequence[tuple[int, object]]
"""Several items of the outermost level, each with its number."""
Inner = Sequence[tuple[str, int]]
"""For each inner level where its items stand, and which of them it is, from 0."""
OnLine = Callable[[object], None]
OnDone = Callable[[Sequence[object]], None]


Select = Callable[[str, str | int], Selector]
"""Makes the place of a mapping's key."""


class Document(Protocol):
    """A file in one syntax, opened: gives its items, and makes places that find things in them."""

    on_line: OnLine | None
    """Told of each line or row, in files that are made of them."""
    on_done: OnDone | None
    """Told of lines, elements or the whole once all items in them were taken, before they are forgotten."""

    def select(self, text: str | int) -> Selector:
        """Return a place to look in items for. Raises ValueError for what is none in this syntax."""
        ...

    def texts_at(self, selectors: Sequence[Selector]) -> TextsAt:
        """Return what gives the texts at several places at once."""
        ...

    def columns_at(self, selectors: Sequence[Selector]) -> ColumnsAt | None:
        """Return what gives them for many items at once; None where places need a search.

        For an item alone, columns take twice as long as ``texts_at``.
        """
        ...

    def members(self, key: str, wanted: str | tuple[str, ...], select: "Select") -> Find:
        """Return what gives the members of an object at a place, or those named, as items. Raises ValueError."""
        ...

    def items(self, each: str) -> Iterator[Item]:
        """Yield the items of the outermost level; "" takes every line, row, or the whole. Raises ValueError."""
        ...

    def text_of(self, value: object) -> str:
        """Return a value that a place found as text."""
        ...

    def root(self) -> object:
        """Return what places that speak of the whole file are seen from, once its items are read."""
        ...

    def locate(self, number: int, each: str, inner: Inner) -> str:
        """Return where an item stands: by the number of the outermost, and by those of the levels in it."""
        ...

    def notes(self) -> Iterator[ReadingNote]:
        """Yield what was odd about the file as such."""
        ...


def searched_texts(selectors: Sequence[Selector], to_text: ToText) -> TextsAt:
    """Return what gives the texts at several places, looked for at each."""

    def texts(item: object) -> list[str | None] | None:
        found: list[str | None] = []
        for selector in selectors:
            values = selector.peek_all(item)
            if len(values) > 1 or not all(isinstance(value, str | int | float) for value in values):
                return None
            found.append(to_text(values[0]) if values else None)
        return found

    return texts


def name_matcher(patterns: Sequence[str]) -> Callable[[str], bool]:
    """Return what tells whether a name is one of several, which may hold ``*`` and ``?``; case does not count."""
    pattern = re.compile("|".join(translate(pattern.strip().casefold()) for pattern in patterns))
    return lambda name: pattern.match(name.strip().casefold()) is not None


def on_line(number: int, inner: Inner) -> str:
    """Return in words where an item stands in a file whose lines have numbers."""
    return ", ".join((f"line {number:,}", *(f"item {position + 1}" for _, position in inner)))


def json_text(value: object) -> str:
    """Return a JSON value as text: a text itself, a number or truth value as JSON writes it, others as JSON."""
    if type(value) is str:
        return value
    return msgspec.json.encode(value).decode()
