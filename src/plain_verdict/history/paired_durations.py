"""Durations of the same checks in two runs, of which no earlier run is known: which differ more than all do.

The scatter is that of all pairs: most checks did not change. Tails are those of Student's distribution with few
degrees of freedom, as some checks scatter more than others.
Sources: Rousseeuw & Croux 1993, JASA 88(424), section 1 (scale by the median absolute deviation); Lange, Little &
Taylor 1989, JASA 84(408) (Student's distribution for heavy tails); Benjamini & Hochberg 1995, JRSS B 57(1).
"""

import math
from collections.abc import Iterator, Sequence
from statistics import median
from typing import NamedTuple

from plain_verdict.history.durations import MAD_TO_SIGMA
from plain_verdict.model.statistics import student_reach, student_tail

LEAST_PAIRS = 20
"""Checks with a time in both runs, below which nothing is called slower or faster."""
_FREEDOM = 6
_LEAST_ALIKE = 40  # times of about one length, whose scatter is measured together
_FALSELY = 0.025  # share of chance in what is found
_LEAST_PAIR_SCALE = 0.04  # of the logarithm of a ratio: two times closer together are as good as equal
_ADDED_MS, _LEAST_DIFFERENCE_MS, _LEAST_SHARE = 5.0, 25.0, 0.2
"""Added to each time; and a change below these is no change: 25 ms, 20 %."""


class PairedShift(NamedTuple):
    """A pair that differs: its place, and the share by which it does, with a 95 % interval."""

    position: int
    change: float
    low: float
    high: float


class PairedShifts(NamedTuple):
    """The pairs that differ, how many could be compared, and by which share all together differ."""

    found: list[PairedShift]
    compared: int
    pace: float


def find_paired_shifts(before: Sequence[int], after: Sequence[int]) -> PairedShifts:
    """Return which of some times, in milliseconds, differ; 0 is a time that nobody told."""
    timed = [at for at, pair in enumerate(zip(before, after, strict=True)) if all(pair)]
    if len(timed) < LEAST_PAIRS:
        return PairedShifts([], 0, 0.0)
    # Short times scatter more than long ones, so each is compared with those of its length.
    timed.sort(key=lambda at: before[at] * after[at])
    logs = [math.log((after[at] + _ADDED_MS) / (before[at] + _ADDED_MS)) for at in timed]
    common = median(logs)
    distances = [log - common for log in logs]
    pairs = list(zip(timed, distances, _scales(distances), strict=True))
    pairs.sort(key=lambda pair: -abs(pair[1]) / pair[2])
    # A difference that nobody minds is none, however certain.
    found = [_shift(*pair) for pair in pairs[: _discoveries(pairs)]]
    found = [
        shift
        for shift in found
        if abs(shift.change) >= _LEAST_SHARE and abs(shift.change) * before[shift.position] >= _LEAST_DIFFERENCE_MS
    ]
    return PairedShifts(found, len(timed), math.expm1(common))


def _scales(distances: Sequence[float]) -> Iterator[float]:
    """Yield how far distances scatter where each stands, by those around it."""
    parts = max(1, len(distances) // _LEAST_ALIKE)
    for part in range(parts):
        alike = distances[len(distances) * part // parts : len(distances) * (part + 1) // parts]
        scale = max(_LEAST_PAIR_SCALE, MAD_TO_SIGMA * median(map(abs, alike)))
        yield from (scale for _ in alike)


def _discoveries(pairs: Sequence[tuple[int, float, float]]) -> int:
    """Return how many of some distances, the least likely first, are no chance."""
    chances = [2 * student_tail(abs(distance) / scale, _FREEDOM) for _, distance, scale in pairs]
    likely = [rank for rank, chance in enumerate(chances, 1) if chance <= _FALSELY * rank / len(pairs)]
    return max(likely, default=0)


def _shift(position: int, distance: float, scale: float) -> PairedShift:
    reach = student_reach(_FREEDOM) * scale
    return PairedShift(position, *(math.expm1(log) for log in (distance, distance - reach, distance + reach)))
