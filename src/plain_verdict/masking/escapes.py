"""Resolves escapes, as HTML, JSON and addresses have them, and tells where each character stood."""

import html
import re
from collections.abc import Callable, Iterator, Sequence

from plain_verdict.text.patterns import pattern

_HTML = r"&(?:#\d{1,7}|#[xX][0-9a-fA-F]{1,6}|quot|apos|amp|lt|gt|nbsp|equals|colon);"  # HTML, section 13.5
_SURROGATE_PAIR = r"\\u[dD][89abAB][0-9a-fA-F]{2}\\u[dD][c-fC-F][0-9a-fA-F]{2}"
_JSON = rf"{_SURROGATE_PAIR}|\\u[0-9a-fA-F]{{4}}|\\[nrt\"'/\\]"  # RFC 8259, section 7
_SHELL = r"'\\''|'\"'\"'"  # POSIX.1-2017, Shell Command Language, section 2.2
_PERCENT = r"%[0-9a-fA-F]{2}"  # RFC 3986, section 2.1
ALL = pattern(f"{_SHELL}|{_HTML}|{_JSON}|{_PERCENT}")
EACH = tuple(map(re.compile, (_HTML, _JSON, _PERCENT)))
NEEDLES = (
    "&#",
    "&quot;",
    "&amp;",
    "&lt;",
    "&gt;",
    "&apos;",
    "\\u00",
    '\\"',
    "\\'",
    "\\n",
    "%3d",
    "%3a",
    "%22",
    "%20",
    "%25",
    "%26",
    "%2",
    "'\\''",
    "'\"'\"'",
)
_TWICE = 2  # JSON in JSON in a log is escaped twice
_MOST_RESOLVED = 200_000  # characters: longer texts are searched as they stand


def resolved(text: str) -> Iterator[tuple[str, Sequence[int]]]:
    """Yield the text with its escapes resolved, once and twice, and for each place in it the one in the text.

    There is one place more than characters: the text's end.
    """
    positions: Sequence[int] = range(len(text) + 1)
    for _ in range(_TWICE):
        if len(text) > _MOST_RESOLVED:
            return
        before = text
        text, positions = replaced(text, positions, ALL, meaning)
        if text == before:
            return
        yield text, positions


def replaced(
    text: str, positions: Sequence[int], expression: re.Pattern[str], meant: Callable[[re.Match[str]], str]
) -> tuple[str, Sequence[int]]:
    """Return a text with what an expression finds replaced by what is meant, and each character's place."""
    pieces: list[str] = []
    kept: list[int] = []
    at = 0
    for match in expression.finditer(text):
        put = meant(match)
        pieces += (text[at : match.start()], put)
        kept += positions[at : match.start()]
        kept += [positions[match.start()]] * len(put)
        at = match.end()
    if not at:
        return text, positions
    pieces.append(text[at:])
    kept += positions[at:]
    return "".join(pieces), kept


def _of_units(escape: str) -> str:
    """Return the character of one UTF-16 unit, or two that belong together; half of a pair stands for none."""
    units = bytes.fromhex(escape.replace("\\u", ""))
    return units.decode("utf-16-be", "replace")


_SHORT = {"n": "\n", "r": "\r", "t": "\t"}


def meaning(match: re.Match[str]) -> str:
    """Return the character that an escape stands for."""
    escape = match[0]
    if escape[0] == "'":
        return "'"
    if escape[0] == "&":
        return html.unescape(escape)
    if escape[0] == "%":
        return chr(int(escape[1:], 16))  # past ASCII a byte of several; what matters here is ASCII
    if escape[1] == "u":
        return _of_units(escape)
    return _SHORT.get(escape[1], escape[1])
