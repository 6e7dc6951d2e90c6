"""What several builds tell of a check together: that it is flaky, that it takes longer. Numbers only."""

import math
from collections.abc import Iterator, Sequence
from itertools import pairwise

import msgspec

from plain_verdict.model import Past
from plain_verdict.model.statistics import student_tail

LOOKED_AT = 20
"""The most builds that a statement on flakiness or on times rests on."""
LEAST_RUNS = 5
"""The fewest runs from which a check is called flaky."""
LEAST_TIMES = 8
"""Passed builds with a time below which nothing is called slower or faster."""
_TURNS_BY_ITSELF, _TURNS_WITH_CODE = 3, 4
"""Turns between passed and failed from which on a check is flaky: where no run names its code, or it changed."""
_LEAST_SHARE, _LEAST_S = 0.2, 0.5
"""A change of time below these is a trifle."""
_FALSE_DISCOVERIES = 0.04
"""Aimed at: what is left of 5 % once trifles, which are true changes as well, are left out."""
_SOFT_MS = 50  # so that a few milliseconds are nothing beside others
_LEAST_SCALE = 0.03  # of logarithms: times closer together than 3 % are as good as equal
_MAD_TO_SIGMA = 1.4826  # Source: Rousseeuw & Croux 1993, JASA 88(424), section 1
_MAD_EFFICIENCY = 0.37  # as above: what a MAD knows of the scale, beside a standard deviation
_MEDIAN_VARIANCE = math.pi / 2
_RAN = "pfer"
_GOOD_LETTERS = "pr"


class Unsteady(msgspec.Struct, frozen=True):
    """In how many of its runs a check failed or needed a retry, and why that is called flaky."""

    unsteady: int
    runs: int
    retries: int
    turns: int
    """How often it outcome changed."""
    same_code: int
    """How often it did so though the code was the same."""


def find_flakiness(outcomes: Sequence[str], commits: Sequence[str]) -> Unsteady | None:
    """Return how a check is flaky, from its outcomes in the order of time; None where it does not.

    It does where it passed only on a retry, outcome changed on the same code, or turned so often
    that mending and breaking it again does not explain it. ``commits`` is the code of each run, "" where nothing
    tells it.
    """
    ran = [pair for pair in zip(outcomes, commits, strict=True) if pair[0] in _RAN][-LOOKED_AT:]
    if len(ran) < LEAST_RUNS:
        return None
    letters = [outcome for outcome, _ in ran]
    retries = letters.count(Past.PASSED_ON_RETRY)
    turned = _turns(ran)
    same_code = sum(before == after != "" for before, after in turned)
    # Where the code of each run is known, fewer turns are told from repairs.
    enough = _TURNS_WITH_CODE if all(map(all, turned)) else _TURNS_BY_ITSELF
    if not (retries or same_code or len(turned) >= enough):
        return None
    return Unsteady(len(ran) - letters.count(Past.PASSED), len(ran), retries, len(turned), same_code)


def _turns(ran: Sequence[tuple[str, str]]) -> list[tuple[str, str]]:
    """Return the code before and after each turn from passed to failed or back."""
    passed = [(outcome in _GOOD_LETTERS, commit) for outcome, commit in ran]
    return [(before, after) for (low, before), (high, after) in pairwise(passed) if low != high]


class Timed(msgspec.Struct, frozen=True):
    """A time that changed: its place, now and the least and most of before, in milliseconds, and how many."""

    position: int
    now: int
    low: int
    high: int
    builds: int


def find_time_changes(
    now: Sequence[int], before: Sequence[Sequence[int]], *, least_s: float = _LEAST_S
) -> tuple[list[Timed], int]:
    """Return what took longer or less long than in each build before, and how many could be told.

    ``before`` has the times of one build each, the oldest first, in the order of ``now``; 0 counts for nothing. The
    last 20 times of each are compared by their median and median absolute deviation, as logarithms; of what is
    called slower, and of what is called faster, 5 % are expected to be chance.
    Source: Benjamini & Hochberg 1995, JRSS B 57(1).
    """
    if len(before) < LEAST_TIMES:
        return [], 0
    tested = 0
    slower: list[tuple[float, Timed]] = []
    faster: list[tuple[float, Timed]] = []
    threshold = least_s * 1000
    for position, time, is_usual in _times_now(now, before[-LOOKED_AT:], threshold):
        known = [] if is_usual else [trial for column in before if (trial := column[position])][-LOOKED_AT:]
        tested += is_usual or len(known) >= LEAST_TIMES
        if len(known) >= LEAST_TIMES and _is_outside(time, known, threshold):
            timed = Timed(position, time, min(known), max(known), len(known))
            direction = slower if time > max(known) else faster
            direction.append((_chance(time, known), timed))
    return [timed for direction in (slower, faster) for timed in _discoveries(direction, tested)], tested


def _times_now(
    now: Sequence[int], last: Sequence[Sequence[int]], threshold: float
) -> Iterator[tuple[int, int, bool]]:
    """Yield position and time of what was timed, and whether that is a usual one.

    Most stay between their extremes or near them, and are looked at no further.
    """
    for position, (time, least, most) in enumerate(zip(now, map(min, *last), map(max, *last), strict=True)):
        if time:
            is_near = least <= time <= most or max(time - least, most - time) < threshold
            yield position, time, bool(least) and is_near


def _is_outside(time: int, known: Sequence[int], threshold: float) -> bool:
    """Return whether a time lies outside of all that are known, and far enough from their middle to matter."""
    middle = sorted(known)[len(known) // 2]
    distance = abs(time - middle)
    return not min(known) <= time <= max(known) and distance >= max(_LEAST_SHARE * middle, threshold)


def _chance(time: int, before: Sequence[int]) -> float:
    """Return the one-sided probability of so extreme a time."""
    logs = sorted(math.log(time_ms + _SOFT_MS) for time_ms in before)
    middle = _median(logs)
    scale = _MAD_TO_SIGMA * _median(sorted(abs(time_ms - middle) for time_ms in logs))
    number = len(logs)
    spread = max(scale, _LEAST_SCALE) * math.sqrt(1 + _MEDIAN_VARIANCE / number)
    freedom = max(3, round(_MAD_EFFICIENCY * (number - 1)))
    return student_tail(abs(math.log(time + _SOFT_MS) - middle) / spread, freedom)


def _median(in_order: Sequence[float]) -> float:
    half = len(in_order) // 2
    return in_order[half] if len(in_order) % 2 else (in_order[half - 1] + in_order[half]) / 2


def _discoveries(found: list[tuple[float, Timed]], tested: int) -> Iterator[Timed]:
    """Yield what is no chance, of ``tested`` that were looked at."""
    found.sort(key=lambda pair: pair[0])
    last = 0
    for rank, (chance, _) in enumerate(found, 1):
        if chance <= _FALSE_DISCOVERIES * rank / tested:
            last = rank
    yield from (timed for _, timed in found[:last])
