"""Times in levels, small enough for the chain in a page: for each check what is usual, and how each build differs.

Below a second a level is a step of milliseconds, above it a share more than the one before. Small pages have fine
levels, large ones coarse ones: what is 0.5 s and 20 % slower is seen by both, and most differences are 0.
"""

from array import array
from bisect import bisect
from collections.abc import Iterator, Sequence
from itertools import pairwise, repeat
from operator import add, sub

from plain_verdict.errors import ReadError

_LINEAR_UP_TO_MS, _LONGEST_MS = 1_000, 24 * 3_600_000
_MIDDLE, _LEAST, _MOST = 0x80, 0x21, 0xFF
"""The character of no difference, and those of the largest; further apart is as far as these."""
_NO_TIME = " "
_LEAST_STEP_MS, _LEAST_GROWTH, _MOST_GROWTH = 1, 1.005, 4.0


class Levels:
    """Levels of a step in milliseconds, and of a growth from one to the next above a second. Raises ReadError."""

    def __init__(self, step_ms: int, growth: float) -> None:
        if not (_LEAST_STEP_MS <= step_ms <= _LINEAR_UP_TO_MS and _LEAST_GROWTH <= growth <= _MOST_GROWTH):
            raise ReadError("holds a digest with levels of no sense", hint="make the page again from its results")
        self.step_ms, self.growth = step_ms, growth
        levels = [0, max(1, step_ms // 4), *range(step_ms, _LINEAR_UP_TO_MS + 1, step_ms)]
        while levels[-1] < _LONGEST_MS:
            levels.append(max(levels[-1] + 1, round(levels[-1] * growth)))
        self._ms = levels
        self._bounds = [1, *((low + high) // 2 for low, high in pairwise(levels[1:]))]
        self.of = _LevelOf(self)

    def find(self, time_ms: int) -> int:
        """Return the level of a time; 0 of none."""
        return min(bisect(self._bounds, time_ms), len(self._ms) - 1)

    def times(self, levels: Sequence[int]) -> "array[int]":
        """Return what levels stand for, in milliseconds. Raises IndexError for one that is none."""
        return array("I", map(self._ms.__getitem__, levels))


class _LevelOf(dict[int, int]):
    """The level of each time that was asked for."""

    def __init__(self, levels: Levels) -> None:
        super().__init__()
        self._levels = levels

    def __missing__(self, time_ms: int) -> int:
        self[time_ms] = level = self._levels.find(time_ms)
        return level


FINE, COARSE = Levels(10, 1.02), Levels(250, 1.25)


def pack_times(own: Sequence[int], columns: Sequence[Sequence[int]], levels: Levels) -> tuple[str, str]:
    """Return what is usual of each check, beside its own time, and how each of several builds differs from that.

    Times are in milliseconds, ``columns`` those of one build each. Both are texts: a character a check; and a
    character a build, check after check.
    """
    level_of = levels.of.__getitem__
    own_levels = list(map(level_of, own))
    in_levels = [list(map(level_of, column)) for column in columns]
    usual = [several[len(several) // 2] for several in map(sorted, zip(*in_levels, strict=True))]
    texts = [_apart(column, usual) for column in in_levels]
    return _apart(usual, own_levels), "".join(map("".join, zip(*texts, strict=True)))


def _apart(levels: Sequence[int], others: Sequence[int]) -> str:
    """Return how far levels are from others, a character each."""
    by = map(sub, levels, others)
    text = "".join(map(_CHAR_OF.__getitem__, by))
    if 0 not in levels:
        return text
    return "".join([char if level else _NO_TIME for char, level in zip(text, levels, strict=True)])


class _CharOf(dict[int, str]):
    def __missing__(self, by: int) -> str:
        self[by] = char = chr(min(max(_MIDDLE + by, _LEAST), _MOST))
        return char


_CHAR_OF = _CharOf()


def unpack_times(own: Sequence[int], usual: str, took: str, levels: Levels) -> Iterator["array[int]"]:
    """Yield the milliseconds of each build. Raises ReadError."""
    if not usual:
        return
    builds, rest = divmod(len(took), len(usual))
    try:
        if rest:
            raise ValueError
        usual_levels = _levels_of(usual, list(map(levels.of.__getitem__, own)))
        for build in range(builds):
            yield levels.times(_levels_of(took[build::builds], usual_levels))
    except (ValueError, IndexError) as error:
        raise ReadError(
            "holds a digest whose times can't be read", hint="make the page again from its results"
        ) from error


def _levels_of(text: str, others: Sequence[int]) -> list[int]:
    """Return the levels that differ so from others. Raises ValueError."""
    by = text.encode("latin-1")
    if len(by) != len(others):
        raise ValueError
    found = [max(0, level) for level in map(sub, map(add, by, others), repeat(_MIDDLE))]
    if _NO_TIME in text:
        return [0 if char == _NO_TIME else level for char, level in zip(text, found, strict=True)]
    return found
