"""Text as pages hold it."""

import re

from plain_verdict.text.cleaning import picture, with_visible_controls
from plain_verdict.text.patterns import pattern

# Control characters and noncharacters.
# Few ranges are looked for fast; of the planes past the first the last two of each are no characters.
_NOT_ON_PAGES = pattern("[\x00-\x08\x0b\x0c\x0e-\x1f\x7f-\x9f\ufdd0-\ufdef\ufffe\uffff\U00010000-\U0010ffff]")
UNENCODABLE = "backslashreplace"
"""What is written for text that UTF-8 can't encode, as the name of an error handler of Python's codecs."""


def page_text(piece: str) -> str:
    """Return text without what no page may hold. Source: HTML Living Standard, section 13.2.3.5."""
    return with_visible_controls(piece) if piece.isascii() else _NOT_ON_PAGES.sub(_kept_or_replaced, piece)


def _kept_or_replaced(found: re.Match[str]) -> str:
    char = found[0]
    if char <= "\x7f":
        return picture(ord(char))
    return char if char > "\uffff" and ord(char) & 0xFFFE != 0xFFFE else "\ufffd"
