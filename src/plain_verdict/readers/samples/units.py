"""Tells the unit of durations that their column does not name: by what the file itself proves, never by a guess.

Decimals may be seconds or milliseconds; whole numbers are milliseconds, as no client counts in whole seconds.
"""

from collections.abc import Sequence
from itertools import pairwise
from typing import TYPE_CHECKING, NamedTuple

if TYPE_CHECKING:  # NumPy, which only runs with samples have
    from plain_verdict.load.state import LoadState

SECONDS_US, MILLISECONDS_US = 1e6, 1e3
_LEAST_ROWS = 20  # fewer prove nothing
_LEAST_BUSY, _MOST_BUSY = 0.05, 1.5
"""Of the users: how many wait for an answer at once, in a load run; the ends of a run blur it."""
_IN_TURN = 0.98
"""Of a request's time that the next one waits at least, where one waits for the other: clocks are not exact."""
_LEAST_FILLED = 0.2
"""Of the time, where requests in turn prove a unit: with the other, pauses would equal requests."""


class Unit(NamedTuple):
    """A unit in microseconds, and how it was told; ``is_proven`` is false where another one is as possible."""

    microseconds: float
    note: str
    is_proven: bool = True


def unit_in_turn(starts_us: Sequence[float], took: Sequence[float]) -> float:
    """Return the unit with which requests of the file's beginning follow each other in turn, 0.0 for neither.

    ``starts_us`` and ``took`` are of the same requests.
    """
    rows = sorted(zip(starts_us, took, strict=True))
    if len(rows) < _LEAST_ROWS:
        return 0.0
    span_us = rows[-1][0] - rows[0][0]
    for unit in (SECONDS_US, MILLISECONDS_US):
        filled = sum(duration for _, duration in rows[:-1]) * unit / span_us if span_us else 0.0
        in_turn = all(
            later - start >= _IN_TURN * duration * unit for (start, duration), (later, _) in pairwise(rows)
        )
        if in_turn and filled >= _LEAST_FILLED:
            return unit
    return 0.0


def unit_by(state: "LoadState", guessed_us: float, name: str) -> Unit:
    """Return the unit that the whole file proves, or the guess; ``state`` was counted with the guess.

    Source: Little 1961, Operations Research 9(3): as many are in a system as come a second, times their stay.
    """
    seconds, _ = state.started.items()
    span_s = float(seconds[-1] - seconds[0] + 1) if seconds.size else 0.0
    mean = sum(request.sum_all_us for request in state.requests) / guessed_us / max(1, state.rows)
    if state.rows >= _LEAST_ROWS:
        if mean > span_s:
            return Unit(
                MILLISECONDS_US, f"“{name}” in milliseconds, because in seconds requests would outlast the run"
            )
        busy = _busy(state, mean, span_s)
        if busy > _MOST_BUSY:
            return Unit(
                MILLISECONDS_US,
                f"“{name}” in milliseconds, because in seconds more users than there are would wait",
            )
        if busy >= _LEAST_BUSY:
            return Unit(SECONDS_US, f"“{name}” in seconds, because that many users wait at once")
    word = "seconds" if guessed_us == SECONDS_US else "milliseconds"
    return Unit(guessed_us, f"“{name}” in {word}, which the file does not prove", is_proven=False)


def _busy(state: "LoadState", mean_s: float, span_s: float) -> float:
    """Return which share of its users wait for an answer at once, if requests take so long; 0 for unknown."""
    users = sum(state.users.values()) / len(state.users) if state.users else 0.0
    return state.rows / span_s * mean_s / users if users and span_s else 0.0
