"""Places in JSON: RFC 9535 paths, seen from the item that is looked at, guarded against hostile data."""

import re
import time
from collections.abc import Iterable, Iterator
from functools import lru_cache
from typing import TYPE_CHECKING

from plain_verdict.readers.mapping.selectors import SAMPLES, Find, FindFirst, Selector, json_text

if TYPE_CHECKING:
    from jsonpath import JSONPath, JSONPathEnvironment
    from jsonpath.match import JSONPathMatch
    from jsonpath.segments import JSONPathSegment

_BARE = re.compile(r"(?![$@])[^\W\d][\w -]*")
"""A key as people write it; RFC 9535 wants one with a space or a hyphen in brackets and quotes."""
_DEEPEST_VALUES = 100
_PATH_PATIENCE_S = 10.0
"""For all searches of one place in one file."""
_PATTERN_PATIENCE_S = 0.2
_SEARCHED_CHARS = 20_000
ANY = object()
"""A step of a path that takes all values."""


class TooHard(ValueError):  # noqa: N818  the name says which case it is
    """A place can't be looked for in this data: it takes too long, or leads too deep."""


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
        return _of_key(text, text)
    absolute = text.startswith("$")
    path = _compiled(text)
    steps = _plain_steps(path)
    if not absolute and steps and len(steps) == 1 and isinstance(steps[0], str):
        return _of_key(text, steps[0])
    if steps is None:
        single, find, find_first = False, _searched(text, path), None
    else:
        single = ANY not in steps
        find, find_first = _find_keys(steps) if single else (_find_steps(steps), None)
    return Selector(text, *(_from_root(find, root) if absolute else (find, find_first)), single=single)


def _of_key(text: str, key: str) -> Selector:
    """Return the place of one key: nearly all places are."""
    selector = Selector(text, *_find_keys((key,)))

    def read(item: object) -> str | None:
        value = item.get(key) if type(item) is dict else None
        if value is None or value == "":
            selector.misses += 1
            return None
        selector.hits += 1
        if selector.hits <= SAMPLES:
            selector.sample(value)
        return value if type(value) is str else json_text(value)

    selector.read = read
    return selector


def _from_root(find: Find, root: JsonRoot) -> tuple[Find, None]:
    """Return the search made once for each root, wherever it is asked for."""
    last: object = ANY
    found: list[object] = []

    def look(_item: object) -> list[object]:
        nonlocal last, found
        if root.value is not last:
            last, found = root.value, find(root.value)
        return found

    return look, None


def _find_keys(keys: tuple[object, ...]) -> tuple[Find, FindFirst]:
    """Return the searches for a path of keys and indices only: nearly all are."""

    def first(item: object) -> object:
        for key in keys:
            if type(item) is dict:
                item = item.get(key) if type(key) is str else None
            elif type(item) is list and type(key) is int and -len(item) <= key < len(item):
                item = item[key]
            else:
                return None
        return item

    return (lambda item: [first(item)]), first


def _find_steps(steps: tuple[object, ...]) -> Find:
    """Return the search for a path of keys, indices and wildcards."""

    def find(item: object) -> list[object]:
        found = [item]
        for step in steps:
            found = [value for value in found for value in _below(value, step)]
        return found

    return find


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


def _plain_steps(path: "JSONPath") -> tuple[object, ...] | None:
    """Return a path's keys, indices and wildcards, or None where it has more than these."""
    from jsonpath.segments import JSONPathChildSegment  # a library for paths that are not plain
    from jsonpath.selectors import IndexSelector, NameSelector, WildcardSelector  # as above

    steps: list[object] = []
    for segment in path.segments:
        if not isinstance(segment, JSONPathChildSegment) or len(segment.selectors) != 1:
            return None
        match segment.selectors[0]:
            case NameSelector(name=name):
                steps.append(name)
            case IndexSelector(index=index):
                steps.append(index)
            case WildcardSelector():
                steps.append(ANY)
            case _:
                return None
    return tuple(steps)


