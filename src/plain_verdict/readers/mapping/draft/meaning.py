"""Guesses by words what keys and values mean, in the languages that results are often written in (words.toml)."""

import tomllib
from enum import StrEnum
from pathlib import Path

from plain_verdict.model import Outcome
from plain_verdict.text.names import split_identifier


class Role(StrEnum):
    """What a field of an item may be to a check; named as the keys of a mapping."""

    OUTCOME = "outcome"
    STARTED = "started"
    ENDED = "ended"
    TOOK = "took"
    NAME = "name"
    SUITE = "suite"
    MESSAGE = "problem.message"
    TYPE = "problem.type"
    DETAIL = "problem.detail"
    EXPECTED = "problem.expected"
    ACTUAL = "problem.actual"
    EVIDENCE = "evidence.path"
    TAGS = "tags"
    REQUIREMENTS = "requirements"
    DESCRIPTION = "description"
    FILE = "file"
    LINE = "line"
    WORKER = "worker"
    ATTEMPT = "attempt"
    SEVERITY = "severity"
    OUTPUT = "output"


_TABLES = tomllib.loads((Path(__file__).parent / "words.toml").read_text("utf-8"))
_ROLE_WORDS = {Role(role): tuple(words.split()) for role, words in _TABLES["keys"].items()}
_TRUTH = {what: frozenset(words.split()) for what, words in _TABLES["truth"].items()}
_VALUES = {
    " ".join(word.split()): Outcome(outcome)
    for outcome, words in _TABLES["values"].items()
    for word in words.split(",")
}
_LONG_WORD = 5


def fit_of(role: Role, path: str) -> float:
    """Return how well a place's name fits a role: 1 for its last word, less for one in it, 0 where none does."""
    words = split_identifier(path)
    if not words:
        return 0.0
    known = _ROLE_WORDS[role]
    if words[-1] in known:
        return 1.0 - 0.3 * known.index(words[-1]) / len(known)
    if any(word in known for word in words):
        return 0.6
    # Languages that join words: Prüfdauer, testnavn.
    return 0.5 if any(len(word) >= _LONG_WORD and word in words[-1] for word in known) else 0.0


def meaning_of(path: str, value: str) -> Outcome | None:
    """Return what a value most likely means, None where nobody can tell."""
    text = " ".join(value.casefold().split())
    if text in ("true", "false"):
        words = set(split_identifier(path))
        if words & _TRUTH["skipped"]:
            return Outcome.SKIPPED if text == "true" else None
        if words & _TRUTH["bad"]:
            return Outcome.FAILED if text == "true" else Outcome.PASSED
    return _VALUES.get(text)


def counts_bad(path: str) -> bool:
    """Return whether a number there most likely counts what went wrong."""
    return bool(_TRUTH["counted"] & set(split_identifier(path)))
