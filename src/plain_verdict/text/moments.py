"""Reads times and durations as runners write them."""

import re
from collections.abc import Sequence
from datetime import UTC, datetime, tzinfo

from plain_verdict.text.numbers import read_number
from plain_verdict.text.patterns import pattern

_DURATION = pattern(r"\A[+]?([\d.,'\s\u00a0\u202f]*\d)\s*(ms|s|sec|seconds)?\Z", re.IGNORECASE)
_EPOCH = pattern(r"\A\d{9,10}(?:\.\d{1,20})?\Z|\A\d{12,13}(?:\.\d{1,20})?\Z|\A\d{15,16}\Z|\A\d{18,19}\Z")
_LONGEST_DIGITS = 40  # of a number that is a time: more make int() slow
LONGEST_S = 1e9
"""No check takes thirty years; what reports it counts as unknown."""
_NEVER = 1971  # a runner that writes 1970 had no time to write
_FOR_EVER = 9000  # one that writes 9999 means no end; arithmetic with it ends where the calendar does
_SMALLER_UNITS = ((1e17, 1e9), (1e14, 1e6), (1e11, 1e3))
"""From which number on it counts nano-, micro- and milliseconds, and how many of them are a second."""
_FIRST_S, _LAST_S = 31_536_000.0, 221_845_392_000.0  # 1971 and 9000


def read_duration(text: str) -> float | None:
    """Return a duration in seconds, or None where the text is empty or is none.

    Thousands separators and decimal commas are understood (``read_number``).
    """
    try:
        seconds = float(text)
    except ValueError:
        found = _DURATION.match(text) if len(text) <= _LONGEST_DIGITS else None
        number = read_number(found[1]) if found else None
        if not found or number is None:
            return None
        seconds = number / (1000 if (found[2] or "").lower() == "ms" else 1)
    return seconds if 0 <= seconds < LONGEST_S else None  # also sets not-a-number aside


def read_moment(text: str) -> datetime | None:
    """Return a moment from ISO 8601 or epoch seconds, milli-, micro- or nanoseconds, or None.

    It has a zone only where the text names one.
    """
    text = text.strip()
    try:
        if _EPOCH.match(text):
            return read_epoch(float(text), UTC)
        moment = datetime.fromisoformat(text)
    except (ValueError, OverflowError, OSError):
        return None
    return moment if _NEVER <= moment.year <= _FOR_EVER else None


def read_dates(texts: Sequence[str]) -> list[datetime] | None:
    """Return what ``read_moment`` does for many texts of ISO 8601 with hyphens; None where one is anything else."""
    try:
        moments = [datetime.fromisoformat(text) for text in texts if text[4] == "-"]
    except (ValueError, IndexError):
        return None
    is_known = len(moments) == len(texts) and all(_NEVER <= moment.year <= _FOR_EVER for moment in moments)
    return moments if is_known else None


def read_epoch(number: float, zone: tzinfo) -> datetime | None:
    """Return the moment of an epoch number of any unit in a zone, or None for one that nobody can mean."""
    seconds = number
    if number > _SMALLER_UNITS[-1][0]:
        seconds /= next(parts for least, parts in _SMALLER_UNITS if number > least)
    return datetime.fromtimestamp(seconds, zone) if _FIRST_S <= seconds <= _LAST_S else None
