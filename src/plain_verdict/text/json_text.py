"""Reads JSON as programs really write it, and finds keys that stand in it twice."""

import json
import re
from codecs import BOM_UTF8
from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Sequence
from contextlib import suppress
from functools import partial
from io import BytesIO
from typing import BinaryIO, TypeVar

import msgspec

from plain_verdict.text.encoding import CHUNK_BYTES
from plain_verdict.text.patterns import pattern

Wanted = TypeVar("Wanted")
# RFC 8259, section 7: an escape of a pair of UTF-16 units, of half of one, and any other escape.
_ESCAPE = re.compile(
    rb"\\u[dD][89abAB][0-9a-fA-F]{2}\\u[dD][c-fC-F][0-9a-fA-F]{2}|\\u[dD][89a-fA-F][0-9a-fA-F]{2}|\\[^u]"
)
_HALF_BYTES = 6
_GAPPED_SIGNS = (b" :", b"\t:", b"\n:", b"\r:")  # between a key and its sign
_JSON_SPACES = b" \t\r\n"
_GAPPED_SIGN = re.compile(rb'"\s+:')
_FEW_KEYS_BYTES, _MANY_KEYS_BYTES = 2_000, 100_000
"""Of JSON between these a line of a log is most likely, with texts in it."""
_LONGEST_LINE_BYTES = 200_000_000  # a line is held in memory: a file without line breaks is no file of lines
_MOST_LEVELS = 4
"""How deep objects inside an object are flattened."""
_HALF = pattern("[\ud800-\udfff]")
DAMAGED_JSON = (msgspec.DecodeError, ValueError, RecursionError)
"""A number of thousands of digits is a ValueError, as what is not JSON and what is not text."""


def decode_json(data: bytes) -> object:
    """Return what JSON holds; numbers that are none, like NaN, are let through. Raises one of DAMAGED_JSON.

    Half of a surrogate pair becomes the sign for what is not a character, as no text can hold it.
    """
    data = data.removeprefix(BOM_UTF8)
    try:
        return msgspec.json.decode(data)
    except msgspec.DecodeError:
        return json.loads(_as_text(without_halves(data)))


def _as_text(data: bytes) -> str:
    """Return JSON as text, without what no text can hold. Raises UnicodeDecodeError."""
    return _HALF.sub("\ufffd", data.decode(json.detect_encoding(data), "surrogatepass"))


def decode_typed(data: bytes, decoder: "msgspec.json.Decoder[Wanted]") -> Wanted:
    """Return what JSON holds as a type, as ``decode_json`` does. Raises one of DAMAGED_JSON.

    A key whose value is null is as good as none, as some libraries write what is not there.
    """
    data = data.removeprefix(BOM_UTF8)
    try:
        return decoder.decode(data)
    except msgspec.ValidationError:
        with suppress(msgspec.ValidationError):  # the first error says better where it is
            without: Wanted = msgspec.convert(_without_nulls(decode_json(data)), decoder.type)
            return without
        raise
    except msgspec.DecodeError:
        whole = without_halves(data)
        if whole == data:
            raise
        return decoder.decode(whole)


def _without_nulls(value: object) -> object:
    """Return JSON without the members of objects that are null. Raises RecursionError where it nests too deep."""
    if isinstance(value, dict):
        return {key: _without_nulls(inner) for key, inner in value.items() if inner is not None}
    return list(map(_without_nulls, value)) if isinstance(value, list) else value


def line_chunks(stream: BinaryIO) -> Iterator[list[bytes]]:
    """Yield the lines of a file, those of a chunk at a time, each with its end; a very long one comes in parts."""
    held: list[bytes] = []
    for data in iter(partial(stream.read, CHUNK_BYTES), b""):
        end = data.rfind(b"\n") + 1
        held.append(data[:end] if end else data)
        # Parts are put together once: each time anew, a line of megabytes would be copied a thousand times.
        if end or sum(map(len, held)) >= _LONGEST_LINE_BYTES:
            yield BytesIO(b"".join(held)).readlines()
            held = [data[end:]] if end else []
    if any(held):
        yield [b"".join(held)]


