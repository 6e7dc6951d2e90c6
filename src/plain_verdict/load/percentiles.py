"""Percentiles by nearest rank, with intervals that tell how far chance reaches.

Sources: Hyndman & Fan 1996, The American Statistician 50(4), definition 1 (nearest rank); Woodruff 1952, JASA 47
(intervals of quantiles), with the design effect of batches in time (batches.py).
"""

import math
from typing import NamedTuple

import numpy as np

from plain_verdict.load.batches import Reach, reach_of
from plain_verdict.load.bins import COARSE_BITS, FINE_BITS, Floats, Ints, least_of, middle_of
from plain_verdict.model.statistics import CONFIDENCE, t_quantile


class Histogram(NamedTuple):
    """Times in bins, in their order: which bins there are and how many times are in each."""

    bins: Ints
    counts: Ints
    step_us: int
    """The greatest common divisor of all times."""
    least_us: int
    longest_us: int

    @property
    def total(self) -> int:
        """Return how many times there are."""
        return int(self.counts.sum())

    def at_rank(self, rank: int) -> float:
        """Return the value at a rank in seconds; the ends are exact."""
        total = self.total
        if rank <= 1:
            return self.least_us / 1e6
        if rank >= total:
            return self.longest_us / 1e6
        at = int(np.searchsorted(np.cumsum(self.counts), rank))
        value = float(middle_of(self.bins[at : at + 1], FINE_BITS, self.step_us)[0])
        return min(max(value, self.least_us), self.longest_us) / 1e6


class CoarseTimes(NamedTuple):
    """Times in coarse bins, in their order: for parts of a run, of which nothing finer is kept."""

    bins: Ints
    counts: Ints

    @property
    def total(self) -> int:
        """Return how many times there are."""
        return int(self.counts.sum())

    def at_rank(self, rank: int) -> float:
        """Return the value at a rank in seconds: of the bin around it, a part in proportion."""
        sums = np.cumsum(self.counts)
        at = int(np.searchsorted(sums, rank))
        low, high = (float(least_of(self.bins[at : at + 1] + more, COARSE_BITS)[0]) for more in (0, 1))
        part = (rank - 0.5 - float(sums[at] - self.counts[at])) / float(self.counts[at])
        return (low + part * (high - low)) / 1e6


Times = Histogram | CoarseTimes


def least_count(share: float) -> int:
    """Return how many values bound a percentile from above with 95 % confidence: n >= ln 0.05 / ln p."""
    return math.ceil(math.log(1 - CONFIDENCE) / math.log(share))


def rank_of(share: float, total: int) -> int:
    """Return which of so many values, in their order, is the percentile: the ceil(p n)-th, from 1."""
    return min(total, max(1, math.ceil(round(share * total, 9))))  # 0.95 * 100 is 95.00000000000001


def percentile(times: Times, share: float) -> float | None:
    """Return a percentile in seconds; None where there are too few values to tell it."""
    total = times.total
    return times.at_rank(rank_of(share, total)) if total >= least_count(share) else None


class Batches(NamedTuple):
    """The times of each short batch, in coarse bins: batch after batch, and where each begins."""

    bins: Ints
    counts: Ints
    starts: Ints
    slots: Ints
    """When each was, in lengths of a batch since 1970."""

    def since(self, slot: int) -> "Batches":
        """Return those that are not before a slot."""
        first = int(np.searchsorted(self.slots, slot))
        if not first:
            return self
        at = int(self.starts[first]) if first < self.starts.size else self.bins.size
        return Batches(self.bins[at:], self.counts[at:], self.starts[first:] - at, self.slots[first:])


class Interval(NamedTuple):
    """Between which times a percentile lies with 95 % confidence, in seconds, and what that rests on."""

    low_s: float
    high_s: float
    reach: Reach


def interval(times: Times, share: float, batches: Batches) -> Interval | None:
    """Return between which times a percentile lies; None where nobody can tell.

    In batch k of n_k requests o_k are over the percentile; r_k = o_k - (1 - p) n_k; the design effect is
    D = max(1, var(sum r_k) / (n p (1 - p))), the rank's error SE = sqrt(D p (1 - p) / n).
    """
    total, value = times.total, percentile(times, share)
    if value is None:
        return None
    residues = _over(batches, value * 1e6) - (1 - share) * np.add.reduceat(batches.counts, batches.starts)
    reach = reach_of(residues)
    if reach is None:
        return None
    alone = total * share * (1 - share)
    error = math.sqrt(max(alone, reach.variance)) / total
    shares = (share + sign * t_quantile(reach.degrees) * error for sign in (-1, 1))
    low_s, high_s = (times.at_rank(rank_of(min(1.0, max(0.0, end)), total)) for end in shares)
    return Interval(low_s, high_s, reach)


def _over(batches: Batches, value_us: float) -> Floats:
    """Return how many times of each batch are over a value; of the bin around it, a part in proportion."""
    low, high = least_of(batches.bins, COARSE_BITS), least_of(batches.bins + 1, COARSE_BITS)
    part = np.clip((high - 1 - value_us) / np.maximum(high - low, 1.0), 0.0, 1.0)
    over: Floats = np.add.reduceat(batches.counts * part, batches.starts)
    return over


def density(times: Histogram, parts_per_doubling: int = 8) -> tuple[Floats, Floats]:
    """Return edges in seconds, a part of a doubling apart, and the share of all times between each two."""
    if not times.total:
        return np.empty(0), np.empty(0)
    values = np.maximum(middle_of(times.bins, FINE_BITS, times.step_us), 1.0)
    part = np.floor(np.log2(values) * parts_per_doubling).astype(np.int64)
    first, last = int(part.min()), int(part.max())
    shares = np.bincount(part - first, weights=times.counts.astype(np.float64)) / times.total
    edges = 2.0 ** (np.arange(first, last + 2) / parts_per_doubling) / 1e6
    return edges, shares
