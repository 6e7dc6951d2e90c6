"""Compares two load runs: what changed more than chance within them explains.

Sources: Woodruff 1952 and Law & Carson 1979 for the intervals of each run (percentiles.py); Holm 1979, Scandinavian
Journal of Statistics 6(2), for many requests at once.
"""

import math
from collections.abc import Iterator, Sequence
from typing import NamedTuple

import msgspec

from plain_verdict.load.batches import joint_degrees
from plain_verdict.load.rates import compare_failed, compare_sent, effects_of
from plain_verdict.model import Change, Comparison, LoadRun, Percentile, RequestNumbers
from plain_verdict.model.statistics import t_quantile, two_sided_p

_PER_CENTS = (50.0, 95.0, 99.0)
_SHOWN, _TENTH = 95.0, 0.1
"""The percentile whose smallest change is given, and a change that everybody wants to see."""
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


def compare(
    now: LoadRun, before: LoadRun, threshold: NoiseThreshold = NOISE_THRESHOLD, settled_s: float = 0.0
) -> Comparison:
    """Return what changed since an earlier run; what is smaller than a trifle is none, however certain.

    ``settled_s`` is the beginning that percentiles are compared without.
    """
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
    shown_share, needed_s, too_short = _smallest_shown(now, before, whole)
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
        without_start_s=settled_s,
        shown_share=shown_share,
        needed_s=needed_s,
        too_short=too_short,
        new=tuple(sorted(names - earlier.keys())[:_NAMED_REQUESTS]),
        gone=tuple(sorted(earlier.keys() - names)[:_NAMED_REQUESTS]),
    )


def _changes(now: RequestNumbers, before: RequestNumbers) -> Iterator[_Judged]:
    for per_cent in _PER_CENTS:
        new, old = now.settled_percentile(per_cent), before.settled_percentile(per_cent)
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


def _errors(new: Percentile, old: Percentile) -> tuple[tuple[float, float] | None, float]:
    """Return the standard error of each, half its interval / t, and the degrees of their difference's."""
    if new.low_s is None or new.high_s is None or old.low_s is None or old.high_s is None:
        return None, 0.0
    error_s = (new.high_s - new.low_s) / 2 / t_quantile(new.degrees)
    before_s = (old.high_s - old.low_s) / 2 / t_quantile(old.degrees)
    return (error_s, before_s), joint_degrees((error_s, new.degrees), (before_s, old.degrees))


def _smallest_shown(
    now: LoadRun, before: LoadRun, whole: Sequence[_Judged]
) -> tuple[float | None, float | None, bool]:
    """Return from which change on the p95 shows it, how long runs would show a tenth, and if they are too short.

    An interval is as wide as the root of a run's length is small.
    """
    percentiles = [run.whole.settled_percentile(_SHOWN) for run in (now, before)]
    too_short = any(percentile.wanders for percentile in percentiles)
    change = next((judged.change for judged in whole if judged.change.per_cent == _SHOWN), None)
    if change is None or change.low_s is None or change.high_s is None or not change.before_s:
        return None, None, too_short
    share = (change.high_s - change.low_s) / 2 / change.before_s
    needed_s = min(now.span_s, before.span_s) * (share / _TENTH) ** 2
    return share, needed_s if share > _TENTH else None, too_short


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