def are_plain(lines: Sequence[bytes]) -> bool:
    """Return whether lines are short and without escapes: only then ``surely_once`` can tell of them."""
    return sum(map(len, lines)) <= _FEW_KEYS_BYTES * len(lines) and not any(b"\\" in line for line in lines)


def surely_once(lines: Sequence[bytes], values: Iterable[object]) -> bool:
    """Return whether no key can stand twice in any of several plain lines, from their values.

    Looking at all of them at once costs a tenth of looking at each, if there are no objects in objects.
    """
    known = list(values)
    # Without an escape no text holds a quote, so that one before a colon ends a key, whatever space is between.
    keys = b"".join(lines).translate(None, _JSON_SPACES).count(b'":')
    flat = sum(len(value) for value in known if type(value) is dict)
    return keys == flat or keys == sum(map(_count_keys, known))


def may_have_twice(data: bytes, value: object) -> bool:
    """Return whether some JSON has more keys than what was read of it: only then one may stand in it twice."""
    signs = data.count(b'":')
    if data.count(b":") != signs and any(sign[:1] in data and sign in data for sign in _GAPPED_SIGNS):
        signs += len(_GAPPED_SIGN.findall(data))
    if data.count(b"\\") and not data.count(b'\\\\"'):
        signs -= data.count(b'\\":')  # of texts in texts
    return signs != (len(value) if type(value) is dict and len(value) == signs else _count_keys(value))


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


def twice_in(data: bytes) -> str | None:
    """Return a key that stands twice in an object of some JSON, as ``key_twice`` does, but fast."""
    if _FEW_KEYS_BYTES < len(data) < _MANY_KEYS_BYTES:
        return key_twice(data)  # mostly long texts, which take longer to be counted in than to be read
    try:
        value = msgspec.json.decode(data.removeprefix(BOM_UTF8))
    except DAMAGED_JSON:
        return key_twice(data)
    return key_twice(data) if may_have_twice(data, value) else None


def key_twice(data: bytes) -> str | None:
    """Return a key that stands twice in an object of some JSON. Source: RFC 8259, section 4."""
    twice: list[str] = []
    with suppress(*DAMAGED_JSON):
        json.loads(data, object_pairs_hook=noting_twice(twice))
    return twice[0] if twice else None


def noting_twice(twice: list[str]) -> Callable[[list[tuple[str, object]]], dict[str, object]]:
    """Return what makes the objects of some JSON, for ``json``, and notes each key that stands twice in one."""

    def make_object(members: list[tuple[str, object]]) -> dict[str, object]:
        made = dict(members)
        if len(made) < len(members):
            twice.extend(name for name, times in Counter(name for name, _ in members).items() if times > 1)
        return made

    return make_object


def without_halves(data: bytes) -> bytes:
    """Return JSON with the sign for what is not a character where half of a surrogate pair is escaped.

    No text can hold it, and strict parsers refuse all of its document.
    """
    return _ESCAPE.sub(lambda match: rb"\ufffd" if len(match[0]) == _HALF_BYTES else match[0], data)


def flatten(value: dict[str, object], before: str = "", depth: int = 0) -> dict[str, str]:
    """Return the values of an object as texts by name; lists, and what nests too deep, are left out.

    Values in objects inside are named by their way, like ``timings.total``.
    """
    found: dict[str, str] = {}
    for key, member in value.items():
        if type(member) is dict:
            if depth < _MOST_LEVELS:
                found |= flatten(member, f"{before}{key}.", depth + 1)
        elif member is True or member is False:
            found[before + key] = "true" if member else "false"
        elif member is not None and type(member) is not list:
            found[before + key] = member if type(member) is str else repr(member)
    return found
