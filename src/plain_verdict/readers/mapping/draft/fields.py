"""The items of a file that may be checks, and the fields that they have."""

from collections.abc import Iterator, Sequence
from typing import NamedTuple

from plain_verdict.readers.mapping.selectors import json_text

SAMPLE = 300
"""Items of a list that are looked at."""
_DEEP = 3  # objects in objects that are looked into for fields
_VALUE_CHARS = 300
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


class Candidate(NamedTuple):
    """A way from the file to items that may be checks: levels from outside in, the last one is the items.

    ``run`` is what stands once in the file, next to them.
    """

    levels: tuple[Level, ...]
    run: Level | None = None

    @property
    def items(self) -> Level:
        """Return the level of the items themselves."""
        return self.levels[-1]


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
            found.setdefault(field_path, []).append(json_text(value)[:_VALUE_CHARS])
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
