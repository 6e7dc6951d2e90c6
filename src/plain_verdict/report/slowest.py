"""The checks that took longest."""

from bisect import bisect_right
from heapq import nsmallest

from plain_verdict.model import Check, Checks

_Timed = tuple[float, int]
"""Seconds, and the position of the check."""


def slowest_of(checks: Checks, most: int) -> tuple[Check, ...]:
    """Return those whose attempt that counts took longest, of equal ones the first; so many at most."""
    known = ((check.attempts[-1].took_s or 0.0, position) for position, check in checks.numbered())
    found = [timed for timed in known if timed[0] > 0]
    number = 0
    for part in checks.plain:
        found = nsmallest(most, found, key=_longest_first)
        least, last = found[-1] if len(found) == most else (0.0, -1)
        longer = _longer(part.each_time_s(), least, ties=last > number)
        found += [(took_s, number + at + bisect_right(checks.before, number + at)) for took_s, at in longer]
        number += part.number
    return tuple(checks[position] for _, position in nsmallest(most, found, key=_longest_first))


def _longer(times: list[float], least: float, *, ties: bool) -> list[_Timed]:
    """Return the times above the least of those that were found, or as long, with where they stand."""
    longest = max(times)
    # The largest of some numbers may be no number.
    if longest < least or (longest == least and not ties):
        return []
    return [(took_s, at) for at, took_s in enumerate(times) if took_s > least or (ties and took_s == least)]


def _longest_first(timed: _Timed) -> _Timed:
    return -timed[0], timed[1]
