"""Searches for RFC 9535 paths by a library, for those that are more than keys; guarded against hostile data."""

import re
import time
from collections.abc import Iterable, Iterator
from functools import lru_cache

from jsonpath import JSONPath, JSONPathEnvironment, JSONPathError
from jsonpath.function_extensions import Match
from jsonpath.function_extensions import Search as SearchFunction
from jsonpath.match import JSONPathMatch
from jsonpath.segments import JSONPathChildSegment, JSONPathRecursiveDescentSegment, JSONPathSegment
from jsonpath.selectors import IndexSelector, NameSelector, WildcardSelector
from jsonpath.token import TOKEN_DDOT

from plain_verdict.readers.mapping.selectors import ANY

_DEEPEST_VALUES = 100  # Python's own stack ends soon after
_PATH_PATIENCE_S = 10.0
"""For all searches of one place in one file."""
_PATTERN_PATIENCE_S = 0.2  # for one pattern on one text
_SEARCHED_CHARS = 20_000  # of a text: what patterns are for stands at its beginning


_XPATH = re.compile(r"@[A-Za-z_]|/")


class TooHard(ValueError):  # noqa: N818  the name says which case it is
    """A place can't be looked for in this data: it takes too long, or leads too deep."""


def plain_steps(path: JSONPath) -> tuple[object, ...] | None:
    """Return a path's keys, indices and wildcards, or None where it has more than these."""
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


class _GuardedMatch(Match):
    """``match()`` that ends in time: its pattern may come from the data. Source: RFC 9535, section 2.4.6."""

    def __call__(self, value: object, pattern: object) -> bool:
        compiled = self.check_cache(pattern) if isinstance(pattern, str) else None
        text = value[:_SEARCHED_CHARS] if isinstance(value, str) else None
        return bool(compiled and text is not None and compiled.fullmatch(text, timeout=_PATTERN_PATIENCE_S))


class _GuardedSearch(SearchFunction):
    """``search()``, guarded alike. Source: RFC 9535, section 2.4.7."""

    def __call__(self, value: object, pattern: object) -> bool:
        compiled = self.check_cache(pattern) if isinstance(pattern, str) else None
        text = value[:_SEARCHED_CHARS] if isinstance(value, str) else None
        return bool(compiled and text is not None and compiled.search(text, timeout=_PATTERN_PATIENCE_S))


@lru_cache(1)
def _environment() -> JSONPathEnvironment:
    environment = JSONPathEnvironment(strict=True)
    environment.function_extensions |= {"match": _GuardedMatch(), "search": _GuardedSearch()}
    return environment


@lru_cache(1_000)
def compiled_path(text: str) -> JSONPath:
    """Return a path. Raises ValueError where it is none, or could search a tree again and again."""
    if _XPATH.match(text):
        raise ValueError(f"“{text}” is an XPath, but the file is JSON")
    environment = _environment()
    seen_from_root = text if text[:1] == "$" else f"${text.removeprefix('@') if text[:1] in '@[.' else f'.{text}'}"
    try:
        path = environment.compile(seen_from_root)
        dots = sum(token.kind == TOKEN_DDOT for token in environment.lexer.tokenize(seen_from_root))
    except JSONPathError as error:
        raise _no_path(text, len(seen_from_root) - len(text), error) from error
    assert isinstance(path, JSONPath), "the standard has no unions of paths"  # noqa: S101  for the type checker
    outside = sum(isinstance(segment, JSONPathRecursiveDescentSegment) for segment in path.segments)
    if dots > 1 or dots != outside:
        raise ValueError(f"“{text}” has more than one “..”, or one in a filter: the search could take forever")
    return path


def _no_path(text: str, before: int, error: JSONPathError) -> ValueError:
    """Return the error of a text that is not a JSONPath, with its column; so many signs were put before it."""
    what = " ".join(str(error).split("\n")[0].split())
    index = error.token.index if error.token and error.token.index >= 0 else before + len(text)
    return ValueError(f"“{text}” is not a JSONPath: {what}, column {max(0, index - before) + 1}")


class Search:
    """The search for any path, by the library; it ends in time."""

    def __init__(self, text: str, path: JSONPath) -> None:
        self._text = text
        self._path = path
        self._spent_s = 0.0

    def __call__(self, item: object) -> list[object]:
        """Return what the path finds in an item. Raises TooHard."""
        if not isinstance(item, dict | list):
            return []
        began = time.monotonic()
        found: list[object] = []
        try:
            for node in self._nodes(item):
                found.append(node.obj)
                if not len(found) % 1_000 and self._spent_s + time.monotonic() - began > _PATH_PATIENCE_S:
                    raise TooHard(f"“{self._text}” takes too long to search for")
        except (TimeoutError, JSONPathError, RecursionError) as error:
            what = str(error) or "the file nests too deep"
            raise TooHard(f"“{self._text}” can't be searched for: {what}") from error
        self._spent_s += time.monotonic() - began
        if self._spent_s > _PATH_PATIENCE_S:
            raise TooHard(f"“{self._text}” takes too long to search for")
        return found

    def _nodes(self, item: "dict[str, object] | list[object]") -> Iterator[JSONPathMatch]:
        nodes: Iterator[JSONPathMatch] = iter(
            [JSONPathMatch(filter_context={}, obj=item, parent=None, path="$", parts=(), root=item)]
        )
        for segment in self._path.segments:
            descends = isinstance(segment, JSONPathRecursiveDescentSegment)
            nodes = _selected(segment, nodes) if descends else iter(segment.resolve(nodes))
        return nodes


def _selected(segment: JSONPathSegment, nodes: Iterator[JSONPathMatch]) -> Iterator[JSONPathMatch]:
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
