"""The lists of a JSON file that may hold checks: in trees, as members of objects, beside each other."""

from collections.abc import Iterator, Sequence
from itertools import chain
from typing import NamedTuple

from plain_verdict.readers.mapping.draft.fields import (
    SAMPLE,
    Candidate,
    Field,
    Level,
    OutcomeList,
    fields_of,
    key_of,
)
from plain_verdict.readers.mapping.outcome_words import meaning_of, outcome_of_list

_DEEPEST_LISTS = 6  # suites in suites in files of projects: deeper lists are data
_MOST_NODES = 20_000  # of a tree that are looked at
_LEAST_MEMBERS = 2  # an object with fewer is no list
CODE_CHARS = 4  # longer keys are names of checks
_SAME_KEYS = 0.6
"""The share of keys that members of an object have in common, if they are items."""


class _List(NamedTuple):
    """A list below an item: the raw key that it stands under, where its object stands, and its members."""

    key: str
    parent: str
    members: list[object]


def candidates_in(root: object) -> list[Candidate]:
    """Return the lists of objects in a JSON value, nested ones with what stands around them."""
    start = "$[*]" if isinstance(root, list) else "$"
    run = Level("", fields_of([root]), 1) if isinstance(root, dict) else None
    return [candidate._replace(run=run) for candidate in lists_inside([root], start, (), 0)]


def lists_inside(
    items: Sequence[object], path: str, around: tuple[Level, ...], depth: int, skipped: str = ""
) -> Iterator[Candidate]:
    """Yield the lists of objects in items at a place, and in those; ``skipped`` is a key that is known already."""
    if depth > _DEEPEST_LISTS:
        return
    lists: dict[str, _List] = {}
    objects: dict[str, list[dict[str, object]]] = {}
    for item in items[:SAMPLE]:
        _collect(item, _Spot(path), lists, objects, skipped=skipped)
    yield from _named_for_outcomes(lists, around, depth)
    for each, found in lists.items():
        members = [member for member in found.members if isinstance(member, dict)]
        if members and _is_tree(members, found.key):
            yield from _tree(members, found, around, depth)
        elif members:
            level = Level(each, fields_of(members), len(members))
            yield Candidate((*around, level))
            yield from lists_inside(members, "", (*around, level), depth + 1)
    for path_to, found_objects in objects.items():
        yield from _members(path_to, found_objects, around)


class _Spot(NamedTuple):
    """Where a value stands: its path, the raw key it stands under, the path of its object, and how deep that is."""

    path: str
    key: str = ""
    parent: str = ""
    depth: int = 0


def _collect(
    value: object,
    at: _Spot,
    lists: dict[str, _List],
    objects: dict[str, list[dict[str, object]]],
    *,
    skipped: str = "",
) -> None:
    """Collect the lists and objects below a value, without going into the items of lists."""
    if isinstance(value, list):
        each = at.path if at.path.endswith("[*]") else f"{at.path}[*]"
        lists.setdefault(each, _List(at.key, at.parent, [])).members.extend(value)
    elif isinstance(value, dict) and at.depth < _DEEPEST_LISTS:
        if at.key and _are_alike(value):
            objects.setdefault(at.path, []).append(value)
            return
        for name, inner in value.items():
            if isinstance(inner, dict | list) and name != skipped:
                spot = _Spot(key_of(str(name), at.path), str(name), at.path, at.depth + 1)
                _collect(inner, spot, lists, objects)


def _are_alike(value: dict[str, object]) -> bool:
    """Return whether the members of an object are items: objects with the same keys, or words for outcomes."""
    members = list(value.values())[:SAMPLE]
    if len(members) < _LEAST_MEMBERS:
        return False
    if all(isinstance(member, dict) for member in members):
        return _have_same_keys(members) or all(
            isinstance(member, dict) and _holds_alike(member) for member in members
        )
    return _holds_alike(value) and not all(len(key) <= CODE_CHARS for key in value)


