"""Drafts the mapping of a file, whatever its syntax."""

import re
from collections.abc import Iterator
from pathlib import PurePath
from typing import NamedTuple

from plain_verdict.inputs.source import Source
from plain_verdict.readers.interface import Head
from plain_verdict.readers.mapping.draft.fields import Candidate, Level
from plain_verdict.readers.mapping.draft.guess import Guess, best, guess
from plain_verdict.readers.mapping.draft.lists import (
    json_candidates,
    line_candidates,
    table_candidates,
    xml_candidates,
)
from plain_verdict.readers.mapping.draft.meaning import Role, fit_of
from plain_verdict.readers.mapping.draft.toml import Draft
from plain_verdict.readers.mapping.opening import syntax_of
from plain_verdict.readers.xml.text import HEAD_BYTES
from plain_verdict.runtime.errors import ReadError
from plain_verdict.settings.limits import Limits
from plain_verdict.settings.mappings import TableMapping

_NUMBERED = re.compile(r"\d+(?:[-_.:T]\d+)*")
_LEAST_STEP_SCORE = 4.0  # a name and an outcome: less is no step


def draft_mapping(source: Source, limits: Limits) -> Draft:
    """Return what was found out about a file. Raises ReadError for one that holds no list of items."""
    with source.open() as stream:
        head = Head(stream.read(HEAD_BYTES), source)
    if not head.text:
        raise ReadError("is empty", path=source.path, hint="give a file with results")
    looked = _look_through(source, syntax_of(head), limits)
    candidates = [candidate for candidate in looked.candidates if candidate.items.number and candidate.items.fields]
    found = best(candidates)
    if found is None:
        hint = "a mapping reads lists: JSON objects, JSON Lines, XML elements or table rows"
        raise ReadError("has no list of items that could be checks", path=source.path, hint=hint)
    candidate, made = found
    path = PurePath(source.path.replace("\\", "/"))
    return Draft(
        source.path,
        _name(path),
        _pattern(path),
        looked.needs or _needs(candidate),
        candidate,
        made,
        _steps(candidate, candidates),
        _problems(candidate, candidates) if Role.MESSAGE not in made.roles else None,
        looked.table,
        looked.prefixes or None,
    )


class _Looked(NamedTuple):
    """What a file holds: its lists, and what reading them takes."""

    candidates: list[Candidate]
    prefixes: dict[str, str] = {}  # noqa: RUF012  it is never changed
    table: tuple[str, int] | None = None
    needs: tuple[str, ...] = ()


def _look_through(source: Source, syntax: str, limits: Limits) -> _Looked:
    match syntax:
        case "json":
            return _Looked(json_candidates(source, limits))
        case "json lines":
            return _Looked(line_candidates(source, limits))
        case "xml":
            return _Looked(*xml_candidates(source, limits))
    candidates, document, header = table_candidates(source, TableMapping(), limits)
    # A single column is what any text looks like.
    has_columns = len(document.columns) > 1
    return _Looked(
        candidates if has_columns else [],
        table=(document.delimiter, header),
        needs=tuple(document.columns[:3]),
    )


def _name(path: PurePath) -> str:
    words = _NUMBERED.sub(" ", path.name.partition(".")[0])
    return " ".join(re.split(r"[\W_]+", words)).strip() or "own results"


def _pattern(path: PurePath) -> str:
    """Return a pattern for files like this one: in its folder, with other digits, or more, in its name."""
    name = _NUMBERED.sub("*", path.name)
    name = name if "*" in name else f"{path.stem}*{path.suffix}"
    return f"{path.parent.name}/{name}" if path.parent.name not in ("", ".", "..") else name


def _needs(candidate: Candidate) -> tuple[str, ...]:
    """Return places that tell such a file, seen from its root."""
    first = candidate.levels[0].each
    if first.startswith("$") and first != "$[*]":
        return (first.removesuffix("[*]"),)
    return (first,) if first.startswith("/") else ()


def _inside(candidate: Candidate, others: list[Candidate]) -> Iterator[tuple[Level, Guess]]:
    """Yield the lists of objects that stand in the items."""
    depth = len(candidate.levels)
    for other in others:
        if len(other.levels) == depth + 1 and other.levels[:depth] == candidate.levels:
            yield other.items, guess(other.items)


def _steps(candidate: Candidate, others: list[Candidate]) -> tuple[Level, Guess] | None:
    """Return the list in the items that looks like steps: with names and outcomes."""
    for level, made in _inside(candidate, others):
        if Role.NAME in made.roles and Role.OUTCOME in made.roles and made.score >= _LEAST_STEP_SCORE:
            return level, made
    return None


def _problems(candidate: Candidate, others: list[Candidate]) -> tuple[Level, Guess] | None:
    """Return the list in the items that looks like problems: named so, and with a text."""
    for level, made in _inside(candidate, others):
        if fit_of(Role.MESSAGE, level.each) and Role.MESSAGE in made.roles:
            return level, made
    return None
