"""Places in JSON: RFC 9535 paths, seen from the item that is looked at."""

import re
from collections.abc import Sequence
from typing import cast

from plain_verdict.readers.mapping.selectors import (
    ANY,
    SAMPLES,
    ColumnsAt,
    Find,
    Select,
    Selector,
    TextColumns,
    TextsAt,
    json_text,
    name_matcher,
    searched_texts,
)

MEMBERS = "members"
"""The key of an item that is a member of an object, under which the object stands."""
_BARE = re.compile(r"(?![$@])[^\W\d][\w -]*")
"""A key as people write it; RFC 9535 wants one with a space or a hyphen in brackets and quotes."""


class JsonRoot:
    """What ``$`` means: the file, or the line. It changes with every line."""

    __slots__ = ("value",)

    def __init__(self, value: object = None) -> None:
        self.value = value


def json_selector(text: str | int, root: JsonRoot) -> Selector:
    """Return the place that a path names. Raises ValueError where it is none."""
    if isinstance(text, int):
        raise ValueError(f"{text} is a column number, but the file is not a table")
    if _BARE.fullmatch(text):
        return key_selector(text)
    from plain_verdict.readers.mapping import json_path_search  # a library, for paths that are more than a key

    path = json_path_search.compiled_path(text)
    steps = json_path_search.plain_steps(path)
    find: Find = _search_for(steps) if steps is not None else json_path_search.Search(text, path)
    single = isinstance(find, _Keys)
    if text.startswith("$"):
        return Selector(text, _FromRoot(find, root), single=single)
    if steps is not None and len(steps) == 1 and isinstance(steps[0], str):
        return _KeySelector(text, steps[0])
    return Selector(text, find, find.first if isinstance(find, _Keys) else None, single=single)


class JsonPlaces:
    """Makes places in values of JSON, for all documents that hold such."""

    def __init__(self, root: JsonRoot) -> None:
        self._root = root

    def select(self, text: str | int) -> Selector:
        """Return the place of a path; ``$`` is the file, or the line. Raises ValueError."""
        return json_selector(text, self._root)

    def members(self, key: str, wanted: str | tuple[str, ...], select: Select) -> Find:
        """Return what gives the members of an object at a place, or those named. Raises ValueError."""
        return json_members(key, wanted, select)

    def texts_at(self, selectors: Sequence[Selector]) -> TextsAt:
        """Return what gives the texts at several places at once; most are keys."""
        keys = [selector.key for selector in selectors]
        return searched_texts(selectors, json_text) if None in keys else _TextsOfKeys(keys)

    def columns_at(self, selectors: Sequence[Selector]) -> ColumnsAt | None:
        """Return what gives the texts of many items; None where a place is more than a key."""
        keys = [selector.key for selector in selectors]
        return None if None in keys else _TextsOfKeys(keys).columns

    def text_of(self, value: object) -> str:
        """Return a value as text."""
        return json_text(value)


def key_selector(key: str) -> Selector:
    """Return the place of a key, whatever signs it has."""
    return _KeySelector(key, key)


def json_members(key: str, wanted: str | tuple[str, ...], select: Select) -> Find:
    """Return what gives members of objects: of those at a place, or the item's own by patterns of names."""
    if isinstance(wanted, str):
        selector = select(key, wanted)
        return lambda item: [
            {"key": name, "value": value, "around": item, MEMBERS: found}
            for found in selector.all(item)
            if isinstance(found, dict)
            for name, value in found.items()
        ]
    fits = name_matcher(wanted)

    def named(item: object) -> list[object]:
        members = item.items() if isinstance(item, dict) else ()
        return [
            {"key": name, "value": value, "around": item, MEMBERS: item} for name, value in members if fits(name)
        ]

    return named


def _search_for(steps: tuple[object, ...]) -> "_Keys | _Steps":
    return _Steps(steps) if ANY in steps else _Keys(steps)


class _Keys:
    """The search for a path of keys and indices only: nearly all are."""

    def __init__(self, keys: tuple[object, ...]) -> None:
        self._keys = keys

    def __call__(self, item: object) -> list[object]:
        return [self.first(item)]

    def first(self, item: object) -> object:
        """Return what stands there, or None."""
        for key in self._keys:
            if type(item) is dict:
                item = item.get(key) if type(key) is str else None
            elif type(item) is list and type(key) is int and -len(item) <= key < len(item):
                item = item[key]
            else:
                return None
        return item


class _TextsOfKeys:
    """The texts of several keys of an object."""

    _TEXTS = frozenset([str, type(None)])
    _PRINTED = frozenset([str, int, float, bool])
    _MADE_TEXTS = _TEXTS | _PRINTED

    def __init__(self, keys: Sequence[object]) -> None:
        self._keys = keys

    def __call__(self, item: object) -> list[str | None] | None:
        if type(item) is not dict:
            return None
        values = list(map(item.get, self._keys))
        types = set(map(type, values))
        if types <= self._TEXTS:
            return values
        if not types <= self._MADE_TEXTS:
            return None
        return [value if value is None else json_text(value) for value in values]

    def columns(self, items: Sequence[object]) -> TextColumns:
        """Return the texts of many objects, column by column: most columns hold nothing else."""
        others: set[int] = set()
        objects = cast("Sequence[dict[object, object]]", items)
        if set(map(type, items)) != {dict}:
            others.update(number for number, item in enumerate(items) if type(item) is not dict)
            objects = [item if type(item) is dict else {} for item in items]
        return TextColumns(
            [self._column([item.get(key) for item in objects], others) for key in self._keys], others
        )

    def _column(self, values: list[object], others: set[int]) -> Sequence[str | None]:
        """Return values as texts; ``others`` gets the numbers of those that are none."""
        types = set(map(type, values))
        if types <= self._TEXTS:
            return cast("list[str | None]", values)
        if not types <= self._MADE_TEXTS:
            others.update(number for number, value in enumerate(values) if type(value) not in self._MADE_TEXTS)
        return [json_text(value) if type(value) in self._PRINTED else None for value in values]


class _KeySelector(Selector):
    """The place of one key: nearly all places are."""

    __slots__ = ()

    def __init__(self, text: str, key: str) -> None:
        keys = _Keys((key,))
        super().__init__(text, keys, keys.first)
        self.key = key
        self.read = self._read_key

    def _read_key(self, item: object) -> str | None:
        value = item.get(self.key) if type(item) is dict else None
        if value is None or value == "":
            self.misses += 1
            return None
        self.hits += 1
        if self.hits <= SAMPLES:
            self.sample(value)
        return value if type(value) is str else json_text(value)


class _FromRoot:
    """A search made once for each root, wherever it is asked for."""

    def __init__(self, find: Find, root: JsonRoot) -> None:
        self._find = find
        self._root = root
        self._last: object = ANY
        self._found: list[object] = []

    def __call__(self, _item: object) -> list[object]:
        if self._root.value is not self._last:
            self._last, self._found = self._root.value, self._find(self._root.value)
        return self._found


class _Steps:
    """The search for a path of keys, indices and wildcards."""

    def __init__(self, steps: tuple[object, ...]) -> None:
        self._steps = steps

    def __call__(self, item: object) -> list[object]:
        found = [item]
        for step in self._steps:
            found = [value for value in found for value in _below(value, step)]
        return found


def _below(value: object, step: object) -> list[object]:
    if type(value) is dict:
        if step is ANY:
            return list(value.values())
        return [value[step]] if type(step) is str and step in value else []
    if type(value) is list:
        if step is ANY:
            return value
        return [value[step]] if type(step) is int and -len(value) <= step < len(value) else []
    return []