def _holds_alike(value: dict[str, object]) -> bool:
    """Return whether an object holds objects with the same keys, so that it is a group of items."""
    members = list(value.values())[:SAMPLE]
    if members and all(isinstance(member, dict) for member in members):
        return _have_same_keys(members)
    return bool(members) and all(isinstance(member, str) and meaning_of("", member) for member in members)


def _have_same_keys(members: Sequence[object]) -> bool:
    keys = [set(member) for member in members if isinstance(member, dict)]
    every, some = set.intersection(*keys), set.union(*keys)
    return bool(some) and len(every) >= _SAME_KEYS * len(some)


def _members(path: str, objects: Sequence[dict[str, object]], around: tuple[Level, ...]) -> Iterator[Candidate]:
    """Yield the members of objects as items, and those of groups that are members themselves."""
    items: list[object] = [{"key": name, "value": value} for found in objects for name, value in found.items()]
    level = Level("", fields_of(items), len(items), members=path)
    yield Candidate((*around, level))
    yield from lists_inside(items, "", (*around, level), len(around) + 1)
    groups = [value for found in objects for value in found.values() if isinstance(value, dict)]
    if groups and all(map(_holds_alike, groups)):
        yield from _members("value", groups, (*around, level._replace(fields=_key_only(level.fields))))


def _key_only(fields: Sequence[Field]) -> tuple[Field, ...]:
    """Return the field of the keys: those of the members of a group are not its own."""
    return tuple(field for field in fields if field.path == "key")


def _named_for_outcomes(lists: dict[str, _List], around: tuple[Level, ...], depth: int) -> Iterator[Candidate]:
    """Yield the lists beside each other that are named for outcomes, as one."""
    by_parent: dict[str, dict[OutcomeList, _List]] = {}
    for each, found in lists.items():
        outcome = outcome_of_list(found.key)
        if outcome and all(isinstance(member, dict) for member in found.members):
            by_parent.setdefault(found.parent, {})[OutcomeList(each, outcome)] = found
    for named in by_parent.values():
        members = list(chain.from_iterable(found.members for found in named.values()))
        if len({outcome_list.outcome for outcome_list in named}) > 1 and members:
            level = Level("", fields_of(members), len(members))
            yield Candidate((*around, level), lists=tuple(named))
            yield from lists_inside(members, "", (*around, level), depth + 1)


def _is_tree(members: Sequence[dict[str, object]], key: str) -> bool:
    """Return whether objects hold a list of objects under the key that they stand under themselves."""
    return bool(key) and any(_held(member, key) for member in members)


def _held(member: dict[str, object], key: str) -> list[dict[str, object]]:
    inner = member.get(key)
    return [part for part in inner if isinstance(part, dict)] if isinstance(inner, list) else []


def _tree(
    members: Sequence[dict[str, object]], found: _List, around: tuple[Level, ...], depth: int
) -> Iterator[Candidate]:
    """Yield what a tree holds: its leaves, and the lists in its nodes."""
    nodes: list[dict[str, object]] = []
    waiting = list(members)
    while waiting and len(nodes) < _MOST_NODES:
        node = waiting.pop()
        nodes.append(node)
        waiting += _held(node, found.key)
    step = f"{key_of(found.key)}[*]"
    parent = "" if found.parent == "$" else found.parent
    inner = [node for node in nodes if _held(node, found.key)]
    leaves = [node for node in nodes if not _held(node, found.key)]
    # The object around the tree is where it begins: the same lists may stand there, too.
    levels = (*around, Level(parent, fields_of(nodes), len(nodes), inside=step))
    yield from lists_inside(nodes, "", levels, depth + 1, skipped=found.key)
    if len(leaves) > 1:
        key = key_of(found.key)
        holders = (*around, Level(parent, fields_of(inner), len(inner), inside=step, holding=(key, True)))
        leaf = Level(step, fields_of(leaves), len(leaves), holding=(key, False))
        yield Candidate((*holders, leaf))
        yield from lists_inside(leaves, "", (*holders, leaf), depth + 1, skipped=found.key)
