"""Times in levels, small enough for the chain in a page: by how much each build differs from the last.

Below a second a level is a step of milliseconds, above it a share more than the one before. Small pages have fine
levels, large ones coarse ones, in which only large changes are seen; most differences are 0.
"""

import sys
from array import array
from bisect import bisect
from collections.abc import Callable, Iterator, Sequence
from contextlib import suppress
from itertools import pairwise
from operator import add

from plain_verdict.runtime.errors import ReadError

_LINEAR_UP_TO_MS, _LONGEST_MS = 1_000, 24 * 3_600_000
_MIDDLE = 0x400
"""The character of no difference, with room for all of them on both sides."""
_NO_TIME = ord(" ")
_LEAST_STEP_MS, _LEAST_GROWTH, _MOST_GROWTH = 1, 1.005, 4.0


class Levels:
    """Levels of a step in milliseconds, and of a growth from one to the next above a second. Raises ReadError."""

    def __init__(self, step_ms: int, growth: float) -> None:
        if not (_LEAST_STEP_MS <= step_ms <= _LINEAR_UP_TO_MS and _LEAST_GROWTH <= growth <= _MOST_GROWTH):
            raise ReadError(
                "holds a digest with levels of no sense", hint="write the report again from its results"
            )
        self.step_ms, self.growth = step_ms, growth
        levels = [0, max(1, step_ms // 4), *range(step_ms, _LINEAR_UP_TO_MS + 1, step_ms)]
        while levels[-1] < _LONGEST_MS:
            levels.append(max(levels[-1] + 1, round(levels[-1] * growth)))
        self._ms = levels
        self._bounds = [1, *((low + high) // 2 for low, high in pairwise(levels[1:]))]
        self.of = _Known(self.find)
        """The level of a time."""
        self.rounded = _Known(lambda time_ms: levels[self.of[time_ms]])
        """What its level stands for, in milliseconds; longer times are never rounded to less than shorter ones."""

    def find(self, time_ms: int) -> int:
        """Return the level of a time; 0 of none."""
        return min(bisect(self._bounds, time_ms), len(self._ms) - 1)

    def surely_differ(self, time_ms: int, other_ms: int) -> bool:
        """Return whether two rounded times surely differ: those of neighbouring levels may be equal."""
        return abs(self.of[time_ms] - self.of[other_ms]) > 1

    def times(self, levels: Sequence[int]) -> "array[int]":
        """Return what levels stand for, in milliseconds. Raises IndexError for one that is none."""
        return array("I", map(self._ms.__getitem__, levels))


class _Known(dict[int, int]):
    """What was found for each number that was looked for."""

    def __init__(self, find: Callable[[int], int]) -> None:
        super().__init__()
        self._find = find

    def __missing__(self, number: int) -> int:
        self[number] = found = self._find(number)
        return found


FINE, COARSE = Levels(5, 1.02), Levels(250, 1.25)


def pack_times(times_now: Sequence[int], columns: Sequence[Sequence[int]], levels: Levels) -> str:
    """Return by how many levels several builds differ from a run's own times: a character a check and build.

    Check stands after check. Times are in milliseconds, ``columns`` those of one build each.
    """
    # As one number for all checks, of 16 bits each: none of them falls below 0, so that none takes from another.
    zero = _as_number(array("H", [_MIDDLE]) * len(times_now)) - _as_number(_levels_of(times_now, levels))
    codes = array("H", bytes(2 * len(times_now) * len(columns)))
    for build, column in enumerate(columns):
        number = _as_number(_levels_of(column, levels)) + zero
        found = array("H", number.to_bytes(2 * len(times_now), sys.byteorder))
        for position in _positions_of(0, column):
            found[position] = _NO_TIME
        codes[build :: len(columns)] = found
    return codes.tobytes().decode("utf-16-le")


def _levels_of(times: Sequence[int], levels: Levels) -> "array[int]":
    return array("H", list(map(levels.of.__getitem__, times)))


def _as_number(codes: "array[int]") -> int:
    return int.from_bytes(codes.tobytes(), sys.byteorder)


def _positions_of(value: int, times: Sequence[int]) -> Iterator[int]:
    """Yield where a value stands; it is rare, and looked for fast."""
    position = -1
    with suppress(ValueError):
        while True:
            position = times.index(value, position + 1)
            yield position


def unpack_times(times_now: Sequence[int], took: str, levels: Levels) -> Iterator["array[int]"]:
    """Yield the milliseconds of each build. Raises ReadError."""
    if not times_now:
        return
    builds, rest = divmod(len(took), len(times_now))
    zero = [level - _MIDDLE for level in map(levels.of.__getitem__, times_now)]
    try:
        if rest:
            raise ValueError
        for build in range(builds):
            codes = array("H")
            codes.frombytes(took[build::builds].encode("utf-16-le"))
            found = list(map(add, codes, zero))
            for position in _positions_of(_NO_TIME, codes):
                found[position] = 0
            if min(found) < 0:
                raise ValueError
            yield levels.times(found)
    except (ValueError, IndexError) as error:
        raise ReadError(
            "holds a digest whose times can't be read", hint="write the report again from its results"
        ) from error
