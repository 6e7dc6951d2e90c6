"""The forms in which a known secret may stand in a text, besides those whose escapes can be resolved.

Source: RFC 4648, sections 4 and 5 (Base64) and 8 (hex); RFC 3986, section 2.1; RFC 8259, section 7; HTML,
section 13.5.
"""

import html
import json
import re
from base64 import b64encode
from collections.abc import Iterator
from urllib.parse import quote

_LEAST_CHARS = 8
"""Of a form that is not the value itself: shorter ones stand in any text."""
_ASCII = 128  # a code point below it is one byte in UTF-8
_SHELL_QUOTES = ("'\\''", "'\"'\"'")  # POSIX.1-2017, Shell Command Language, section 2.2
_BYTE_SEPARATORS = (":", " ", "-", "\\x", ", 0x")


def forms_of(value: str) -> Iterator[str]:
    """Yield the value and every other form that stands in a text as it is: Base64, hex, and all of it escaped."""
    yield value
    forms = [*_base64_forms(value), *_hex_forms(value), *_escaped_whole(value), *_read_otherwise(value)]
    yield from dict.fromkeys(form for form in forms if len(form) >= _LEAST_CHARS and form != value)


def _base64_forms(value: str) -> Iterator[str]:
    """Yield what is the same of a value in Base64 wherever it begins in what was encoded, as after ``user:``."""
    for data in (value.encode("utf-8", "surrogatepass"), value.encode("utf-16-le", "surrogatepass")):
        for before in range(3):
            encoded = b64encode(bytes(before) + data).decode()
            first, last = -(-before * 8 // 6), (before + len(data)) * 8 // 6
            yield (core := encoded[first:last])
            yield core.replace("+", "-").replace("/", "_")


def _hex_forms(value: str) -> Iterator[str]:
    pairs = [f"{byte:02x}" for byte in value.encode("utf-8", "surrogatepass")]
    for separator in ("", *_BYTE_SEPARATORS):
        form = separator.join(pairs)
        yield form
        yield form.upper().replace("X", "x")


def _read_otherwise(value: str) -> Iterator[str]:
    """Yield what a value becomes where its lines are joined, or its bytes or UTF-16 units are read one by one."""
    yield "".join(value.split())
    if not value.isascii():
        yield value.encode("utf-8", "surrogatepass").decode("latin-1")
        units = value.encode("utf-16-be", "surrogatepass").hex(" ", 2).split()
        yield "".join(chr(int(unit, 16)) for unit in units)


def partly_escaped(value: str) -> Iterator[str]:
    """Yield a value with its signs escaped as programs do, once and twice."""
    every = "".join(
        chr(b) if chr(b).isalnum() and b < _ASCII else f"%{b:02X}" for b in value.encode("utf-8", "replace")
    )
    percent = every, quote(value, safe=""), quote(value, safe="/"), quote(value, safe="!$&'()*+,;=:@/")
    once = (*percent, json.dumps(value)[1:-1], json.dumps(value)[1:-1].replace("/", "\\/"), html.escape(value))
    yield from (value.replace("'", quoted) for quoted in _SHELL_QUOTES)
    for text in once:
        yield text
        yield re.sub(r"%[0-9A-F]{2}", lambda match: match[0].lower(), text)
        yield quote(text, safe="")
        yield html.escape(text)


def _escaped_whole(value: str) -> Iterator[str]:
    """Yield a value every character of which is escaped; where only some are, resolving the escapes shows it."""
    pairs = [f"{byte:02x}" for byte in value.encode("utf-8", "surrogatepass")]
    yield "".join(f"%{pair}" for pair in pairs)
    yield "".join(f"%{pair.upper()}" for pair in pairs)
    units = value.encode("utf-16-be", "surrogatepass").hex(" ", 2).split()
    yield "".join(f"\\u{unit}" for unit in units)
    yield "".join(f"\\u{unit.upper()}" for unit in units)
    yield "".join(f"&#{ord(char)};" for char in value)
    yield "".join(f"&#x{ord(char):x};" for char in value)
    yield "".join(f"&#x{ord(char):X};" for char in value)
