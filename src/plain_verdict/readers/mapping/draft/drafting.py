"""Drafts the mapping of a file, whatever its syntax."""

import re
from pathlib import PurePath
from typing import NamedTuple

from plain_verdict.inputs.source import Source
from plain_verdict.model import Outcome
from plain_verdict.readers.interface import Head
from plain_verdict.readers.mapping.announced import announced_in
from plain_verdict.readers.mapping.draft.choice import Choice
from plain_verdict.readers.mapping.draft.choosing import choose
from plain_verdict.readers.mapping.draft.fields import Candidate
from plain_verdict.readers.mapping.draft.guess import Legend
from plain_verdict.readers.mapping.draft.json_lists import CODE_CHARS, candidates_in
from plain_verdict.readers.mapping.draft.line_lists import event_candidate, line_candidates
from plain_verdict.readers.mapping.draft.meaning import Role
from plain_verdict.readers.mapping.draft.sums import SumFields, counts_checks, sum_fields
from plain_verdict.readers.mapping.draft.table_lists import table_candidates
from plain_verdict.readers.mapping.draft.xml_lists import xml_candidates
from plain_verdict.readers.mapping.json_document import JsonDocument
from plain_verdict.readers.mapping.json_stream import JsonSequence, JsonStream
from plain_verdict.readers.mapping.opening import syntax_of
from plain_verdict.readers.mapping.outcome_words import meaning_of
from plain_verdict.readers.xml.text import HEAD_BYTES
from plain_verdict.runtime.errors import ReadError
from plain_verdict.settings.limits import Limits
from plain_verdict.settings.mappings import TableMapping

_NUMBERED = re.compile(r"\d+(?:[-_.:T]\d+)*")
_VALUES_LOOKED_AT = 2_000  # of a sequence or a large list that are looked at
_DEEPEST_LEGEND = 3  # objects in objects in which codes are explained


class Draft(NamedTuple):
    """What was found out about a file."""

    path: str
    name: str
    pattern: str
    needs: tuple[str, ...]
    choice: Choice
    legend: Legend
    """What the file says that its codes mean."""
    sums: SumFields | None = None
    """The numbers of each request, where the file is a summary of a load run."""
    table: tuple[str, int] | None = None
    """Of a table: what stands between cells, and the line of its header."""
    prefixes: dict[str, str] | None = None
    rows_above: int = 0
    """Rows of several cells above a table's header, which are not read."""


class _Looked(NamedTuple):
    """What a file holds: its lists, and what reading them takes."""

    candidates: list[Candidate]
    root: object = None
    prefixes: dict[str, str] = {}  # noqa: RUF012  it is never changed
    table: tuple[str, int] | None = None
    needs: tuple[str, ...] = ()
    rows_above: int = 0


def draft_mapping(source: Source, limits: Limits) -> Draft:
    """Return what was found out about a file. Raises ReadError for one that holds no list of items."""
    with source.open() as stream:
        head = Head(stream.read(HEAD_BYTES), source)
    if not head.text:
        raise ReadError("is empty", path=source.path, hint="give a file with results")
    looked = _look_through(source, syntax_of(head), limits)
    candidates = [candidate for candidate in looked.candidates if candidate.items.number and candidate.items.fields]
    legend = legend_in(looked.root)
    choice = choose(candidates, announced_in(looked.root), legend)
    if choice is None:
        hint = "a mapping reads lists: JSON objects, JSON Lines, XML elements or table rows"
        raise ReadError("has no list of items that could be checks", path=source.path, hint=hint)
    with_sums = next(filter(sum_fields, candidates), None)
    if with_sums is None:
        _refuse_sums_of_checks(choice, source)
    path = PurePath(source.path.replace("\\", "/"))
    return Draft(
        source.path,
        _name(path),
        _pattern(path),
        looked.needs or _needs(choice.candidate),
        choice._replace(candidate=with_sums) if with_sums else choice,
        legend,
        sum_fields(with_sums) if with_sums else None,
        looked.table,
        looked.prefixes or None,
        looked.rows_above,
    )


def _refuse_sums_of_checks(choice: Choice, source: Source) -> None:
    """Raise ReadError for rows that only count checks."""
    tells_outcomes = Role.OUTCOME in choice.roles or choice.candidate.lists or choice.error
    if not tells_outcomes and counts_checks(choice.candidate):
        hint = "give the file with the results of each check"
        raise ReadError("has sums of checks, not the checks themselves", path=source.path, hint=hint)


def _look_through(source: Source, syntax: str, limits: Limits) -> _Looked:
    match syntax:
        case "json":
            root = _beginning_of(source, limits)
            found = candidates_in(root)
            if isinstance(root, list):
                objects = [item for item in root if isinstance(item, dict)]
                events = event_candidate(objects, "$[*]")
                found += [events] if events else []
            return _Looked(found, root)
        case "json sequence":
            values = [
                item.value
                for item, _ in zip(JsonSequence(source).items(""), range(_VALUES_LOOKED_AT), strict=False)
            ]
            return _Looked([_as_line(candidate) for candidate in candidates_in(values)])
        case "json lines":
            return _Looked(line_candidates(source, limits))
        case "xml":
            candidates, prefixes, root = xml_candidates(source, limits)
            return _Looked(candidates, root, prefixes)
    candidates, document, head = table_candidates(source, TableMapping(), limits)
    # A single column is what any text looks like.
    has_columns = len(document.columns) > 1
    return _Looked(
        candidates if has_columns else [],
        table=(document.delimiter, head.line),
        rows_above=head.rows_above,
        needs=tuple(document.columns[:3]),
    )


def _as_line(candidate: Candidate) -> Candidate:
    """Return a list of the values of a sequence as these values themselves."""
    outer, *inner = candidate.levels
    return candidate._replace(levels=(outer._replace(each=outer.each.removeprefix("$[*]")), *inner), run=None)


def _beginning_of(source: Source, limits: Limits) -> object:
    """Return a JSON file, or the beginning of its largest list where it is too large to be held in memory."""
    if source.size_bytes <= limits.whole_bytes:
        return JsonDocument(source, limits).root()
    path = JsonStream.first_list(source)
    values = [
        item.value
        for item, _ in zip(JsonStream(source, limits).items(f"{path}[*]"), range(_VALUES_LOOKED_AT), strict=False)
    ]
    root: object = values
    for key in reversed(path.split(".")[1:]):
        root = {key: root}
    return root


def legend_in(root: object, depth: int = 0) -> Legend:
    """Return what a file says that its codes mean: an object of codes with words for outcomes."""
    if not isinstance(root, dict) or depth > _DEEPEST_LEGEND:
        return {}
    meanings = {str(code): meaning_of("", word) for code, word in root.items() if isinstance(word, str)}
    known: dict[str, Outcome] = {code: outcome for code, outcome in meanings.items() if outcome}
    if 1 < len(known) == len(root) and max(map(len, known)) <= CODE_CHARS:
        return known
    return next(filter(None, (legend_in(inner, depth + 1) for inner in root.values())), {})


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
