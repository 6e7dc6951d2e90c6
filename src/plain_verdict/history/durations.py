"""Durations that changed their level: since which build, and by how much. Numbers only.

Durations are compared as logarithms, less what all of a build have in common: a slow machine slows all.
Source: Matteson & James 2014, JASA 109(505), section 2.3: the likeliest change point divides the series, and its
last part is looked at again; Daly et al. 2020, ICPE, section 3: durations of continuous integration.
"""

import math
from bisect import bisect
from collections.abc import Callable, Sequence
from itertools import islice
from typing import NamedTuple

from plain_verdict.history.time_quantization import Levels
from plain_verdict.model.statistics import student_reach, student_tail

DURATION_BUILDS = 30
"""The most builds before the last that a statement rests on."""
LEAST_TIMES = 8
"""Passed builds with a time, before the last, below which nothing is called slower or faster."""
NORMAL_AFTER = 8
"""Builds after which a new level is the normal one, where no rule says another number."""
_LEAST_BEFORE = 5
"""Times that a level before a change rests on."""
_LEAST_CHANGE = 0.2
_LEAST_MS = 25
"""A change below these is a trifle: 20 %, and what timers and schedulers do to 50 ms."""
_SOFT_MS = 5  # added to each time, so that a millisecond is nothing beside five
_ROUNDED_SCALE = 0.12  # what rounding to a growth of 1.25 does to the logarithm of a time
_LEAST_SCALE = 0.03  # of logarithms: times closer together than 3 % are as good as equal
_FALSELY_SLOWER, _FALSELY_FASTER = 0.025, 0.005
"""The share of chance in what is called slower and faster."""
_FIRST_SPLITS = (10.0, 4.0, 2.0)
_LATER_SPLITS = 6.0
"""By which the chance of a split is multiplied, as the best of several is taken: after one build, two, three, or
more. They share one risk; most of it goes to three builds, from which on a change is worth its line.
"""
_FAR_BETTER = 0.9
_CLIPPED_AT = 3.5  # scales from the level before, so that one extreme build is no level
_STANDS_OUT = 4.0  # scales
_QUORUM = 0.75
"""Of the builds since a change, those that must lie on its side of the level before: most of a level, not most of
its sum."""
_SIDE = 0.5  # scales
MAD_TO_SIGMA = 1.4826  # Source: Rousseeuw & Croux 1993, JASA 88(424), section 1
_TUNED_AT = 2.5  # scales from the median at which a level's own times are clipped
_CLIPPED_VARIANCE = 0.9775  # of a standard normal variable that is clipped there
_EFFICIENCY = 0.9
"""What a clipped level knows, beside a mean and a standard deviation. Source: Huber 1964, Ann. Math. Stat. 35(1),
table I"""
_SAMPLE, _LEAST_SAMPLE, _LEAST_COMMON = 1_000, 5, 8
"""Checks by which the common factor of builds and the usual scatter are found; with fewer there is no common
factor."""
_MANY_DURATIONS = 5_000
"""Durations above which most are passed over by a rough scale, of quartiles, and fewer scales than it takes."""
_QUARTILES_TO_SIGMA, _ROUGHLY = 1.349, 3.4
_NEAR = 1.1
"""Below this ratio to the level before, the last two builds are no candidates."""


class LevelShift(NamedTuple):
    """A duration at another level: in the last ``builds`` builds, after ``known`` others.

    ``change`` is the share it is longer (0.62 is 62 %), ``low`` and ``high`` bound it with 95 % confidence.
    """

    position: int
    builds: int
    now: int
    before: int
    change: float
    low: float
    high: float
    known: int


class LevelShifts(NamedTuple):
    """What changed, how many durations could be compared, and by which share the whole last build took longer."""

    found: list[LevelShift]
    tested: int
    pace: float


def find_level_shifts(
    columns: Sequence[Sequence[int]], *, normal_after: int = NORMAL_AFTER, rounding: Levels | None = None
) -> LevelShifts:
    """Return which durations are at another level in the last builds, and stay there.

    ``columns`` has the milliseconds of one build each, the oldest first, in one order; 0 counts for nothing. A
    level of more than ``normal_after`` builds is the normal one. ``rounding``: earlier builds are rounded so; then
    all are, and only levels that are apart count.
    Source: Benjamini & Hochberg 1995, JRSS B 57(1), for the share of chance.
    """
    columns = columns[-(DURATION_BUILDS + 1) :]
    if len(columns) <= LEAST_TIMES:
        return LevelShifts([], 0, 0.0)
    series = _Durations(columns, normal_after, rounding)
    tested, found = series.shifts()
    slower = [pair for pair in found if pair[1].change > 0]
    faster = [pair for pair in found if pair[1].change <= 0]
    shifts = [*_discoveries(slower, _FALSELY_SLOWER, tested), *_discoveries(faster, _FALSELY_FASTER, tested)]
    return LevelShifts(shifts, tested, math.expm1(series.common[-1]))


