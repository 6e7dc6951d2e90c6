"""Hints on a load run: worded as such, and never applied unasked."""

import math
from datetime import UTC, datetime, timedelta

import numpy as np

from plain_verdict.load.bins import Floats, Ints
from plain_verdict.load.state import LoadState
from plain_verdict.model import ErrorWindow, Pause, Series, SlowStart, Waiting

_LEAST_RATIO = 14.0  # the logarithm: none of 40 runs without errors reach it
_LEAST_EXCESS = 2.0  # times the share of failures outside of the window
_LONGEST_PART = 0.5  # of the run: what is longer is no window in it
_MOST_HINT_STEPS = 20_000  # all windows are weighed, so the work grows with the steps
_LEAST_BATCHES = 8  # fewer have no trend that could be told from chance
_LEAST_SLOWER = 1.2  # smaller trends are not worth a sentence
_SURE_PART = 0.25  # of the run: what lasts longer is more than a beginning
_SURE_TIMES = 3.0
"""Standard deviations of batches in the rest: what wanders by itself is seldom so far off."""
_OF_MEDIANS = 1.4826
"""What makes a median deviation a standard deviation, of normal values."""
_LONGER, _LEAST_PAUSE_S = 5.0, 2
"""Times the usual longest gap; seconds in each of which nothing was started, so that the gap is over one second."""
_MOST_PAUSES = 20  # the longest: a run with more is paced
_LEAST_IDLE = 0.5
"""Of the users: where fewer wait for an answer, it is reported."""


def find_error_window(series: Series) -> ErrorWindow | None:
    """Return where failed requests gather; None where they are spread over the run.

    The window with the largest likelihood ratio, if its logarithm is at least 14 and the share of failed ones in it
    twice that outside. Source: Kulldorff 1997, Communications in Statistics 26(6) (scan statistic), in time.
    """
    counts, failed = np.array(series.counts[:_MOST_HINT_STEPS]), np.array(series.failed[:_MOST_HINT_STEPS])
    total, bad = int(counts.sum()), int(failed.sum())
    if not 0 < bad < total:
        return None
    sums, bads = np.concatenate(([0], np.cumsum(counts))), np.concatenate(([0], np.cumsum(failed)))
    best, window = 0.0, (0, 0)
    for length in _lengths(len(counts)):
        inside, bad_inside = sums[length:] - sums[:-length], bads[length:] - bads[:-length]
        ratio = _log_ratio(inside, bad_inside, total, bad)
        at = int(ratio.argmax())
        if ratio[at] > best:
            best, window = float(ratio[at]), (at, at + length)
    start, end = window
    there, bad_there = int(sums[end] - sums[start]), int(bads[end] - bads[start])
    outside, bad_outside = total - there, bad - bad_there
    if best < _LEAST_RATIO or not outside or bad_there / there < _LEAST_EXCESS * bad_outside / outside:
        return None
    begins = series.started + timedelta(seconds=start * series.step_s)
    ends = series.started + timedelta(seconds=end * series.step_s)
    return ErrorWindow(begins, ends, there, bad_there, outside, bad_outside)


def _lengths(steps: int) -> list[int]:
    """Return lengths of windows, each about an eighth longer than the one before, up to half of the run."""
    found, length = [], 1.0
    while length <= max(1.0, steps * _LONGEST_PART):
        found.append(round(length))
        length = max(length + 1, length * 1.12)
    return found


def _log_ratio(inside: Ints, bad_inside: Ints, total: int, bad: int) -> Floats:
    """Return the log likelihood ratio of windows with a higher share of their own, 0 for other windows."""
    outside, bad_outside = total - inside, bad - bad_inside
    with np.errstate(divide="ignore", invalid="ignore"):
        higher = bad_inside * outside > bad_outside * inside
        ratio = _entropy(bad_inside, inside) + _entropy(bad_outside, outside) - _whole(total, bad)
    return np.where(higher, np.nan_to_num(ratio), 0.0)


def _entropy(bad: Ints, of: Ints) -> Floats:
    share = bad / of
    entropy: Floats = np.nan_to_num(bad * np.log(share)) + np.nan_to_num((of - bad) * np.log1p(-share))
    return entropy


