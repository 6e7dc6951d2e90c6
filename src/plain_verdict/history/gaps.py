"""Builds that have no results: by keys that count up, or by a schedule."""

import re
from collections.abc import Mapping, Sequence
from datetime import timedelta
from itertools import pairwise

from plain_verdict.model import Build

_COUNTED = re.compile(r"(.*?)(\d{1,15})(\D*)")
_LEAST_STEPS = 3
_MOST_GAPS = 100  # in one gap
_LATE = 1.5
"""From this multiple of a schedule's step on, a build is missing."""


def find_gaps(builds: Sequence[Build], step: timedelta | None = None) -> Mapping[int, tuple[str, ...]]:
    """Return what has no results before each build that follows a gap, by that build's place.

    Keys count up where most follow the one before them by one; those of builds that never belonged to this series
    would be no gaps. With ``step``, the schedule of the series, keys don't matter.
    """
    if step is not None:
        found = {position: _by_schedule(*pair, step) for position, pair in enumerate(pairwise(builds), 1)}
    else:
        numbers = [_number(build.build) for build in builds]
        steps = [
            (position, *pair)
            for position, pair in enumerate(pairwise(numbers), 1)
            if pair[0] and pair[1] and pair[0][2] == pair[1][2]
        ]
        single_steps = sum(1 for _, low, high in steps if low and high and high[1] - low[1] == 1)
        if single_steps < _LEAST_STEPS or 2 * single_steps < len(steps):
            return {}
        found = {position: _between(low, high) for position, low, high in steps if low and high}
    return {position: missing for position, missing in found.items() if missing}


def _number(key: str) -> tuple[str, int, str] | None:
    match = _COUNTED.fullmatch(key)
    return (match[1], int(match[2]), match[3]) if match else None


def _between(low: tuple[str, int, str], high: tuple[str, int, str]) -> tuple[str, ...]:
    numbers = range(low[1] + 1, high[1])
    before = low[0] if low[0] == high[0] else ""  # a date before the number is another one each day
    return tuple(f"{before}{number}{low[2]}" for number in numbers[:_MOST_GAPS])


def _by_schedule(low: Build, high: Build, step: timedelta) -> tuple[str, ...]:
    if high.moment - low.moment < step * _LATE:
        return ()
    missing = min(round((high.moment - low.moment) / step) - 1, _MOST_GAPS)
    days = step >= timedelta(days=1)
    moments = [low.moment + step * number for number in range(1, missing + 1)]
    return tuple(f"{at.day} {at:%b}" if days else f"{at.day} {at:%b %H:%M}" for at in moments)