def _discoveries(found: list[tuple[float, LevelShift]], falsely: float, tested: int) -> list[LevelShift]:
    """Return what is no chance, of ``tested`` that were looked at, but for the share ``falsely``."""
    found.sort(key=lambda pair: pair[0])
    last = 0
    for rank, (chance, _) in enumerate(found, 1):
        if chance <= falsely * rank / tested:
            last = rank
    return [shift for _, shift in found[:last]]


class _Split(NamedTuple):
    """A series in two: the level before the last ``after`` entries, its scatter, and their chance."""

    chance: float
    after: int
    middle: float
    scale: float
    freedom: float
    scatter: float
    """The distances of all entries from the medians of their parts, added up."""


def _may_differ(latest: float, previous: float, known: Sequence[int]) -> bool:
    """Return whether the last two times, or the last alone, are away from earlier ones.

    ``known`` are the least of those, their median, and the greatest; nothing where there are none.
    """
    if not known:
        return True
    least, level, most = known
    low, high = (latest, previous) if latest < previous else (previous, latest)
    both = low > _NEAR * level or high * _NEAR < level
    return both or latest > most * _NEAR or latest * _NEAR < least


def _log(time: int) -> float:
    """Return the logarithm of a time, which is never 0; 0 of none."""
    return math.log(time + _SOFT_MS) if time else 0.0


def _clipped(distance: float) -> float:
    return max(-_CLIPPED_AT, min(_CLIPPED_AT, distance))


def _stays(distances: Sequence[float], sign: int) -> bool:
    """Return whether most of a part lies on one side of the level before, its last entry among them."""
    on_side = sum(value * sign >= _SIDE for value in distances)
    return distances[-1] * sign >= _SIDE and on_side >= _QUORUM * len(distances)


def _best(splits: Sequence[_Split | None]) -> _Split | None:
    """Return the split whose parts scatter least, of those that noise does not explain."""
    likely = [split for split in splits if split and split.chance <= _FALSELY_SLOWER]
    return min(likely, key=lambda split: split.scatter, default=None)


