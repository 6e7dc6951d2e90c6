"""Settings, with their units in their names."""

import re

import msgspec

from plain_verdict.runtime.errors import UsageError
from plain_verdict.text.patterns import pattern


class Limits(msgspec.Struct, frozen=True):
    """How much of a result file is kept; whatever a limit takes away is reported where it bites."""

    name_chars: int = 500
    message_chars: int = 4_000
    """Of a problem's message, and of its expected and actual values."""
    detail_chars: int = 24_000
    """Of a stack or detail text: its head and its tail are kept."""
    output_chars: int = 24_000
    """Of each captured output: its head and its tail are kept."""
    body_chars: int = 16_000
    """Of the body of a request or a response, laid out: its head and its tail are kept."""
    headers: int = 100
    """Headers kept of one request or response."""
    facts: int = 200
    """Facts kept for one suite or one check."""
    notes: int = 20
    """Reading notes of one file."""
    checks: int = 1_000_000
    """Of one file."""
    whole_bytes: int = 100_000_000
    """Of a file that a mapping reads whole: JSON, and XML whose items are not told by names only."""
    archive_files: int = 20_000
    archive_bytes: int = 500_000_000
    """Of one archive's content, unpacked."""
    archive_depth: int = 2
    evidence_bytes: int = 20_000_000
    """Of one piece of evidence that is not a picture."""
    picture_bytes: int = 60_000_000
    """Of one picture as it comes."""
    picture_pixels: int = 60_000_000
    evidence_chars: int = 200_000
    """Of one text: its head and its tail are kept."""
    picture_width: int = 1600
    """In pixels; wider pictures are scaled down to it."""
    picture_height: int = 12_000


DEFAULT_LIMITS = Limits()
MOST_UNPACKED, FREE_UNPACKED_BYTES = 100, 50_000_000
"""How many times its own size a gzip file of samples may unpack to, and how much it may in any case."""
LISTED_NAME_CHARS = 160
"""Of a cause or a check, where it is given on the terminal or in a mail."""
FOLD_AFTER = 3_000
"""Checks from which a page is folded: what did not fail takes little room in it."""
FOLD_AFTER_CHARS = 3_000_000
"""Characters of exchanges from which a page is folded, however few its checks are."""
FOLDED_DETAIL_CHARS = 8_000
"""Of a folded failure's stack text, where not all failures are plain: its head and its tail are kept."""

_SIZE = pattern(r"\s*(\d{1,9}(?:\.\d{1,3})?)\s*([kMG]?)B?\s*", re.IGNORECASE)
_UNITS = {"": 1, "k": 1_000, "m": 1_000_000, "g": 1_000_000_000}


def read_size(text: str) -> int:
    """Return a size like ``25MB`` in bytes. Raises UsageError."""
    found = _SIZE.fullmatch(text)
    if not found:
        raise UsageError(f"{text[:40]!r} is not a size", hint="write it like 25MB or 800kB")
    return round(float(found[1]) * _UNITS[found[2].lower()])
