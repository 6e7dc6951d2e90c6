"""Guesses by words what keys mean, in the languages that results are often written in (words.toml)."""

import tomllib
from enum import StrEnum
from pathlib import Path

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
    LOCATION = "problem.place"
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
LIST_WORDS = {sort: frozenset(words.split()) for sort, words in _TABLES["lists"].items()}
"""What lists are called, by what they hold."""
_LONG_WORD = 5


def fit_of(role: Role, path: str) -> float:
    """Return how well a place's name fits a role: 1 for its last word, less for one in it, 0 where none does."""
    words = split_identifier(path)
    if not words:
        return 0.0
    known = _ROLE_WORDS[role]
    if words[-1] in known:
        return 1.0 - 0.3 * known.index(words[-1]) / len(known)
    if role is Role.REQUIREMENTS:
        return 0.0  # an issue's severity is none
    if any(word in known for word in words):
        return 0.6
    # Languages that join words: Prüfdauer, testnavn.
    return 0.5 if any(len(word) >= _LONG_WORD and word in words[-1] for word in known) else 0.0


def is_called(sort: str, path: str) -> bool:
    """Return whether the last word of a list's path is one for what it may hold."""
    words = split_identifier(path)
    return bool(words) and words[-1] in LIST_WORDS[sort]
