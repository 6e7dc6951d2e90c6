"""Moments in order, with a zone or without one: results often name none, and then it is nobody's to guess."""

from collections.abc import Iterable
from datetime import UTC, datetime


def in_order(moment: datetime) -> datetime:
    """Return a moment that can be compared with others; one without a zone counts as UTC."""
    return moment.replace(tzinfo=UTC) if moment.tzinfo is None else moment


def earliest(moments: Iterable[datetime]) -> datetime | None:
    """Return the first of the moments as it is written; None of none."""
    known = list(moments)
    try:
        return min(known, default=None)
    except TypeError:  # only some have a zone
        return min(known, key=in_order)


def latest(moments: Iterable[datetime]) -> datetime | None:
    """Return the last of the moments as it is written; None of none."""
    known = list(moments)
    try:
        return max(known, default=None)
    except TypeError:
        return max(known, key=in_order)


def moment_at(time_s: float | None) -> datetime | None:
    """Return the moment of a POSIX time stamp, in UTC; None for none, and for one that no calendar has."""
    try:
        return None if time_s is None else datetime.fromtimestamp(time_s, UTC)
    except (ValueError, OverflowError, OSError):
        return None


def epoch_s(moment: datetime) -> float:
    """Return the seconds from 1970 (UTC) to a moment."""
    return in_order(moment).timestamp()
