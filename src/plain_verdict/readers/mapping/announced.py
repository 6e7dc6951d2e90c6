"""Numbers that a file gives of its checks itself: totals and failures, and lists that are named for an outcome."""

from collections import Counter
from collections.abc import Iterator, Mapping
from enum import StrEnum
from functools import lru_cache
from typing import NamedTuple

from lxml import etree

from plain_verdict.model import BAD
from plain_verdict.readers.mapping.outcome_words import meaning_of
from plain_verdict.readers.mapping.values import whole_number
from plain_verdict.readers.xml.text import local_name
from plain_verdict.text.names import split_identifier

_NUMBER_SORTS = {
    "total": "tests test total totals checks check cases case testcases testcase testcasecount scenarios examples",
    "passed": "passed passes pass passing success successes succeeded ok",
    "failed": "failed failures fail failing failure fault faults",
    "errored": "errors errored error broken",
    "skipped": "skipped skips skip pending disabled ignored todo",
}
_NEUTRAL_TEXT = """
num number nr n of count counts stats stat statistics summary results result run report info counters
"""
_NEUTRAL = frozenset(_NEUTRAL_TEXT.split())
_DEEPEST_NUMBERS = 3  # objects in objects in which such numbers are looked for


_EXIT_CODES = ("exit code", "exitcode", "exit status", "return code", "returncode", "rc")
_VERDICT_WORDS = ("status", "result", "outcome", "verdict", "conclusion", "state")


class Sort(StrEnum):
    """What such a number counts."""

    TOTAL = "total"
    PASSED = "passed"
    FAILED = "failed"
    ERRORED = "errored"
    SKIPPED = "skipped"
    RUN = "run"
    """That the whole failed, by its own word: at least one check did."""


_SORTS = {word: Sort(sort) for sort, words in _NUMBER_SORTS.items() for word in words.split()}


class Announced(NamedTuple):
    """A number that the file gives: where it stands, and what it counts."""

    path: str
    sort: Sort
    number: int


@lru_cache(10_000)
def sort_of(path: str) -> Sort | None:
    """Return what a number at a place counts; None where a word of its name says that it is of something else."""
    words = [word for word in split_identifier(path) if word not in _NEUTRAL]
    if not words or any(word not in _SORTS for word in words):
        return None
    sorts = {_SORTS[word] for word in words} - {Sort.TOTAL}  # failed tests are failed
    return Sort.TOTAL if not sorts else next(iter(sorts)) if len(sorts) == 1 else None


def announced_in(root: object) -> Iterator[Announced]:
    """Yield the numbers that the root of a file gives, and the sizes of lists that are named for an outcome."""
    yield from failed_itself(root)
    if isinstance(root, dict):
        yield from _in_object(root, "$", 0)
    elif isinstance(root, etree._Element):
        yield from _in_element(root)


def failed_itself(whole: object) -> Iterator[Announced]:
    """Yield where a file, or a level in it, says that it failed itself: by a word, a truth value, an exit code."""
    if isinstance(whole, dict):
        before, members = "$.", [(str(key), value) for key, value in whole.items()]
    elif isinstance(whole, etree._Element):
        before = f"/{local_name(whole.tag)}/@"
        members = [(str(key), value) for key, value in whole.attrib.items()]
    else:
        return
    for key, value in members:
        if isinstance(value, bool | int | str) and _means_failure(key, value):
            yield Announced(f"{before}{key}", Sort.RUN, 1)


def _means_failure(key: str, value: object) -> bool:
    """Return whether the value of a key says that the whole failed."""
    text = str(value).casefold()
    match _way_of(key):
        case _Way.EXIT_CODE:
            return text.removeprefix("-").isdecimal() and text.strip("-0") != ""
        case _Way.TRUTH if text in ("true", "false"):
            return meaning_of(key, text) in BAD
        case _Way.WORD:
            return text not in ("true", "false") and meaning_of("", text) in BAD
        case _:
            return False


class _Way(StrEnum):
    """How a key may say that the whole failed."""

    EXIT_CODE = "exit code"
    TRUTH = "truth"
    WORD = "word"


@lru_cache(10_000)
def _way_of(key: str) -> _Way | None:
    words = split_identifier(key)
    if " ".join(words) in _EXIT_CODES:
        return _Way.EXIT_CODE
    if words and words[-1] in _VERDICT_WORDS:
        return _Way.WORD
    return _Way.TRUTH if len(words) == 1 else None


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
    return len(value) if type(value) is list and all(type(part) in (dict, str) for part in value) else None


def _in_element(root: "etree._Element") -> Iterator[Announced]:
    tag = local_name(root.tag)
    for name, text in root.attrib.items():
        number, sort = whole_number(str(text)), sort_of(str(name))
        if number is not None and sort is not None:
            yield Announced(f"/{tag}/@{name!s}", sort, number)
    named = Counter(local_name(child.tag) for child in root.iterchildren("{*}*"))
    for name, times in named.items():
        sort = sort_of(name)
        if sort in (Sort.FAILED, Sort.ERRORED):
            yield Announced(f"/{tag}/{name}", sort, times)
