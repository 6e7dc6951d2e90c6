"""Changes every text and every moment of a model object, wherever it stands; what stays the same is shared."""

import types
import typing
from collections.abc import Callable, Iterator, Mapping, Sequence
from datetime import datetime
from functools import cache
from operator import is_
from typing import Any

import msgspec

from plain_verdict.model import (
    Check,
    Checks,
    Content,
    Evidence,
    Expectation,
    Fact,
    RequirementResult,
    ResultFile,
    Unread,
    changed_checks,
    changed_details,
)

Text = Callable[[str], str]
Moment = Callable[[datetime], datetime]

# Not shown, or names of things in the model; a change would tear them apart.
_UNCHANGED = {
    RequirementResult: ("checks",),
    Check: ("id",),
    Content: ("key", "kind", "media_type"),
    Evidence: ("path", "content"),
    ResultFile: ("format", "folder", "digest", "written", "amounts"),
    Unread: ("file",),
    Fact: ("key",),
    Expectation: ("outcome",),
}


class Change(msgspec.Struct, frozen=True):
    """What to do to texts, to moments, and to whole structs of a type: a fact's value is given by its key."""

    text: Text | None = None
    moment: Moment | None = None
    whole: Mapping[type[msgspec.Struct], Callable[[Any], msgspec.Struct]] = {}


Thing = typing.TypeVar("Thing", bound=msgspec.Struct)


def with_fields(thing: Thing, **fields: object) -> Thing:
    """Return the struct with these fields; the same object where each holds what it held before.

    A tuple is the same where its items are the same objects: a step that changes nothing costs no copy, and what a
    run has counted already stays counted.
    """
    new = {name: value for name, value in fields.items() if not _is_same(getattr(thing, name), value)}
    return msgspec.structs.replace(thing, **new) if new else thing


def _is_same(old: object, new: object) -> bool:
    if isinstance(old, tuple) and isinstance(new, tuple):
        return len(old) == len(new) and all(map(is_, old, new))
    return old is new


def transform(thing: Thing, change: Change) -> Thing:
    """Return the struct with everything in it changed; the same object where nothing was."""
    change_whole = change.whole.get(type(thing))
    if change_whole:
        return typing.cast("Thing", change_whole(thing))
    return transform_fields(thing, change)


def transform_fields(thing: Thing, change: Change) -> Thing:
    """Return the struct with what is in its fields changed, whatever the change does to a whole one."""
    new: dict[str, object] = {}
    for name in _fields(type(thing)):
        value = getattr(thing, name)
        if not value:
            continue
        result = _changed_value(value, change)
        if result is not value:
            new[name] = result
    return msgspec.structs.replace(thing, **new) if new else thing


def _changed_value(value: object, change: Change) -> object:
    if isinstance(value, str):
        text = change.text(value) if change.text else value
        return value if text == value else text
    if isinstance(value, tuple):
        items = tuple(_changed_value(item, change) for item in value)
        same = all(new is old for new, old in zip(items, value, strict=True))
        return value if same else items
    if isinstance(value, datetime):
        return change.moment(value) if change.moment else value
    if isinstance(value, Checks):
        return _changed_checks(value, change)
    return transform(value, change) if isinstance(value, msgspec.Struct) else value


def _changed_checks(checks: Checks, change: Change) -> Checks:
    """Return checks changed; plain ones have no moments."""
    all_change = change.text or Check in change.whole
    return (changed_checks if all_change else changed_details)(checks, lambda check: transform(check, change))


@cache
def _fields(kind: type[msgspec.Struct]) -> tuple[str, ...]:
    """Return the fields that can hold a text, a moment, or structs that hold them."""
    hints = typing.get_type_hints(kind)
    kept = (name for name in kind.__struct_fields__ if name not in _UNCHANGED.get(kind, ()))
    return tuple(name for name in kept if any(map(_can_change, _inner(hints[name]))))


def _inner(hint: object) -> Iterator[object]:
    arguments = typing.get_args(hint)
    if arguments and (typing.get_origin(hint) in (tuple, Sequence, typing.Union, types.UnionType)):
        for argument in arguments:
            yield from _inner(argument)
    else:
        yield hint


def _can_change(kind: object) -> bool:
    return kind in (str, datetime) or (isinstance(kind, type) and issubclass(kind, msgspec.Struct))
