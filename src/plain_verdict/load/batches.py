"""Batches of a run in time: as long as neighbouring ones are alike, and how far chance reaches by them.

Sources: Law & Carson 1979, Operations Research 27(5) (batch means; batches grow until neighbours are not
correlated); Kendall 1954, Biometrika 41 (bias of a correlation of few values); of a first-order process the
variance of a mean by (1 + c) / (1 - c), and its degrees of freedom: Bayley & Hammersley 1946, Supplement to the
Journal of the Royal Statistical Society 8(2).
"""

import math
from typing import NamedTuple

import numpy as np

from plain_verdict.load.bins import Floats

LEAST_BATCHES = 4
"""Fewer do not tell how far neighbours go together."""
_FEW, _MANY = 10, 20
"""Batches that a run is cut into: many, or as few as that where neighbours are alike."""
_ALIKE_CORRELATION = 0.1  # correlation of neighbours; smaller ones cost an interval a tenth of its width
_LARGEST = 0.6  # a run that climbs is alike all along: more would say nothing but that it climbs
_GUARD = 0.3
"""Of the standard error of a correlation, 1 / sqrt(m), by which it is taken larger: it is one of few batches."""
_LEAST_DEGREES = 2.0
_NO_DIFFERENCE = 1e-9  # of sums of counts: what rounding leaves where all batches are the same


class Reach(NamedTuple):
    """How far chance reaches: the variance of a sum over the run, and the degrees of freedom that it is known with.

    ``alike``: the batches are still alike, so that the run is too short for how slowly it wanders.
    """

    variance: float
    degrees: float
    batches: int
    alike: bool


def reach_of(residues: Floats) -> Reach | None:
    """Return how far chance reaches, by what each short batch has over its mean; None for too few batches."""
    if residues.size < LEAST_BATCHES:
        return None
    size = max(1, math.ceil(residues.size / _MANY))
    while True:
        batches = np.add.reduceat(residues, np.arange(0, residues.size, size))
        correlation = _correlation(batches)
        if correlation <= _ALIKE_CORRELATION or math.ceil(residues.size / (size + 1)) < _FEW:
            break
        size += 1
    number = batches.size
    likeness = min(_LARGEST, max(0.0, correlation + _GUARD / math.sqrt(number)))
    variance = number * float(batches.var(ddof=1)) * (1 + likeness) / (1 - likeness)
    degrees = max(_LEAST_DEGREES, (number - 1) * (1 - likeness**2) / (1 + likeness**2))
    # By chance, few batches are often somewhat alike: only what is past one standard error is said.
    return Reach(variance, degrees, number, correlation > 1 / math.sqrt(number))


def _correlation(batches: Floats) -> float:
    """Return the correlation of neighbours, without the bias that few have."""
    deviations = batches - batches.mean()
    whole = float((deviations**2).sum())
    found = float((deviations[1:] * deviations[:-1]).sum()) / whole if whole > _NO_DIFFERENCE else 0.0
    return found + (1 + 4 * found) / batches.size


def joint_degrees(first: tuple[float, float], second: tuple[float, float]) -> float:
    """Return the degrees of freedom of a difference, of two (standard error, degrees).

    Source: Welch 1947, Biometrika 34 (Welch-Satterthwaite equation).
    """
    parts = [(error**2, degrees) for error, degrees in (first, second)]
    below = sum(variance**2 / degrees for variance, degrees in parts)
    return sum(variance for variance, _ in parts) ** 2 / below if below else min(first[1], second[1])
