"""Reads JSON as programs really write it, and finds keys that stand in it twice."""

import json
from codecs import BOM_UTF8
from collections import Counter
from contextlib import suppress
from typing import TypeVar

import msgspec

from plain_verdict.text.json_escapes import without_halves

Wanted = TypeVar("Wanted")
DAMAGED_JSON = (msgspec.DecodeError, json.JSONDecodeError, UnicodeDecodeError, RecursionError)


def decode_json(data: bytes) -> object:
    """Return what JSON holds; numbers that are none, like NaN, are let through. Raises one of DAMAGED_JSON.

    Half of a surrogate pair becomes the sign for what is no character, as no text can hold it.
    """
    data = data.removeprefix(BOM_UTF8)
    try:
        return msgspec.json.decode(data)
    except msgspec.DecodeError:
        return json.loads(without_halves(data))


def decode_typed(data: bytes, decoder: "msgspec.json.Decoder[Wanted]") -> Wanted:
    """Return what JSON holds as a type, as ``decode_json`` does. Raises one of DAMAGED_JSON."""
    data = data.removeprefix(BOM_UTF8)
    try:
        return decoder.decode(data)
    except msgspec.DecodeError:
        whole = without_halves(data)
        if whole == data:
            raise
        return decoder.decode(whole)


def may_have_twice(data: bytes, value: object) -> bool:
    """Return whether some JSON has other keys than what was read of it: only then one may stand in it twice."""
    signs = data.count(b'":')
    if type(value) is dict and len(value) == signs:
        return False
    keys = _count_keys(value)
    return keys != signs and keys != signs + data.count(b'" :')


def _count_keys(value: object) -> int:
    keys = 0
    waiting = [value]
    while waiting:
        part = waiting.pop()
        if type(part) is dict:
            keys += len(part)
            waiting += [inner for inner in part.values() if type(inner) in (dict, list)]
        elif type(part) is list:
            waiting += [inner for inner in part if type(inner) in (dict, list)]
    return keys


def key_twice(data: bytes) -> str | None:
    """Return a key that stands twice in an object of some JSON. Source: RFC 8259, section 4."""
    twice: list[str] = []

    def pairs(several: list[tuple[str, object]]) -> None:
        if len({name for name, _ in several}) < len(several):
            twice.extend(name for name, times in Counter(name for name, _ in several).items() if times > 1)

    with suppress(*DAMAGED_JSON):
        json.loads(data, object_pairs_hook=pairs)
    return twice[0] if twice else None
