"""Durations of the same checks in two runs, of which no earlier run is known: which differ more than all do.

The scatter is that of all pairs: most checks did not change. Tails are those of Student's distribution with few
degrees of freedom, as some checks scatter more than others.
Sources: Rousseeuw & Croux 1993, JASA 88(424), section 1 (scale by the median absolute deviation); Lange, Little &
Taylor 1989, JASA 84(408) (Student's distribution for heavy tails); Benjamini & Hochberg 1995, JRSS B 57(1).
"""

import math
from collections.abc import Sequence
from statistics import median
from typing import NamedTuple

from plain_verdict.model.statistics import student_reach, student_tail

LEAST_PAIRS = 20
"""Checks with a time in both runs, below which nothing is called slower or faster."""
_FREEDOM = 4
_FALSELY = 0.025  # share of chance in what is found
_LEAST_SCALE = 0.04  # of the logarithm of a ratio: two times closer together are as good as equal
_MAD_TO_SIGMA = 1.4826
_SOFT_MS, _LEAST_MS, _LEAST_CHANGE = 5.0, 25.0, 0.2
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
    logs = {at: math.log((after[at] + _SOFT_MS) / (before[at] + _SOFT_MS)) for at in timed}
    common = median(logs.values())
    scale = max(_LEAST_SCALE, _MAD_TO_SIGMA * median(abs(log - common) for log in logs.values()))
    reach = student_reach(_FREEDOM) * scale
    chances = sorted((2 * student_tail(abs(log - common) / scale, _FREEDOM), at) for at, log in logs.items())
    likely = [rank for rank, (chance, _) in enumerate(chances, 1) if chance <= _FALSELY * rank / len(timed)]
    found = []
    for _, at in chances[: max(likely, default=0)]:
        change = logs[at] - common
        share, *ends = (math.expm1(log) for log in (change, change - reach, change + reach))
        if abs(share) >= _LEAST_CHANGE and abs(share) * before[at] >= _LEAST_MS:
            found.append(PairedShift(at, share, ends[0], ends[1]))
    return PairedShifts(found, len(timed), math.expm1(common))