@lru_cache(1)
def _environment() -> "JSONPathEnvironment":
    from jsonpath import JSONPathEnvironment  # for mappings of JSON files only
    from jsonpath.function_extensions import Match, Search  # as above

    class GuardedMatch(Match):
        """``match()`` that ends in time: its pattern may come from the data. Source: RFC 9535, section 2.4.6."""

        def __call__(self, value: object, pattern: object) -> bool:
            compiled = self.check_cache(pattern) if isinstance(pattern, str) else None
            text = value[:_SEARCHED_CHARS] if isinstance(value, str) else None
            return bool(compiled and text is not None and compiled.fullmatch(text, timeout=_PATTERN_PATIENCE_S))

    class GuardedSearch(Search):
        """``search()``, guarded alike. Source: RFC 9535, section 2.4.7."""

        def __call__(self, value: object, pattern: object) -> bool:
            compiled = self.check_cache(pattern) if isinstance(pattern, str) else None
            text = value[:_SEARCHED_CHARS] if isinstance(value, str) else None
            return bool(compiled and text is not None and compiled.search(text, timeout=_PATTERN_PATIENCE_S))

    environment = JSONPathEnvironment(strict=True)
    environment.function_extensions |= {"match": GuardedMatch(), "search": GuardedSearch()}
    return environment


@lru_cache(1_000)
def _compiled(text: str) -> "JSONPath":
    """Return a path. Raises ValueError where it is none, or could search a tree again and again."""
    from jsonpath import JSONPath, JSONPathError  # a library for paths that are not plain
    from jsonpath.segments import JSONPathRecursiveDescentSegment  # a library for paths that are not plain
    from jsonpath.token import TOKEN_DDOT  # as above

    environment = _environment()
    seen_from_root = text if text[:1] == "$" else f"${text.removeprefix('@') if text[:1] in '@[.' else f'.{text}'}"
    try:
        path = environment.compile(seen_from_root)
        dots = sum(token.kind == TOKEN_DDOT for token in environment.lexer.tokenize(seen_from_root))
    except JSONPathError as error:
        what = " ".join(str(error).split("\n")[0].split())
        raise ValueError(f"“{text}” is not a JSONPath: {what}") from error
    assert isinstance(path, JSONPath), "the standard has no unions of paths"  # noqa: S101  for the type checker
    outside = sum(isinstance(segment, JSONPathRecursiveDescentSegment) for segment in path.segments)
    if dots > 1 or dots != outside:
        raise ValueError(f"“{text}” has more than one “..”, or one in a filter: the search could take forever")
    return path


def _searched(text: str, path: "JSONPath") -> Find:
    """Return the search for any path, by the library; it ends in time."""
    from jsonpath import JSONPathError  # a library for paths that are not plain
    from jsonpath.match import JSONPathMatch  # as above
    from jsonpath.segments import JSONPathRecursiveDescentSegment  # a library for paths that are not plain

    spent_s = 0.0

    def find(item: object) -> list[object]:
        nonlocal spent_s
        if not isinstance(item, dict | list):
            return []
        began = time.monotonic()
        nodes: Iterator[JSONPathMatch] = iter(
            [JSONPathMatch(filter_context={}, obj=item, parent=None, path="$", parts=(), root=item)]
        )
        for segment in path.segments:
            descends = isinstance(segment, JSONPathRecursiveDescentSegment)
            nodes = _selected(segment, nodes) if descends else iter(segment.resolve(nodes))
        found: list[object] = []
        try:
            for node in nodes:
                found.append(node.obj)
                if not len(found) % 1_000 and spent_s + time.monotonic() - began > _PATH_PATIENCE_S:
                    raise TooHard(f"“{text}” takes too long to search for")
        except (TimeoutError, JSONPathError, RecursionError) as error:
            raise TooHard(f"“{text}” can't be searched for: {str(error) or 'the file nests too deep'}") from error
        spent_s += time.monotonic() - began
        if spent_s > _PATH_PATIENCE_S:
            raise TooHard(f"“{text}” takes too long to search for")
        return found

    return find


def _selected(segment: "JSONPathSegment", nodes: "Iterator[JSONPathMatch]") -> "Iterator[JSONPathMatch]":
    """Yield what a descendant segment selects, as the library does, but in bounded time. Raises TooHard."""
    until = time.monotonic() + _PATH_PATIENCE_S
    waiting = [(node, 0) for node in nodes][::-1]
    while waiting:
        node, depth = waiting.pop()
        if depth > _DEEPEST_VALUES:
            raise TooHard(f"nests deeper than {_DEEPEST_VALUES} levels, which “..” can't search")
        if time.monotonic() > until:
            raise TooHard("is too large for “..”")
        for selector in segment.selectors:
            yield from selector.resolve(node)
        children: Iterable[tuple[str | int, object]] = ()
        if isinstance(node.obj, dict):
            children = node.obj.items()
        elif isinstance(node.obj, list):
            children = enumerate(node.obj)
        inner = [(key, value) for key, value in children if isinstance(value, dict | list)]
        waiting += [(node.new_child(value, key), depth + 1) for key, value in reversed(inner)]
