"""Compares rates of two load runs: the share of failed requests, and how many were sent a second.

Sources: Wilson 1927, JASA 22 (interval of a share), with n / D, D being the design effect of batches in time
(batches.py); Newcombe 1998, Statistics in Medicine 17(8), method 10 (difference of two shares); batch means with
Student's t for what was sent a second (Law & Carson 1979).
"""

import math

import numpy as np

from plain_verdict.load.batches import joint_degrees, reach_of
from plain_verdict.model import LoadRun, RateChange, Rates, RequestNumbers
from plain_verdict.model.statistics import t_quantile, wilson_interval


def effect_of(rates: Rates) -> float | None:
    """Return how many requests count as one, as those that failed gather; None for too few batches."""
    sent, failed = np.array(rates.sent, np.float64), np.array(rates.failed, np.float64)
    total = float(sent.sum())
    share = float(failed.sum()) / total if total else 0.0
    reach = reach_of(failed - share * sent)
    if reach is None:
        return None
    return max(1.0, reach.variance / (total * share * (1 - share))) if 0 < share < 1 else 1.0


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
    found = [effect_of(run.rates) if run.rates else None for run in (now, before)]
    return None if found[0] is None or found[1] is None else (found[0], found[1])


def compare_sent(now: LoadRun, before: LoadRun) -> RateChange:
    """Return how the number of requests a second changed, by the means of whole batches."""
    change = RateChange(before.per_second, now.per_second)
    new, old = _mean(now), _mean(before)
    if new is None or old is None:
        return change
    degrees = joint_degrees(new[1:], old[1:])
    reach = t_quantile(degrees) * math.hypot(new[1], old[1])
    difference = new[0] - old[0]
    return RateChange(before.per_second, now.per_second, difference - reach, difference + reach)


def _mean(run: LoadRun) -> tuple[float, float, float] | None:
    """Return what was sent a second, its standard error and the degrees of freedom of that; None: too short.

    The first batch and the last are cut by the ends of the run, and left out.
    """
    if run.rates is None:
        return None
    counts = np.array(run.rates.sent[1:-1], np.float64)
    reach = reach_of(counts - counts.mean()) if counts.size else None
    if reach is None:
        return None
    span_s = counts.size * run.rates.step_s
    return float(counts.sum()) / span_s, math.sqrt(reach.variance) / span_s, reach.degrees
