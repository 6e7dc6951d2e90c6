"""Reads times and durations as runners write them."""

import re
from datetime import UTC, datetime

_DURATION = re.compile(r"\A[+]?([\d.,'\s\u00a0\u202f]*\d)\s*(ms|s|sec|seconds)?\Z", re.IGNORECASE)
_EPOCH = re.compile(r"\A\d{9,10}(?:\.\d{1,20})?\Z|\A\d{12,13}\Z")
_LONGEST_DIGITS = 40
_NEVER = 1971  # a runner that writes 1970 had no time to write


def read_duration(text: str) -> float | None:
    """Return a duration in seconds, or None where the text is empty or is none.

    Thousands separators and decimal commas are understood: the last separator is the decimal one, unless it
    stands more than once. A single comma is decimal, as runners write three decimals more often than hours.
    """
    try:
        seconds = float(text)
    except ValueError:
        found = _DURATION.match(text) if len(text) <= _LONGEST_DIGITS else None
        if not found:
            return None
        digits = re.sub(r"[\s'\u00a0\u202f]", "", found[1])
        decimal = max(digits.rfind("."), digits.rfind(","))
        if decimal >= 0 and digits.count(digits[decimal]) == 1:
            digits = re.sub(r"[.,]", "", digits[:decimal]) + "." + digits[decimal + 1 :]
        else:
            digits = re.sub(r"[.,]", "", digits)
        seconds = float(digits) / (1000 if (found[2] or "").lower() == "ms" else 1)
    return seconds if 0 <= seconds < 1e9 else None  # also sets not-a-number aside


def read_moment(text: str) -> datetime | None:
    """Return a moment from ISO 8601 or epoch seconds or milliseconds, or None.

    It has a zone only where the text names one.
    """
    text = text.strip()
    try:
        if _EPOCH.match(text):
            number = float(text)
            moment = datetime.fromtimestamp(number / 1000 if number > 1e11 else number, UTC)
        else:
            moment = datetime.fromisoformat(text)
    except (ValueError, OverflowError, OSError):
        return None
    return moment if moment.year >= _NEVER else None
