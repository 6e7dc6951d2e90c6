"""The items of a file that may be checks, and the fields that they have."""

import json
from collections.abc import Iterator, Sequence
from typing import NamedTuple

from plain_verdict.model import Outcome
from plain_verdict.readers.mapping.selectors import json_text

SAMPLE = 300
"""Items of a list that are looked at."""
_DEEP = 4  # objects in objects that are looked into for fields
_KEPT_CHARS = 300
_NO_VALUE = (None, "")


class Field(NamedTuple):
    """What stands at one place of some items: the values, in their order, and of how many items."""

    path: str
    values: list[str]
    filled: int
    of: int
    many: bool = False
    """Whether several values may stand there."""

    @property
    def share(self) -> float:
        """Return in which share of the items something stands there."""
        return self.filled / self.of if self.of else 0.0

    @property
    def different(self) -> int:
        """Return how many different values there are."""
        return len(set(self.values))


class Level(NamedTuple):
    """Items around the checks, or the checks: where they stand, what they have, and how many there are."""

    each: str
    fields: tuple[Field, ...]
    number: int
    where: tuple[str, str] | None = None
    """A place and the value that it has in all of them."""
    inside: str = ""
    """Where levels of the same form stand in a level."""
    holding: tuple[str, bool] | None = None
    """A place at which something stands in all of them, or in none."""
    members: str = ""
    """Where the object stands whose members they are."""
    columns: tuple[str, ...] = ()
    """The columns of a table whose cells they are."""


class OutcomeList(NamedTuple):
    """A list beside others of the same form that is named for an outcome."""

    each: str
    outcome: Outcome


class EventKeys(NamedTuple):
    """How events belong together: the place of their id, and the values that tell the first and the last."""

    id: str
    kind: str
    start: tuple[str, ...]
    end: tuple[str, ...]
    append: tuple[str, ...] = ()
    each: str = ""


class Candidate(NamedTuple):
    """A way from the file to items that may be checks: levels from outside in, the last one is the items.

    ``run`` is what stands once in the file, next to them.
    """

    levels: tuple[Level, ...]
    run: Level | None = None
    lists: tuple[OutcomeList, ...] = ()
    """The lists that the items are in, where each has its outcome."""
    events: EventKeys | None = None

    @property
    def items(self) -> Level:
        """Return the level of the items themselves."""
        return self.levels[-1]


def quoted(text: str) -> str:
    """Return a text as TOML writes it. Source: TOML 1.0, section String (basic strings are those of JSON)."""
    return json.dumps(text, ensure_ascii=False).replace("\x7f", "\\u007f")


def key_of(name: str, before: str = "") -> str:
    """Return a key as JSONPath writes it below another."""
    plain = name.replace("_", "").isalnum() and not name[:1].isdigit()
    step = name if plain else "['" + name.replace("\\", "\\\\").replace("'", "\\'") + "']"
    return f"{before}{'.' if before and plain else ''}{step}"


def fields_of(items: Sequence[object]) -> tuple[Field, ...]:
    """Return the fields of JSON objects: texts, numbers and truth values, and lists of these."""
    found: dict[str, list[str]] = {}
    filled: dict[str, int] = {}
    many: set[str] = set()
    sample = items[:SAMPLE]
    for item in sample:
        seen: set[str] = set()
        for field_path, value, is_list in _leaves(item, "", 0):
            found.setdefault(field_path, []).append(json_text(value)[:_KEPT_CHARS])
            seen.add(field_path)
            if is_list:
                many.add(field_path)
        for field_path in seen:
            filled[field_path] = filled.get(field_path, 0) + 1
    return tuple(
        Field(path, values, filled[path], len(sample), many=path in many) for path, values in found.items()
    )


def _leaves(value: object, path: str, depth: int) -> Iterator[tuple[str, object, bool]]:
    if isinstance(value, dict):
        if depth < _DEEP:
            for name, inner in value.items():
                yield from _leaves(inner, key_of(str(name), path), depth + 1)
    elif isinstance(value, list):
        for inner in value:
            if not isinstance(inner, dict | list) and inner not in _NO_VALUE:
                yield f"{path}[*]", inner, True
    elif path and value not in _NO_VALUE:
        yield path, value, False
