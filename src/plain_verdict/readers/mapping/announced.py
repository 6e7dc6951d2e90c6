"""Numbers that a file gives of its checks itself: totals and failures, and lists that are named for an outcome."""

from collections.abc import Iterator, Mapping
from enum import StrEnum
from typing import NamedTuple

from lxml import etree

from plain_verdict.readers.mapping.values import whole_number
from plain_verdict.text.names import split_identifier

_NUMBER_SORTS = {
    "total": "tests test total totals checks check cases case testcases testcase testcasecount scenarios examples",
    "passed": "passed passes pass passing success successes succeeded ok",
    "failed": "failed failures fail failing failure",
    "errored": "errors errored error broken",
    "skipped": "skipped skips skip pending disabled ignored todo",
}
_NEUTRAL_TEXT = """
num number nr n of count counts stats stat statistics summary results result run report info counters
"""
_NEUTRAL = frozenset(_NEUTRAL_TEXT.split())
_DEEPEST_NUMBERS = 3  # objects in objects in which such numbers are looked for


class Sort(StrEnum):
    """What such a number counts."""

    TOTAL = "total"
    PASSED = "passed"
    FAILED = "failed"
    ERRORED = "errored"
    SKIPPED = "skipped"


_SORTS = {word: Sort(sort) for sort, words in _NUMBER_SORTS.items() for word in words.split()}


class Announced(NamedTuple):
    """A number that the file gives: where it stands, and what it counts."""

    path: str
    sort: Sort
    number: int


def sort_of(path: str) -> Sort | None:
    """Return what a number at a place counts; None where a word of its name says that it is of something else."""
    words = [word for word in split_identifier(path) if word not in _NEUTRAL]
    if not words or any(word not in _SORTS for word in words):
        return None
    sorts = {_SORTS[word] for word in words} - {Sort.TOTAL}  # failed tests are failed
    return Sort.TOTAL if not sorts else next(iter(sorts)) if len(sorts) == 1 else None


def announced_in(root: object) -> Iterator[Announced]:
    """Yield the numbers that the root of a file gives, and the sizes of lists that are named for an outcome."""
    if isinstance(root, dict):
        yield from _in_object(root, "$", 0)
    elif isinstance(root, etree._Element):
        yield from _in_element(root)


def _in_object(value: Mapping[str, object], path: str, depth: int) -> Iterator[Announced]:
    for key, inner in value.items():
        at = f"{path}.{key}"
        if type(inner) is dict:
            yield from _in_object(inner, at, depth + 1) if depth < _DEEPEST_NUMBERS else ()
            continue
        number = _number_of(inner)
        sort = sort_of(at.removeprefix("$")) if number is not None else None
        # A list that is named for passes may hold what is named for nothing elsewhere.
        if number is not None and sort is not None and (type(inner) is int or sort in (Sort.FAILED, Sort.ERRORED)):
            yield Announced(at, sort, number)


def _number_of(value: object) -> int | None:
    """Return a count, or the length of a list of objects."""
    if type(value) is int:
        return value if value >= 0 else None
    return len(value) if type(value) is list and value and all(type(part) is dict for part in value) else None


def _in_element(root: "etree._Element") -> Iterator[Announced]:
    tag = etree.QName(root).localname
    for name, text in root.attrib.items():
        number, sort = whole_number(str(text)), sort_of(str(name))
        if number is not None and sort is not None:
            yield Announced(f"/{tag}/@{name!s}", sort, number)
