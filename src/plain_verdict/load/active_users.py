"""What a load run tells by the number of users, and by time and duration together: from seconds and coarse bins."""

import numpy as np

from plain_verdict.load.bins import COARSE_BITS, Floats, Ints, least_of
from plain_verdict.load.counts import starts_of
from plain_verdict.load.percentiles import least_count
from plain_verdict.load.state import LoadState, split_seconds
from plain_verdict.model import Heat, UserLevel

_MOST_USER_LEVELS = 12  # more are no longer read one by one
_LEAST_LEVELS = 4  # fewer show no trend
_LEAST_SECONDS = 5
"""Of a level, for it to be told."""
_HEAT_COLUMNS = 90  # at 10 units each as wide as the chart
_PARTS_PER_DOUBLING = 4
"""Rows of a heat map for each doubling of the time."""
_STEPS_S = (1, 2, 5, 10, 15, 20, 30, 60, 120, 300, 600, 900, 1800, 3600, 7200, 21600, 86400)


def step_for(span_s: int, most: int) -> int:
    """Return the steps, in whole seconds, that divide a time into at most so many: round ones where they do."""
    widest = span_s // most + 1
    return next((step for step in _STEPS_S if span_s // step < most), widest)


def user_levels(state: LoadState) -> tuple[UserLevel, ...]:
    """Return what requests took at each number of users; nothing where these hardly vary.

    A level is a part of the numbers of users that there were, in equal steps.
    """
    if not state.users:
        return ()
    seconds = np.array(sorted(state.users), np.int64)
    users = np.array([state.users[second] for second in seconds.tolist()], np.int64)
    most, fewest = int(users.max()), int(users.min())
    width = max(1, -(-(most - fewest + 1) // _MOST_USER_LEVELS))
    levels = (users - fewest) // width
    starts, counts = state.started.items()
    bad_starts, bad_counts = state.failed.items()
    keys, times = state.seconds.items()
    at, bins = split_seconds(keys)
    found = []
    for level in np.unique(levels).tolist():
        seconds_of_level = seconds[levels == level]
        if seconds_of_level.size < _LEAST_SECONDS:
            continue
        inside = np.isin(at, seconds_of_level)
        order = np.argsort(bins[inside], kind="stable")
        sums = np.cumsum(times[inside][order])
        requests, failed = (
            int(counts[np.isin(starts, seconds_of_level)].sum()),
            int(bad_counts[np.isin(bad_starts, seconds_of_level)].sum()),
        )
        found.append(
            UserLevel(
                users=fewest + level * width,
                most_users=min(most, fewest + (level + 1) * width - 1),
                requests=requests,
                failed=failed,
                per_second=requests / seconds_of_level.size,
                p50_s=_at(bins[inside][order], sums, 0.5),
                p95_s=_at(bins[inside][order], sums, 0.95),
            )
        )
    return tuple(found) if len(found) >= _LEAST_LEVELS else ()


def _at(bins: Ints, sums: Ints, share: float) -> float | None:
    """Return the time at a share of all, in seconds, from coarse bins in their order; None where it is too few."""
    if not sums.size or sums[-1] < least_count(share):
        return None
    at = int(np.searchsorted(sums, np.ceil(share * sums[-1])))
    return float(_middle(bins[at : at + 1])[0]) / 1e6


def _middle(bins: Ints) -> Floats:
    return (least_of(bins, COARSE_BITS) + least_of(bins + 1, COARSE_BITS)) / 2


def heat_of(state: LoadState) -> Heat | None:
    """Return how many answered requests took how long, and when; None where nothing was answered."""
    keys, times = state.seconds.items()
    if not keys.size:
        return None
    seconds, bins = split_seconds(keys)
    first, last = int(seconds[0]), int(seconds[-1])
    step = step_for(last - first, _HEAT_COLUMNS)
    columns = (seconds - first // step * step) // step
    rows = np.floor(np.log2(np.maximum(_middle(bins), 1.0)) * _PARTS_PER_DOUBLING).astype(np.int64)
    low, high = int(rows.min()), int(rows.max())
    cells = columns * (high - low + 1) + (rows - low)
    order = np.argsort(cells, kind="stable")
    starts = starts_of(cells[order])
    counts = np.add.reduceat(times[order], starts)
    found = cells[order][starts]
    return Heat(
        started_s=first // step * step,
        step_s=step,
        columns=int(columns.max()) + 1,
        edges_s=tuple(float(2.0 ** (row / _PARTS_PER_DOUBLING) / 1e6) for row in range(low, high + 2)),
        cells=tuple(
            (int(cell) // (high - low + 1), int(cell) % (high - low + 1), int(count))
            for cell, count in zip(found, counts, strict=True)
        ),
    )
