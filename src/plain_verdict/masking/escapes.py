"""Resolves escapes, as HTML, JSON and addresses have them, and tells where each character stood."""

import html
import re
from collections.abc import Iterator

_ESCAPE = re.compile(
    r"&(?:#\d{1,7}|#[xX][0-9a-fA-F]{1,6}|quot|apos|amp|lt|gt|nbsp|equals|colon);"  # HTML, section 13.5
    r"|\\u[0-9a-fA-F]{4}|\\[nrt\"'/\\]"  # RFC 8259, section 7
    r"|%[0-9a-fA-F]{2}"  # RFC 3986, section 2.1
)
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
)
_TWICE = 2
_LONGEST = 200_000


def resolved(text: str) -> Iterator[tuple[str, list[int]]]:
    """Yield the text with its escapes resolved, once and twice, and for each place in it the one in the text.

    There is one place more than characters: the text's end.
    """
    places = list(range(len(text) + 1))
    for _ in range(_TWICE):
        if len(text) > _LONGEST:
            return
        plain, inner = _once(text)
        if plain == text:
            return
        places = [places[at] for at in inner]
        text = plain
        yield text, places


def _once(text: str) -> tuple[str, list[int]]:
    pieces: list[str] = []
    places: list[int] = []
    at = 0
    for match in _ESCAPE.finditer(text):
        pieces += (text[at : match.start()], _meant(match[0]))
        places += range(at, match.start())
        places += [match.start()] * len(pieces[-1])
        at = match.end()
    pieces.append(text[at:])
    places += range(at, len(text) + 1)
    return "".join(pieces), places


_SHORT = {"n": "\n", "r": "\r", "t": "\t"}


def _meant(escape: str) -> str:
    """Return the character that an escape stands for."""
    if escape[0] == "&":
        return html.unescape(escape)
    if escape[0] == "%":
        return chr(int(escape[1:], 16))  # past ASCII a byte of several; what matters here is ASCII
    if escape[1] == "u":
        return chr(int(escape[2:], 16))
    return _SHORT.get(escape[1], escape[1])
