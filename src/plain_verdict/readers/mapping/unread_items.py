"""What a mapping leaves unread in a file: items of the same form as those that it reads."""

from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Sequence
from itertools import chain
from typing import NamedTuple

import msgspec
from lxml import etree

from plain_verdict.readers.mapping.json_paths import MEMBERS
from plain_verdict.readers.mapping.selectors import Selector
from plain_verdict.readers.xml.text import local_name
from plain_verdict.text.cleaning import single_line

_LEAST_PATHS = 2  # a name alone is a form that too much has
_MOST_SHOWN_CHARS = 120
_Object = dict[str, object]
_any = msgspec.json.Encoder(order="sorted")


class ItemForm(NamedTuple):
    """What all items of one list have that a mapping reads: places that find something in each of them."""

    name: Sequence[Selector]
    others: Sequence[Selector]

    def fits(self, item: object) -> bool:
        """Return whether an item has all of it."""
        if not any(selector.peek(item) is not None for selector in self.name):
            return False
        always = [selector for selector in self.others if selector.hits and not selector.misses]
        return 1 + len(always) >= _LEAST_PATHS and all(selector.peek(item) is not None for selector in always)


def forms_of(selectors: Sequence[tuple[str, Selector]], keys: Sequence[str]) -> list[ItemForm]:
    """Return the forms of the lists of checks with these keys of the mapping; none for a list without a name."""
    from_item = [(at, selector) for at, selector in selectors if not selector.text.startswith(("$", "/"))]
    forms = []
    for key in keys:
        name = [selector for at, selector in from_item if at == f"{key}.name"]
        # A place of a part is seen from the part, and where items stand is not seen from themselves.
        others = [selector for at, selector in from_item if at.removeprefix(f"{key}.") in _OF_ITEM]
        if name:
            forms.append(ItemForm(name, others))
    return forms


_OF_ITEM_KEYS = """
outcome.from took started ended suite severity rule file description attempts.each attempt step.each help worker
tags
"""
_OF_ITEM = frozenset(_OF_ITEM_KEYS.split())
"""Keys whose places are seen from the item."""


class UnreadItems:
    """Counts, by their paths, the items of a file that have the form of its checks and were not reached."""

    def __init__(self, forms: Sequence[ItemForm], is_outcome: Callable[[str], bool]) -> None:
        self._forms = forms
        self._names_outcome = is_outcome
        self.reached: dict[int, object] = {}
        """Items that were read, or left out by a condition, by their identity: they are kept, so that it lasts."""
        self.around: dict[int, object] = {}
        """Levels that were gone into: what they say of themselves is not lost, and what is in them is looked at."""
        self.paths: Counter[str] = Counter()
        self._has_bare_members = False
        """Whether items are members that are no objects themselves."""

    def look(self, wholes: Sequence[object]) -> None:
        """Count what was not reached in values or in elements."""
        if not self._forms:
            return
        elements = [whole for whole in wholes if isinstance(whole, etree._Element)]
        if elements:
            self._look_in_elements(elements)
        else:
            self._look_in_values(wholes)

    def _look_in_values(self, wholes: Sequence[object]) -> None:
        unread: list[tuple[str, object]] = []
        waiting: list[tuple[object, str]] = [(whole, "$") for whole in wholes]
        reached, containers = self._with_members()
        while waiting:
            value, at = waiting.pop()
            if isinstance(value, dict) and self._has_form(value, containers, reached):
                unread.append((at, value))
            else:
                waiting += [inner for inner in _inner_values(value, at) if id(inner[0]) not in reached]
        if unread:
            # Some files list the same items twice: all of them, and those that failed.
            again = {_any.encode(item) for item in reached.values() if isinstance(item, dict)}
            self.paths.update(at for at, item in unread if _any.encode(item) not in again)

    def _with_members(self) -> tuple[dict[int, object], set[int]]:
        """Return what was reached, with the values of members, and the objects whose members are items."""
        members = [item for item in self.reached.values() if isinstance(item, dict) and MEMBERS in item]
        self._has_bare_members = any(not isinstance(item["value"], dict) for item in members)
        values = {id(item["value"]): item["value"] for item in members if isinstance(item["value"], dict)}
        return {**self.reached, **values}, {id(item[MEMBERS]) for item in members}

    def _has_form(self, value: _Object, containers: set[int], reached: dict[int, object]) -> bool:
        if id(value) in self.around:
            return False
        return self._fits(value) or self._are_members(value, containers, reached)

    def _are_members(self, value: _Object, containers: set[int], reached: dict[int, object]) -> bool:
        """Return whether the members of an object, which is none of the containers, have the form of the items."""
        if not containers or id(value) in containers:
            return False
        objects = [inner for inner in value.values() if isinstance(inner, dict)]
        if objects:
            unreached = [{"key": "any", "value": inner} for inner in objects if id(inner) not in reached]
            return not self._has_bare_members and any(map(self._fits, unreached))
        return bool(value) and all(map(self._is_outcome, value.values()))

    def _look_in_elements(self, wholes: "Sequence[etree._Element]") -> None:
        tags = {element.tag for element in self.reached.values() if isinstance(element, etree._Element)}
        for element in chain.from_iterable(whole.iter(*tags) for whole in wholes) if tags else ():
            is_known = id(element) in self.reached or id(element) in self.around
            if not is_known and self._fits(element) and not self._in_reached(element):
                self.paths[path_of(element)] += 1

    def _in_reached(self, element: "etree._Element") -> bool:
        return any(id(outer) in self.reached for outer in element.iterancestors())

    def take(self, element: "etree._Element") -> None:
        """Count an element that stands outside of all items, if it has their form."""
        if self._fits(element):
            self.paths[path_of(element)] += 1

    def _fits(self, item: object) -> bool:
        return any(form.fits(item) for form in self._forms)

    def _is_outcome(self, value: object) -> bool:
        return isinstance(value, str) and self._names_outcome(value)

    def shown(self) -> Iterator[tuple[int, str]]:
        """Yield how many items were not read, and where, most first."""
        for path, times in self.paths.most_common():
            yield times, single_line(path, _MOST_SHOWN_CHARS)


def path_of(element: "etree._Element") -> str:
    """Return the names of an element and of those around it, as an XPath."""
    names = [local_name(outer.tag) for outer in (element, *element.iterancestors())]
    return "/" + "/".join(reversed(names))


def _inner_values(value: object, path: str) -> list[tuple[object, str]]:
    """Return the objects and lists in a value, with their paths."""
    if isinstance(value, list):
        inner: Iterable[tuple[object, str]] = ((part, f"{path}[*]") for part in value)
    else:
        inner = ((part, f"{path}.{key}") for key, part in value.items()) if isinstance(value, dict) else ()
    return [pair for pair in inner if isinstance(pair[0], dict | list)]