def _whole(total: int, bad: int) -> float:
    share = bad / total
    return bad * math.log(share) + (total - bad) * math.log1p(-share)


def find_slow_start(series: Series) -> SlowStart | None:
    """Return how long it was slower at the beginning; None where it was not.

    MSER-5: the cut that makes the mean of the rest surest, over batches of five steps, in the first half only.
    Source: White, Cobb & Spratt 2000, Winter Simulation Conference.
    """
    steps = [step for step, p50_s in enumerate(series.p50_s) if p50_s is not None]
    medians = np.array([series.p50_s[step] for step in steps], np.float64)
    # Their medians, where the source has means: one long stop must not hide a beginning.
    batches = np.median(medians[: medians.size // 5 * 5].reshape(-1, 5), axis=1)
    size = batches.size
    if size < _LEAST_BATCHES:
        return None
    errors = [float(batches[cut:].var() / (size - cut)) for cut in range(size // 2)]
    cut = int(np.argmin(errors))
    early, rest = float(batches[:cut].mean()) if cut else 0.0, float(batches[cut:].mean())
    # Steps in which nothing was answered are time as well.
    span_s = float(steps[cut * 5]) * series.step_s
    if early < _LEAST_SLOWER * rest:
        return None
    return SlowStart(span_s, early, rest, is_sure=_is_sure(batches, cut))


def _is_sure(batches: Floats, cut: int) -> bool:
    """Return whether a beginning is over, and slower than what wanders in the rest of the run."""
    early, rest = float(np.median(batches[:cut])), batches[cut:]
    middle = float(np.median(rest))
    # Medians, so that one long stop in the rest hides nothing (Rousseeuw & Croux 1993, JASA 88, for the factor).
    spread = _OF_MEDIANS * float(np.median(np.abs(rest - middle)))
    return cut <= batches.size * _SURE_PART and early - middle >= _SURE_TIMES * spread


def find_pauses(state: LoadState) -> tuple[Pause, ...]:
    """Return when nothing was started though requests were under way, the longest first.

    Clients that wait for an answer before they ask again send less while a service is slow, and so measure less of
    it than users would see (coordinated omission). A pause is at least five times as long as the gap between starts
    that 999 of 1,000 stay under.
    """
    seconds, counts = state.started.items()
    if seconds.size < _LEAST_BATCHES:
        return ()
    empty = np.diff(seconds) - 1
    usual = _usual_gap(counts, empty)
    ends = np.array([state.until.get(second, second) for second in seconds.tolist()], np.int64)
    latest = np.maximum.accumulate(ends)
    long = (empty >= _LEAST_PAUSE_S) & (empty >= _LONGER * usual) & (latest[:-1] > seconds[:-1] + 1)
    found = [
        Pause(datetime.fromtimestamp(int(seconds[at]) + 1, UTC), float(empty[at])) for at in np.flatnonzero(long)
    ]
    return tuple(sorted(found, key=lambda pause: -pause.span_s)[:_MOST_PAUSES])


def _usual_gap(counts: Ints, empty: Ints) -> float:
    """Return the gap in seconds that 999 of 1,000 gaps between starts stay under, as far as seconds tell it."""
    gaps = np.concatenate((1 / counts, empty[empty > 0].astype(np.float64)))
    times = np.concatenate((counts, np.ones(int((empty > 0).sum()), np.int64)))
    order = np.argsort(gaps)
    sums = np.cumsum(times[order])
    return float(gaps[order][int(np.searchsorted(sums, 0.999 * sums[-1]))])


def find_waiting(state: LoadState, span_s: float) -> Waiting | None:
    """Return how many users waited for an answer, where it was less than half of them; None where it was more.

    Little 1961, Operations Research 9(3): as many are in a system as come a second, times how long they stay.
    """
    if not state.users or span_s <= 0:
        return None
    users = sum(state.users.values()) / len(state.users)
    waiting = sum(request.sum_all_us for request in state.requests) / 1e6 / span_s
    return Waiting(users, waiting) if users >= 2 and waiting < _LEAST_IDLE * users else None
