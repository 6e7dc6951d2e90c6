"""What words for outcomes mean, in several languages (outcome_words.toml)."""

import tomllib
from functools import lru_cache
from pathlib import Path

from plain_verdict.model import Outcome
from plain_verdict.text.names import split_identifier

_WORD_TABLES = tomllib.loads((Path(__file__).parent / "outcome_words.toml").read_text("utf-8"))
_TRUTH = {what: frozenset(words.split()) for what, words in _WORD_TABLES["truth"].items()}
_OUTCOME_OF_WORD = {
    " ".join(word.split()): Outcome(outcome)
    for outcome, words in _WORD_TABLES["values"].items()
    for word in words.split(",")
}
_LISTS = {word: Outcome(outcome) for outcome, words in _WORD_TABLES["lists"].items() for word in words.split()}
_NEGATIONS = frozenset(_WORD_TABLES["negation"]["words"].split())
_TRUTH_TEXTS = ("true", "false")
_OF_TRUTH = {
    ("good", "true"): Outcome.PASSED,
    ("good", "false"): Outcome.FAILED,
    ("bad", "true"): Outcome.FAILED,
    ("bad", "false"): Outcome.PASSED,
    ("skipped", "true"): Outcome.SKIPPED,
}
_LONGEST_WORD_CHARS = 60  # of a word for an outcome; longer texts are messages


def meaning_of(path: str, value: str) -> Outcome | None:
    """Return what a value at a place means; None where nobody can tell. True alone is no pass."""
    text = " ".join(value.casefold().replace("_", " ").split())
    if text in _TRUTH_TEXTS:
        words = split_identifier(path)
        # The last word of a name is what it is about: failedCheckIsOk.
        sorts = (sort for word in reversed(words) for sort in ("skipped", "bad", "good") if word in _TRUTH[sort])
        sort = next(sorts, "")
        return _OF_TRUTH.get((sort, text))
    return _meaning_of_words(text) if len(text) <= _LONGEST_WORD_CHARS else None


@lru_cache(1_000)
def _meaning_of_words(text: str) -> Outcome | None:
    known = _OUTCOME_OF_WORD.get(text)
    if known is not None:
        return known
    words = text.strip(" .!").split()
    kept = [word for word in words if word not in _NEGATIONS]
    if len(kept) == len(words):
        return _OUTCOME_OF_WORD.get(" ".join(words))
    # Only a pass can be denied for sure: "not failed" may be anything.
    return Outcome.FAILED if _OUTCOME_OF_WORD.get(" ".join(kept)) is Outcome.PASSED else None


def outcome_of_list(name: str) -> Outcome | None:
    """Return how the items of a list ended that has this name; None where it does not say."""
    words = [word for word in split_identifier(name) if word not in ("tests", "checks", "test", "check", "cases")]
    return _LISTS.get(words[0]) if len(words) == 1 else None


def names_failure(path: str) -> bool:
    """Return whether a name is one for what went wrong: error, failure, exception."""
    return bool((_TRUTH["bad"] | _TRUTH["fault"]) & set(split_identifier(path)))


def counts_bad(path: str) -> bool:
    """Return whether a number there most likely counts what went wrong."""
    return bool(_TRUTH["counted"] & set(split_identifier(path)))
