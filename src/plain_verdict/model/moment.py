"""Moments in order, with a zone or without one."""

from datetime import UTC, datetime


def in_order(moment: datetime) -> datetime:
    """Return a moment that can be compared with others; one without a zone counts as UTC."""
    return moment.replace(tzinfo=UTC) if moment.tzinfo is None else moment