class _Durations:
    """Durations of several builds, with what is common to a build and how far they usually scatter."""

    def __init__(self, columns: Sequence[Sequence[int]], normal_after: int, rounding: Levels | None) -> None:
        self._columns = columns
        self._normal_after = normal_after
        self._rounding = rounding
        # Rounded where they are looked at: of most checks that is three or four times of thirty.
        self._round: Callable[[int], int] = rounding.rounded.__getitem__ if rounding else int
        self._least_scale = _ROUNDED_SCALE if rounding else _LEAST_SCALE
        self.common = [0.0] * len(columns)
        timed = [position for position, time in enumerate(columns[-1]) if time]
        self._are_many = len(timed) > _MANY_DURATIONS
        sample = timed[:: max(1, len(timed) // _SAMPLE)]
        if len(sample) >= _LEAST_COMMON:
            self._take_common(sample)
        self._rough_scale = self._middle_scale(sample)
        self._prior_variance, self._prior_freedom, self._stands_out = self._usual_scatter(sample)

    def _times(self, position: int) -> list[int]:
        """Return a duration, build after build."""
        return list(map(self._round, [column[position] for column in self._columns]))

    def _logs(self, position: int) -> list[float]:
        """Return the logarithms of a duration, build after build, without what is common."""
        rows = zip(self._times(position), self.common, strict=True)
        return [_log(time) - common for time, common in rows if time]

    def _take_common(self, sample: Sequence[int]) -> None:
        """Find what is common to each build: the median of how far its times are from their levels."""
        rows = {position: [_log(time) for time in self._times(position)] for position in sample}
        levels = {position: _median(sorted(filter(None, row))) for position, row in rows.items()}
        for build in range(len(self._columns)):
            distances = [log - levels[position] for position, row in rows.items() if (log := row[build])]
            if len(distances) >= _LEAST_COMMON:
                self.common[build] = _median(sorted(distances))

    def _middle_scale(self, sample: Sequence[int]) -> float:
        """Return the median of the durations' scales, by their median absolute deviations."""
        scales = [_mad(logs)[1] for position in sample if len(logs := self._logs(position)[:-1]) >= LEAST_TIMES]
        return max(_median(sorted(scales)) if scales else 0.0, self._least_scale)

    def _usual_scatter(self, sample: Sequence[int]) -> tuple[float, float, bool]:
        """Return the usual variance of a duration, its degrees of freedom, and whether single times stand out.

        Source: Smyth 2004, Stat. Appl. Genet. Mol. Biol. 3(1), section 6.2; digamma and trigamma by their first
        terms.
        """
        logs_of_variance = []
        freedom = 0.0
        stand_out = False
        for position in sample:
            logs = self._logs(position)[:-1]
            if len(logs) < LEAST_TIMES:
                continue
            middle, scale = self._level(logs)
            scale = max(scale, self._least_scale)
            stand_out = stand_out or max(logs) > middle + _STANDS_OUT * scale
            freedom = _EFFICIENCY * (len(logs) - 1)
            logs_of_variance.append(2 * math.log(scale))
        if len(logs_of_variance) < _LEAST_SAMPLE:
            return 0.0, 0.0, stand_out
        half = freedom / 2
        mean = sum(logs_of_variance) / len(logs_of_variance)
        spread = sum((log - mean) ** 2 for log in logs_of_variance) / (len(logs_of_variance) - 1)
        rest = spread - (1 / half + 1 / (2 * half**2) + 1 / (6 * half**3))
        prior = 2 * (0.5 + 1 / rest) if rest > 0.02 else 100.0
        log_prior = mean + 1 / (2 * half) + 1 / (12 * half**2) - 1 / prior - 1 / (3 * prior**2)
        return math.exp(log_prior), prior, stand_out

    def shifts(self) -> tuple[int, list[tuple[float, LevelShift]]]:
        """Return how many durations can be compared, and which are at another level, each with the chance of it.

        Most are not, and are looked at no further than their last two builds.
        """
        *before, last, now = self._columns
        recent = min(self._normal_after, len(before) - _LEAST_BEFORE)
        earlier = before[: len(before) - recent] if recent > 0 else before
        round_ = self._round
        factor_last, factor_now = map(math.exp, self.common[-2:])
        tested = 0
        found: list[tuple[float, LevelShift] | None] = []
        rows = zip(now, last, map(sorted, zip(*earlier, strict=True)), strict=True)
        for position, (time, previous, times) in enumerate(rows):
            known = times if times[0] else times[bisect(times, 0) :]  # without builds that tell no time
            if time and (len(known) >= LEAST_TIMES or self._is_known(position)):
                tested += 1
                latest = round_(time) / factor_now
                # The order of times is that of rounded ones.
                ends = (round_(known[0]), round_(known[len(known) // 2]), round_(known[-1])) if known else ()
                if _may_differ(latest, round_(previous) / factor_last or latest, ends):
                    found.append(self._shift_of(position, known))
        return tested, list(filter(None, found))

    def _looks_shifted(self, position: int, known: Sequence[int]) -> bool:
        """Return whether one of the last parts may be at another level, by a rough scale: where there are many."""
        times = self._times(position)
        if self._rounding and known and not self._rounding.surely_differ(times[-1], known[len(known) // 2]):
            return False
        known = list(map(self._round, known))
        quarter = len(known) // 4
        if not self._are_many or not quarter:
            return True
        level = _log(known[len(known) // 2])
        rough = (_log(known[-1 - quarter]) - _log(known[quarter])) / _QUARTILES_TO_SIGMA
        freedom = self._prior_freedom + len(known)
        variance = (self._prior_freedom * self._prior_variance + len(known) * rough**2) / freedom
        scale = max(math.sqrt(variance), self._least_scale)
        total, after = 0.0, 0
        for time, common in zip(times[::-1], self.common[::-1], strict=True):
            if time:
                total, after = total + _log(time) - common - level, after + 1
                if abs(total) / after >= _ROUGHLY * scale * _error(after, len(known)):
                    return True
            if after == self._normal_after:
                break
        return False

    def _is_known(self, position: int) -> bool:
        """Return whether a duration has enough times, this one not among them."""
        return sum(bool(column[position]) for column in self._columns) > LEAST_TIMES

    def _shift_of(self, position: int, known: Sequence[int]) -> tuple[float, LevelShift] | None:
        """Return how a duration is at another level, with the chance of it; None where it is not.

        ``known`` are its times before the last builds, sorted.
        """
        if not self._looks_shifted(position, known):
            return None
        logs = self._logs(position)
        while True:
            split = self._best_split(logs)
            if split is None:
                return None
            if split.after <= self._normal_after:
                break
            # That level is the normal one now; what came later is compared with it.
            logs = logs[-split.after :]
        after = logs[-split.after :]
        change = (_median(sorted(after)) if len(after) > 2 else sum(after) / len(after)) - split.middle
        before_ms = max(0.0, math.exp(split.middle) - _SOFT_MS)
        now_ms = self._round(self._columns[-1][position])
        shift_ms = abs(math.expm1(change)) * before_ms
        if self._rounding and not self._rounding.surely_differ(now_ms, round(before_ms)):
            return None
        if shift_ms < max(_LEAST_MS, _LEAST_CHANGE * min(before_ms, before_ms * math.exp(change))):
            return None
        before = len(logs) - split.after
        reach = student_reach(split.freedom) * split.scale * _error(split.after, before)
        shift = LevelShift(
            position,
            self._builds_since(position, split.after),
            now_ms,
            round(before_ms),
            math.expm1(change),
            math.expm1(change - reach),
            math.expm1(change + reach),
            before,
        )
        return split.chance, shift

    def _builds_since(self, position: int, times: int) -> int:
        """Return how many builds the last so many times span."""
        timed = (build for build, column in enumerate(reversed(self._columns), 1) if column[position])
        return next(islice(timed, times - 1, None))

    def _best_split(self, logs: Sequence[float]) -> _Split | None:
        """Return the change point by which the two parts scatter least, of those that noise does not explain.

        One so long ago that the new level is the normal one must be better by far than a later one.
        """
        most = len(logs) - _LEAST_BEFORE
        recent = _best([self._split(logs, after) for after in range(1, min(most, self._normal_after) + 1)])
        if recent is None and self._are_many:
            return None
        older = _best([self._split(logs, after) for after in range(self._normal_after + 1, most + 1)])
        is_older = recent is None or (older and older.scatter < _FAR_BETTER * recent.scatter)
        return older if is_older else recent

    def _level(self, logs: Sequence[float]) -> tuple[float, float]:
        """Return the middle of some logarithms and their scale; those far out count as less far."""
        median, mad = _mad(logs)
        reach = _TUNED_AT * max(mad, self._rough_scale)
        clipped = [max(-reach, min(reach, log - median)) for log in logs]
        mean = sum(clipped) / len(clipped)
        variance = sum((value - mean) ** 2 for value in clipped) / (len(clipped) - 1)
        return median + mean, math.sqrt(variance / _CLIPPED_VARIANCE)

    def _split(self, logs: Sequence[float], after: int) -> _Split | None:
        before = logs[:-after]
        middle, scale = self._level(before)
        freedom = _EFFICIENCY * (len(before) - 1)
        variance = (self._prior_freedom * self._prior_variance + freedom * scale**2) / (
            self._prior_freedom + freedom
        )
        scale = max(math.sqrt(variance), self._least_scale)
        distances = [(log - middle) / scale for log in logs[-after:]]
        # A build alone may be an extreme one: it counts where no single time stood out like that before.
        if after == 1 and self._stands_out:
            return None
        total = sum(distances) if after == 1 else sum(map(_clipped, distances))
        if not _stays(distances, 1 if total > 0 else -1):
            return None
        freedom += self._prior_freedom
        t = abs(total) / after / _error(after, len(before))
        factor = _FIRST_SPLITS[after - 1] if after <= len(_FIRST_SPLITS) else _LATER_SPLITS
        chance = factor * student_tail(t, max(3, round(freedom)))
        scatter = _distances(before) + _distances(logs[-after:])
        return _Split(chance, after, middle, scale, max(3.0, freedom), scatter)


def _mad(logs: Sequence[float]) -> tuple[float, float]:
    """Return the median of some logarithms, and their scale by the median absolute deviation."""
    median = _median(sorted(logs))
    return median, MAD_TO_SIGMA * _median(sorted(abs(log - median) for log in logs))


def _distances(logs: Sequence[float]) -> float:
    median = _median(sorted(logs))
    return sum(abs(log - median) for log in logs)


def _error(after: int, before: int) -> float:
    """Return the standard error of a difference of levels, in scales."""
    return math.sqrt(1 / after + 1 / (_EFFICIENCY * before))


def _median(in_order: Sequence[float]) -> float:
    half = len(in_order) // 2
    return in_order[half] if len(in_order) % 2 else (in_order[half - 1] + in_order[half]) / 2
