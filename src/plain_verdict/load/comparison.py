"""Compares two load runs: what changed more than chance within them explains.

Sources: Woodruff 1952 and Law & Carson 1979 for the intervals of each run (percentiles.py); Holm 1979, Scandinavian
Journal of Statistics 6(2), for many requests at once.
"""

import math
from collections.abc import Iterator, Sequence
from typing import NamedTuple

import msgspec

from plain_verdict.load.percentiles import LEAST_BATCHES
from plain_verdict.load.rates import compare_failed, compare_sent, effects_of
from plain_verdict.model import Change, Comparison, LoadRun, Percentile, RequestNumbers
from plain_verdict.model.statistics import t_quantile, two_sided_p

_PER_CENTS = (50.0, 95.0, 99.0)
_ERROR = 0.05  # share of false alarms among all changes that are called significant
_NAMED_REQUESTS = 20


class NoiseThreshold(NamedTuple):
    """Changes that nobody minds: a share of what it was, and seconds. A change counts past both."""

    share: float = 0.05
    seconds: float = 0.005


NOISE_THRESHOLD = NoiseThreshold()


class _Judged(msgspec.Struct):
    change: Change
    p: float


def compare(now: LoadRun, before: LoadRun, threshold: NoiseThreshold = NOISE_THRESHOLD) -> Comparison:
    """Return what changed since an earlier run; what is smaller than a trifle is none, however certain."""
    earlier = {request.name: request for request in before.requests}
    judged = [
        change
        for request in now.requests
        if request.name in earlier
        for change in _changes(request, earlier[request.name])
    ]
    whole = list(_changes(now.whole, before.whole))
    effects = effects_of(now, before)
    names = {request.name for request in now.requests}
    return Comparison(
        started=before.started,
        changes=(*_certain(whole, threshold), *_certain(judged, threshold)),
        failed=compare_failed(now.whole, before.whole, effects),
        per_second=compare_sent(now, before),
        failed_by_request=tuple(
            (request.name, compare_failed(request, earlier[request.name], effects))
            for request in now.requests
            if request.name in earlier and (request.failed or earlier[request.name].failed)
        ),
        new=tuple(sorted(names - earlier.keys())[:_NAMED_REQUESTS]),
        gone=tuple(sorted(earlier.keys() - names)[:_NAMED_REQUESTS]),
    )


def _changes(now: RequestNumbers, before: RequestNumbers) -> Iterator[_Judged]:
    for per_cent in _PER_CENTS:
        new, old = now.percentile(per_cent), before.percentile(per_cent)
        if new.value_s is None or old.value_s is None:
            continue
        errors, degrees = _errors(new, old)
        change = Change(now.name, per_cent, old.value_s, new.value_s)
        if errors is None:
            yield _Judged(change, 1.0)
            continue
        error = math.hypot(*errors)
        difference = new.value_s - old.value_s
        reach = t_quantile(degrees) * error
        p = two_sided_p(difference / error, degrees) if error else (0.0 if difference else 1.0)
        change = msgspec.structs.replace(change, low_s=difference - reach, high_s=difference + reach)
        if old.value_s:
            # Of a ratio, to the first order: Source: Cochran, Sampling Techniques, 3rd edition, section 6.3.
            share_reach = (
                t_quantile(degrees) * math.hypot(errors[0], errors[1] * new.value_s / old.value_s) / old.value_s
            )
            ends = change.share - share_reach, change.share + share_reach
            change = msgspec.structs.replace(change, low_share=ends[0], high_share=ends[1])
        yield _Judged(change, p)


def _errors(new: Percentile, old: Percentile) -> tuple[tuple[float, float] | None, int]:
    """Return the standard error of each, half its interval / t, and the degrees of their difference's."""
    if new.low_s is None or new.high_s is None or old.low_s is None or old.high_s is None:
        return None, 0
    batches = min(new.batches, old.batches)
    if batches < LEAST_BATCHES:
        return None, 0
    error_s = (new.high_s - new.low_s) / 2 / t_quantile(new.batches - 1)
    before = (old.high_s - old.low_s) / 2 / t_quantile(old.batches - 1)
    return (error_s, before), 2 * (batches - 1)


def _certain(judged: Sequence[_Judged], threshold: NoiseThreshold) -> Iterator[Change]:
    """Yield the changes, those marked that hold among so many: each percentile is its own family."""
    for per_cent in _PER_CENTS:
        family = sorted(
            (judged_change for judged_change in judged if judged_change.change.per_cent == per_cent),
            key=lambda judged_change: judged_change.p,
        )
        holds = True
        for position, candidate in enumerate(family):
            holds = holds and candidate.p <= _ERROR / (len(family) - position)
            change = candidate.change
            large = abs(change.share) > threshold.share and abs(change.now_s - change.before_s) > threshold.seconds
            slight = change.high_s is not None and (
                change.high_s <= threshold.seconds or change.high_s <= threshold.share * change.before_s
            )
            yield msgspec.structs.replace(change, certain=holds and large, slight=slight)
