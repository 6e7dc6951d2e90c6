"""Ranges of times, drawn in tables on a logarithmic scale that all rows share."""

import math
from collections.abc import Sequence

import msgspec

from plain_verdict.text.formatting import format_duration

_WIDTH = 190
"""Of the chart of a range, in its own units."""


class Range(msgspec.Struct, frozen=True):
    """Where the shortest, median, p95 and longest time are in the chart; None where they are not known."""

    least: float
    longest: float
    p50: float | None
    p95: float | None
    words: str

    @property
    def reach(self) -> float:
        """Return where the line ends: at the p95, or at the longest time where calls are too few."""
        return self.longest if self.p95 is None else self.p95


class RangeScale:
    """A logarithmic scale that holds every time, given the least and the longest of each row."""

    def __init__(self, ends: Sequence[tuple[float | None, float | None]]) -> None:
        least = [seconds for seconds, _ in ends if seconds]
        longest = [seconds for _, seconds in ends if seconds]
        self._least = round_number(min(least, default=0.001), up=False)
        self._longest = max(round_number(max(longest, default=1.0), up=True), self._least * 10)
        self.words = f"{format_duration(self._least)} to {format_duration(self._longest)}" if longest else ""

    def range_of(
        self, least_s: float | None, p50_s: float | None, p95_s: float | None, longest_s: float | None
    ) -> Range | None:
        """Return where a row's times stand; None where nothing tells them."""
        if least_s is None or longest_s is None:
            return None
        marks = (("shortest", least_s), ("median", p50_s), ("p95", p95_s), ("longest", longest_s))
        return Range(
            least=self.at(least_s),
            longest=self.at(longest_s),
            p50=None if p50_s is None else self.at(p50_s),
            p95=None if p95_s is None else self.at(p95_s),
            words=", ".join(f"{word} {format_duration(seconds)}" for word, seconds in marks if seconds is not None),
        )

    def at(self, seconds: float) -> float:
        """Return where a time stands; one outside stands at the end."""
        inside = min(max(seconds, self._least), self._longest)
        return round(_WIDTH * math.log(inside / self._least) / math.log(self._longest / self._least), 1)


def round_number(number: float, *, up: bool) -> float:
    """Return the next round number (1, 2 or 5 times a power of ten) above or below."""
    power = 10.0 ** math.floor(math.log10(number))
    steps = [power * step for step in (1, 2, 5, 10)]
    if up:
        return next(step for step in steps if step >= number * 0.999999)
    return next(step for step in reversed(steps) if step <= number * 1.000001)


def round_numbers_between(low: float, high: float) -> list[float]:
    """Return the round numbers from one to the other, for the lines of a logarithmic scale."""
    found, power = [], 10.0 ** math.floor(math.log10(low))
    while power <= high * 1.000001:
        found += [power * step for step in (1, 2, 5) if low * 0.999999 <= power * step <= high * 1.000001]
        power *= 10
    return found
