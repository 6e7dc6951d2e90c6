"""Builds that have no results: by keys that count up, or by a schedule."""

from collections.abc import Collection, Iterable, Mapping, Sequence
from datetime import timedelta
from itertools import islice, pairwise

from plain_verdict.model import Build
from plain_verdict.text.patterns import pattern

_Number = tuple[str, int, str]
"""A key that counts: what stands before its number, the number, and what stands after it."""
_COUNTED = pattern(r"(.*?)(\d{1,15})(\D*)")
_LEAST_STEPS = 3  # fewer builds that count by one may do so at random
_MOST_GAPS = 100  # in one gap
_MOST_BETWEEN = 10_000  # from one build to the next: builds of many branches lie between
_LATE = 1.5
"""From this multiple of a schedule's step on, a build is missing."""


def find_gaps(
    builds: Sequence[Build], step: timedelta | None = None, other_branches: Collection[str] = ()
) -> Mapping[int, tuple[str, ...]]:
    """Return what has no results before each build that follows a gap, by that build's place.

    Keys count up where most follow the one before them by one, or by builds of other branches, which are no gaps:
    ``other_branches``. With ``step``, the schedule of the series, keys don't matter.
    """
    pairs = enumerate(pairwise(builds), 1)
    if step is not None:
        found = {position: _by_schedule(*pair, step) for position, pair in pairs}
    else:
        found = dict(_by_numbers(pairs, other_branches))
    return {position: missing for position, missing in found.items() if missing}


def skip_numbers(builds: Sequence[Build]) -> bool:
    """Return whether keys leave numbers out from one build to the next, which other branches may have."""
    numbers = [_number(build.build) for build in builds]
    return any(low and high and high[1] > low[1] + 1 for low, high in pairwise(numbers))


def keys_of_other_branches(builds: Iterable[Build], build: Build) -> frozenset[str]:
    """Return the keys of builds with the title of one, in other series."""
    return frozenset(other.build for other in builds if other.title == build.title and other.series != build.series)


def _by_numbers(
    pairs: Iterable[tuple[int, tuple[Build, Build]]], other_branches: Collection[str]
) -> Mapping[int, tuple[str, ...]]:
    numbers = {position: (_number(low.build), _number(high.build)) for position, (low, high) in pairs}
    steps = {
        position: (low, high) for position, (low, high) in numbers.items() if low and high and low[2] == high[2]
    }
    between = {position: _between(*pair, other_branches) for position, pair in steps.items()}
    return between if _are_consecutive(steps.values(), between.values()) else {}


def _are_consecutive(steps: Collection[tuple[_Number, _Number]], between: Iterable[tuple[str, ...]]) -> bool:
    single_steps = sum(
        high[1] > low[1] and not missing for (low, high), missing in zip(steps, between, strict=True)
    )
    return single_steps >= _LEAST_STEPS and 2 * single_steps >= len(steps)


def _number(key: str) -> _Number | None:
    match = _COUNTED.fullmatch(key)
    return (match[1], int(match[2]), match[3]) if match else None


def _between(low: _Number, high: _Number, other_branches: Collection[str]) -> tuple[str, ...]:
    numbers = range(low[1] + 1, high[1])
    before = low[0] if low[0] == high[0] else ""  # a date before the number is another one each day
    keys = (f"{before}{number}{low[2]}" for number in numbers[:_MOST_BETWEEN])
    return tuple(islice((key for key in keys if key not in other_branches), _MOST_GAPS))


def _by_schedule(low: Build, high: Build, step: timedelta) -> tuple[str, ...]:
    if high.moment - low.moment < step * _LATE:
        return ()
    missing = min(round((high.moment - low.moment) / step) - 1, _MOST_GAPS)
    days = step >= timedelta(days=1)
    moments = [low.moment + step * number for number in range(1, missing + 1)]
    return tuple(f"{at.day} {at:%b}" if days else f"{at.day} {at:%b %H:%M}" for at in moments)
