"""Checks in quarantine: unsteady ones whose failures do not count for some days."""

from datetime import date
from enum import StrEnum

from plain_verdict.model.facts import Value


class QuarantineEntry(Value, frozen=True):
    """A check in quarantine as a build keeps it, and the day on which it came in."""

    id: str
    name: str
    since: date


class QuarantineState(StrEnum):
    """How a check in quarantine stands."""

    INSIDE = "in quarantine"
    PAST_LIMIT = "past the limit"
    ENDED = "ended"
    RELEASED = "released"
    ABSENT = "not in this run"


class Quarantined(Value, frozen=True):
    """A check in quarantine, with its first and its last day there; ``reason`` is the rule's, or what is unsteady.

    ``passed`` is in how many builds in a row it passed, this one among them.
    """

    id: str
    name: str
    state: QuarantineState
    since: date
    until: date
    reason: str = ""
    owner: str = ""
    passed: int = 0
