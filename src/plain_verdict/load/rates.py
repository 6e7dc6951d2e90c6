"""Compares rates of two load runs: the share of failed requests, and how many were sent a second.

Sources: Wilson 1927, JASA 22 (interval of a share), with n / D, D being the design effect over minutes
(percentiles.py); Newcombe 1998, Statistics in Medicine 17(8), method 10 (difference of two shares); batch means
with Student's t for what was sent a second (Law & Carson 1979).
"""

import math
from collections.abc import Sequence

import numpy as np

from plain_verdict.load.bins import Floats
from plain_verdict.load.percentiles import LEAST_BATCHES
from plain_verdict.model import LoadRun, RateChange, RequestNumbers
from plain_verdict.model.statistics import t_quantile, wilson_interval

_RATE_STEP_S = 60  # rates by the minute, as capacity is planned


def effect_of(minutes: Sequence[tuple[int, int]]) -> float:
    """Return how many requests count as one, as those that failed gather: the design effect over minutes."""
    if len(minutes) < 2:
        return 1.0
    counts, failed = np.array(minutes, np.float64).T
    share = failed.sum() / counts.sum() if counts.sum() else 0.0
    if not 0 < share < 1:
        return 1.0
    residues = failed - share * counts
    return max(1.0, len(minutes) * float(residues.var(ddof=1)) / (float(counts.sum()) * share * (1 - share)))


def compare_failed(now: RequestNumbers, before: RequestNumbers, effects: tuple[float, float] | None) -> RateChange:
    """Return how the share of failed requests changed; ``effects`` of now and before, None: too short to tell."""
    new, old = now.failed_share, before.failed_share
    if effects is None or not now.count or not before.count:
        return RateChange(old, new)
    low_new, high_new = wilson_interval(now.failed, now.count, effects[0])
    low_old, high_old = wilson_interval(before.failed, before.count, effects[1])
    difference = new - old
    return RateChange(
        old,
        new,
        difference - math.hypot(new - low_new, high_old - old),
        difference + math.hypot(high_new - new, old - low_old),
    )


def effects_of(now: LoadRun, before: LoadRun) -> tuple[float, float] | None:
    """Return the design effects of two runs; None where one of them is too short to tell."""
    if min(len(now.minutes), len(before.minutes)) < LEAST_BATCHES:
        return None
    return effect_of(now.minutes), effect_of(before.minutes)


def compare_sent(now: LoadRun, before: LoadRun) -> RateChange:
    """Return how the number of requests a second changed, by the means of whole minutes."""
    change = RateChange(before.per_second, now.per_second)
    new, old = _whole_minutes(now), _whole_minutes(before)
    size = min(new.size, old.size)
    if size < LEAST_BATCHES:
        return change
    error = math.hypot(*(float(rates.std(ddof=1)) / math.sqrt(rates.size) for rates in (new, old)))
    reach = t_quantile(2 * (size - 1)) * error
    difference = float(new.mean() - old.mean())
    return RateChange(before.per_second, now.per_second, difference - reach, difference + reach)


def _whole_minutes(run: LoadRun) -> Floats:
    """Return how many requests were sent a second in each minute but the first and the last, which are cut."""
    return np.array([count for count, _ in run.minutes[1:-1]], np.float64) / _RATE_STEP_S
