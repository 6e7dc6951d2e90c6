"""How a drafted mapping is written: texts, keys, lists and comments of TOML, and where items stand."""

import re
from collections.abc import Iterator, Sequence

from plain_verdict.readers.mapping.draft.fields import Field, Level, quoted
from plain_verdict.text.cleaning import single_line

_COMMENT_AT = 48
_SHOWN_CHARS = 40


def examples(field: Field) -> str:
    """Return the first values of a field, for a comment."""
    examples = list(dict.fromkeys(field.values))[:2]
    return "like " + ", ".join(f"“{single_line(value, _SHOWN_CHARS)}”" for value in examples)


def paths(fields: Sequence[Field]) -> str:
    """Return the places of fields, for a comment."""
    return ", ".join(single_line(field.path, _SHOWN_CHARS) for field in fields[:12]) or "none"


def with_comment(line: str, comment: str) -> str:
    """Return a line with a comment behind it."""
    if not comment:
        return line
    return f"{line.ljust(_COMMENT_AT)}  # {single_line(comment, 160)}"


def listed(values: Sequence[str]) -> str:
    """Return values as a TOML array."""
    return f"[{', '.join(values)}]"


def toml_key(name: str) -> str:
    """Return a name as TOML writes a key."""
    return name if re.fullmatch(r"[A-Za-z0-9_-]+", name) else quoted(name)


def fact_name(path: str) -> str:
    """Return what a fact at a place is called."""
    return re.sub(r"[^\w]+", " ", path).strip()


def where_lines(level: Level) -> Iterator[str]:
    """Yield where the items of a level stand, and which of them count."""
    if level.each:
        yield f"each = {quoted(level.each)}"
    if level.inside:
        yield with_comment(f"inside = {quoted(level.inside)}", "at any depth")
    if level.members:
        yield with_comment(f"members = {quoted(level.members)}", "an object, whose keys are names")
    if level.columns:
        yield with_comment(f"members = {listed([quoted(name) for name in level.columns])}", "each cell is a check")
    if level.where:
        path, value = level.where
        yield f"where = {{ {toml_key(path)} = {quoted(value)} }}"
    if level.holding:
        path, there = level.holding
        yield f"where = {{ {toml_key(path)} = {{ there = {str(there).lower()} }} }}"


def pairs_of(fields: Sequence[Field]) -> str:
    """Return fields as an inline table: a name for each, and its place; of two with one name the first."""
    paths = {fact_name(field.path): field.path for field in reversed(fields)}
    pairs = ", ".join(f"{toml_key(name)} = {quoted(path)}" for name, path in reversed(paths.items()))
    return f"{{ {pairs} }}"
