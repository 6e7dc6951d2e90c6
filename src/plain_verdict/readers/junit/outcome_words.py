"""What attributes of cases and suites say of how they ended, in the words that runners have for it."""

import re
from collections.abc import Iterator, Mapping

from plain_verdict.model import Outcome

# What the words of a status or result attribute say.
_WORDS = {
    word: outcome
    for outcome, words in {
        Outcome.PASSED: "passed pass ok success successful succeeded run completed complete executed true yes",
        Outcome.SKIPPED: "skipped skip disabled ignored suppressed notrun pending excluded todo"
        " deselected inactive",
        Outcome.FAILED: "failed fail failure notok false no unsuccessful",
        Outcome.ERRORED: "error errored broken aborted crashed timeout timedout notexecuted notrunnable"
        " incomplete couldnotberun couldnotrun interrupted killed canceled cancelled",
        Outcome.UNDECIDED: "undecided inconclusive unknown indeterminate manual",
    }.items()
    for word in words.split()
}
_BY_WORD = ("status", "result", "outcome")
_IF_TRUE = ("success", "passed")
_BAD = {
    "failures": Outcome.FAILED,
    "failure": Outcome.FAILED,
    "failed": Outcome.FAILED,
    "errors": Outcome.ERRORED,
    "error": Outcome.ERRORED,
    "errored": Outcome.ERRORED,
}
_TRUE, _FALSE = ("true", "yes", "1"), ("false", "no", "0", "none")
TELLING = frozenset((*_BY_WORD, *_IF_TRUE, *_BAD))
"""Attributes that say how a case ended."""


def outcome_words_of_case(attributes: Mapping[str, str]) -> Iterator[tuple[Outcome | None, str]]:
    """Yield what each telling attribute says, and its word; None for a word that nobody knows."""
    for key in sorted(attributes.keys() & TELLING):
        word = attributes[key].strip()
        if word:
            yield from _outcomes_of(key, word)


def outcome_words_of_suite(attributes: Mapping[str, str]) -> Iterator[tuple[Outcome | None, str]]:
    """Yield what a suite says of itself besides counts, likewise."""
    for key, value in attributes.items():
        word, name = value.strip(), key.rpartition("}")[2].lower()
        if word and name in (*_BY_WORD, *_IF_TRUE) and not (name in _IF_TRUE and word.isdecimal()):
            yield from _outcomes_of(name, word)


def _outcomes_of(key: str, word: str) -> Iterator[tuple[Outcome | None, str]]:
    plain = word.lower()
    if key in _BY_WORD:
        yield _WORDS.get(re.sub("[^a-z]", "", plain)), word
    elif key in _IF_TRUE:
        yield Outcome.PASSED if plain in _TRUE else Outcome.FAILED if plain in _FALSE else None, word
    elif plain not in _FALSE:
        yield _BAD[key] if plain in _TRUE or _is_count(plain) else None, word


def _is_count(word: str) -> bool:
    return word.isascii() and word.isdigit() and int(word) > 0
