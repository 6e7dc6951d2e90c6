"""Escapes of JSON that stand for no character."""

import re

# RFC 8259, section 7: an escape of a pair of UTF-16 units, of half of one, and any other escape.
_ESCAPE = re.compile(
    rb"\\u[dD][89abAB][0-9a-fA-F]{2}\\u[dD][c-fC-F][0-9a-fA-F]{2}|\\u[dD][89a-fA-F][0-9a-fA-F]{2}|\\[^u]"
)
_HALF_BYTES = 6


def without_halves(data: bytes) -> bytes:
    """Return JSON with the sign for what is no character where half of a surrogate pair is escaped.

    No text can hold it, and strict parsers refuse all of its document.
    """
    return _ESCAPE.sub(lambda match: rb"\ufffd" if len(match[0]) == _HALF_BYTES else match[0], data)
