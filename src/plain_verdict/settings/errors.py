"""Says in the words of the settings file what is wrong with it: which values are right, on which line."""

import difflib
import enum
import re
import typing
from collections.abc import Iterator

import msgspec

from plain_verdict.runtime.errors import UsageError
from plain_verdict.settings.schema import SettingsFile
from plain_verdict.text.patterns import pattern

_FORMER = {
    "earlier": "previous",
    "leave": "ignore",
    "look_beside": "find_previous",
    "must": "required",
    "place": "destination",
    "places": "look_in",
    "shape": "mapping",
    "shapes": "mappings",
    "shelf": "index",
    "shelf_title": "index_title",
}
"""Names that keys had before the first release."""
_UNKNOWN = pattern(r"unknown field `([^`]*)`(?: - at `\$\.?([^`]*)`)?")
_WHERE = pattern(r"(.*?)(?: - at `\$\.?([^`]*)`)?\Z", re.DOTALL)


def explain(message: str, file: str, text: str, whole: type[msgspec.Struct] = SettingsFile) -> UsageError:
    """Return the error for what msgspec says of a file, with its line; ``whole`` is what the file holds."""
    unknown = _UNKNOWN.search(message)
    if unknown:
        table = unknown[2] or ""
        kind = (_struct_at(table) if table else whole) or whole
        known = kind.__struct_encode_fields__
        former = _FORMER.get(unknown[1], "")
        near = [former] if former in known else difflib.get_close_matches(unknown[1], known, n=1, cutoff=0.5)
        hint = f"did you mean {near[0]!r}?" if near else f"known keys: {', '.join(known)}"
        where = with_line(text, f"{table}.{unknown[1]}".lstrip("."), shown=table)
        return UsageError(f"has an unknown key, {unknown[1]!r}", path=file, where=where, hint=hint)
    match = _WHERE.match(message)
    what, where = (match[1], match[2] or "") if match else (message, "")
    what, hint = _in_words(what, where)
    return UsageError(what, path=file, where=with_line(text, where), hint=hint)


_GOT = pattern(r"Expected `([^`]*)`(?:, got `([^`]*)`)?(.*)")
_DAY = "write it without quotes, like until = 2026-12-24"
_KINDS = {
    "str": "a text in quotes",
    "int": "a whole number",
    "float": "a number",
    "bool": "true or false",
    "array": "a list in [ ]",
    "object": "a table",
    "date": "a day",
}


def _in_words(message: str, where: str) -> tuple[str, str]:
    """Return what is wrong with a value, and how to write it, in the words of the settings file."""
    key = where.rpartition(".")[2]
    missing = re.match(r"Object missing required field `([^`]*)`", message)
    if missing:
        return f"lacks the key {missing[1]!r}", f"add {missing[1]} = ..."
    if message.startswith("Invalid enum value"):
        allowed = ", ".join(map(str, _choices(where)))
        value = message.partition("value ")[2]
        return f"{value} is not a value of {key!r}", f"use one of {allowed}" if allowed else ""
    if "date" in message and message.startswith("Invalid"):
        return "is not a day of the calendar", _DAY
    got = _GOT.match(message)
    return _wrong_kind(got, where) if got else (message[:1].lower() + message[1:], "")


def _wrong_kind(got: re.Match[str], where: str) -> tuple[str, str]:
    key = where.rpartition(".")[2]
    kinds = [kind.strip() for kind in got[1].split("|")]
    wanted = " or ".join(_KINDS.get(kind, kind) for kind in kinds if kind != "null")
    what = f"must be {wanted}{got[3].replace('>=', 'of at least').replace('<=', 'of at most')}"
    if got[2]:
        what += f", not {_KINDS.get(got[2], got[2])}"
    hints = {
        "array": f"write [[{key}]] for each one" if key in _TABLE_LISTS else f'write {key} = ["..."]',
        "object": f"write [{where}] and its keys below it" if where else "",
        "int": f"write {key} = 20",
        "bool": f"write {key} = true",
        "str": f'write {key} = "..."',
    }
    dated = _DAY if "date" in got[1] else ""
    return what, dated or hints.get(got[1], "")


_TABLE_LISTS = (
    "cause",
    "waiver",
    "condition",
    "severity",
    "owner",
    "quarantine",
    "accepted_level",
    "mapping",
    "level",
)


def _choices(where: str) -> tuple[object, ...]:
    """Return the values that a key takes, where they are few."""
    table, _, key = where.rpartition(".")
    kind = _struct_at(table)
    if kind is None:
        return ()
    fields = {field.encode_name: field.type for field in msgspec.structs.fields(kind)}
    info = fields.get(key)
    info = typing.get_args(info)[0] if typing.get_origin(info) is typing.Annotated else info
    for part in (info, *typing.get_args(info)):
        if isinstance(part, type) and issubclass(part, enum.Enum):
            return tuple(member.value for member in part)
    return typing.get_args(info) if typing.get_origin(info) is typing.Literal else ()


def _numbered(table: str, counts: dict[str, int]) -> str:
    """Return a table's name with the number of each list that it is in."""
    name = ""
    for part in filter(None, table.split(".")):
        name = f"{name}.{part}".lstrip(".")
        name = f"{name}[{counts[name]}]" if name in counts else name
    return name


def _struct_at(table: str) -> type[msgspec.Struct] | None:
    """Return the struct that reads a table of the settings file, like ``cause[2].match``."""
    kind: type[msgspec.Struct] | None = SettingsFile
    for key in filter(None, re.sub(r"\[(?:\d+|\.\.\.)\]", "", table).split(".")):
        if kind is None:
            return None
        types = {field.encode_name: field.type for field in msgspec.structs.fields(kind)}
        kind = next(_structs_in(types.get(key)), None)
    return kind


def _structs_in(kind: object) -> Iterator[type[msgspec.Struct]]:
    if isinstance(kind, type) and issubclass(kind, msgspec.Struct):
        yield kind
    for part in typing.get_args(kind):
        yield from _structs_in(part)


def with_line(text: str, key: str, shown: str | None = None) -> str:
    """Return a key's place as ``4: report.out``, its line first; without the line where it can't be told."""
    shown = key if shown is None else shown
    line = _line_of(text, key)
    return ": ".join(part for part in (str(line) if line else "", shown) if part)


def _line_of(text: str, key: str) -> int | None:
    """Return the line of a key like ``cause[2].match``, or of the nearest key around it."""
    best, nearest, table = 0, None, ""
    counts: dict[str, int] = {}
    for number, line in enumerate(text.split("\n"), 1):
        many = re.match(r"\s*\[\[\s*([\w.-]+)\s*\]\]", line)
        match = re.match(r"\s*\[\s*([\w.-]+)\s*\]", line)
        pair = re.match(r"""\s*["']?([\w-]+)["']?\s*=""", line)
        if many:
            name = _numbered(many[1].rpartition(".")[0], counts)
            name = f"{name}.{many[1].rpartition('.')[2]}".lstrip(".")
            counts[name] = counts.get(name, -1) + 1
            table = current = f"{name}[{counts[name]}]"
        elif match:
            table = current = _numbered(match[1], counts)
        elif pair:
            current = f"{table}.{pair[1]}".lstrip(".")
        else:
            continue
        if len(current) > best and (key == current or key.startswith((f"{current}.", f"{current}["))):
            best, nearest = len(current), number
    return nearest
