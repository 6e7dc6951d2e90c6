"""Makes the trend of a series: from its last builds, whichever place they are read from."""

from collections import defaultdict
from collections.abc import Callable, Collection, Iterator, Sequence
from datetime import timedelta
from statistics import median

import msgspec
import numpy as np
from numpy.typing import NDArray

from plain_verdict.history.alignment import align
from plain_verdict.history.durations import DURATION_BUILDS, NORMAL_AFTER, find_level_shifts
from plain_verdict.history.flakiness import RAN
from plain_verdict.history.flaky_checks import BAD_LETTERS, FlakyChecks
from plain_verdict.history.gaps import find_gaps
from plain_verdict.history.interface import CHAIN, TREND_BUILDS
from plain_verdict.history.level_changes import MS, LevelChanges, level_change
from plain_verdict.model import (
    AlignedHistory,
    Build,
    Flakiness,
    KeptRun,
    LevelChange,
    Past,
    VerdictWord,
)
from plain_verdict.model.trends import (
    CostlyCause,
    FlakyCheck,
    LongFailure,
    TimeToFix,
    Trend,
    TrendBuild,
)

_KEPT_ENTRIES = 100  # entries of a list: pages show fewer
_MOST_FLAKY = 500  # that are looked at over all builds
_LATE_LEVEL = DURATION_BUILDS - 5  # builds after which a level of a whole build is still a change
_WHOLE: dict[str, Callable[[Build], float | None]] = {
    "duration": lambda build: build.numbers.took_s if build.numbers else None,
    "load-p95": lambda build: build.numbers.load_p95_s if build.numbers else None,
}
"""Numbers of whole builds that may be at another level, in seconds, by the name of their chart."""

Letters = NDArray[np.uint8]
Mask = NDArray[np.bool_]


def make_trend(
    runs: Sequence[KeptRun],
    step: timedelta | None = None,
    *,
    normal_after: int = NORMAL_AFTER,
    other_branches: Collection[str] = (),
) -> Trend:
    """Return the trend of the runs of a series, at least one, the oldest first.

    ``step`` is the schedule of the series; ``other_branches`` are builds of other branches. After ``normal_after``
    builds a duration is the normal one.
    """
    runs = runs[-TREND_BUILDS:]
    now = runs[-1]
    traces = align(now.check_index, runs[:-1])
    letters = _Letters(now, traces)
    builds = [run.build for run in runs]
    gaps = find_gaps(builds, step, other_branches)
    # What is flaky or slow now is decided by the last builds, as in a report; counts are of all.
    recent = _last(traces, DURATION_BUILDS)
    flaky = list(FlakyChecks(now, recent).flaky())
    slower = [change for change in LevelChanges(now, recent, normal_after).slower if change.unit == "s"]
    failing = list(letters.failing())
    causes = _causes(builds)
    fit = next((build for build in reversed(builds) if build.verdict is VerdictWord.FIT), None)
    return Trend(
        tuple(
            TrendBuild(build, *counts, missing=gaps.get(position, ()))
            for position, (build, counts) in enumerate(zip(builds, letters.counts(), strict=True))
        ),
        tuple(_Lost(now, traces).most_flaky(flaky[:_MOST_FLAKY])[:_KEPT_ENTRIES]),
        tuple(failing[:_KEPT_ENTRIES]),
        tuple(sorted(slower, key=lambda change: -change.change)[:_KEPT_ENTRIES]),
        tuple(causes[:_KEPT_ENTRIES]),
        (len(flaky), len(failing), len(slower), len(causes)),
        letters.time_to_fix({check.id for check in flaky}),
        (now.build.moment - fit.moment).total_seconds() if fit else None,
        fit.label if fit else "",
        dict(_levels(builds)),
    )


def _last(traces: AlignedHistory, number: int) -> AlignedHistory:
    """Return the last builds of traces."""
    return msgspec.structs.replace(
        traces,
        builds=traces.builds[-number:],
        outcomes=traces.outcomes[-number:],
        times=traces.times[-number:],
        other_outcomes=traces.other_outcomes[-number:],
    )


def _levels(builds: Sequence[Build]) -> Iterator[tuple[str, LevelChange]]:
    """Yield the numbers of whole builds that are at another level."""
    for name, number_of in _WHOLE.items():
        # A single column has nothing in common with others, so no pace is taken out of it.
        columns = [[round((number_of(build) or 0) * MS)] for build in builds]
        for shift in find_level_shifts(columns, normal_after=_LATE_LEVEL).found if any(columns[-1]) else ():
            yield name, level_change(shift, "", name, builds, MS)


def _causes(builds: Sequence[Build]) -> list[CostlyCause]:
    """Return the causes of some builds, the longest time first."""
    found: dict[str, list[tuple[Build, int]]] = defaultdict(list)
    for build in builds:
        for position, cause in enumerate(build.causes):
            found[cause.key].append((build, position))
    causes = []
    for key, entries in found.items():
        parts = [build.causes[position] for build, position in entries]
        took_s = sum(part.took_s for part in parts)
        failures = sum(part.checks for part in parts)
        causes.append(
            CostlyCause(key, parts[-1].name, failures, len(parts), round(took_s, 3), entries[-1][0].label)
        )
    return sorted(causes, key=lambda cause: (-cause.took_s, -cause.failures, cause.name))


class _Letters:
    """The outcomes of all checks in all builds: a row a build, this run's checks first."""

    def __init__(self, now: KeptRun, traces: AlignedHistory) -> None:
        self._index = now.check_index
        self._owners = _owners(now)
        self._builds = [*traces.builds, now.build]
        # Checks that are gone count in the builds that had them.
        absent = Past.ABSENT * len(traces.others)
        texts = [
            *(row + others for row, others in zip(traces.outcomes, traces.other_outcomes, strict=True)),
            now.outcomes + absent,
        ]
        self._rows: list[Letters] = [np.frombuffer(text.encode("ascii"), np.uint8) for text in texts]
        self._bad: list[Mask] = [_any_of(row, BAD_LETTERS) for row in self._rows]
        self._ran: list[Mask] = [_any_of(row, RAN) for row in self._rows]

    def counts(self) -> Iterator[tuple[int | None, int | None, int | None, int]]:
        """Yield the failures of each build that are new, failing again and still failing; and passes on a retry.

        One that failed longer ago than a page's chain reaches is new, as on the page.
        """
        before: Mask | None = None
        last_bad = np.full(self._rows[0].size, -CHAIN - 1)
        for at, (build, row) in enumerate(zip(self._builds, self._rows, strict=True)):
            bad = self._bad[at]
            flaky = int(np.count_nonzero(row == ord(Past.PASSED_ON_RETRY)))
            if not self._ran[at].any() and build.tally.total:
                yield None, None, None, 0  # a build of which only the counts are kept
                continue
            if before is None:
                yield None, None, None, flaky
            else:
                failed = build.tally.failed + build.tally.errored
                # The tally is what the report said; letters of checks that are gone may be left out.
                still = min(failed, int(np.count_nonzero(bad & before)))
                again = int(np.count_nonzero(bad & ~before & (at - last_bad <= CHAIN)))
                again = min(failed - still, again)
                yield failed - still - again, again, still, flaky
            last_bad[bad] = at
            before = bad

    def failing(self) -> Iterator[LongFailure]:
        """Yield the checks that fail in the newest build, those that fail for longest first."""
        positions = np.flatnonzero(self._bad[-1])
        alive = np.ones(positions.size, bool)
        since = np.full(positions.size, len(self._builds) - 1)
        number = np.zeros(positions.size, int)
        # Backwards, until a build in which the check ran and did not fail.
        for at in range(len(self._builds) - 1, -1, -1):
            bad, ran = self._bad[at][positions], self._ran[at][positions]
            alive &= bad | ~ran
            since[alive & bad] = at
            number += alive & bad
        newest = self._builds[-1].moment
        rows = sorted(zip(since.tolist(), positions.tolist(), number.tolist(), strict=True))
        for first, position, builds in rows:
            build, id_ = self._builds[first], self._index.ids[position]
            span_s = (newest - build.moment).total_seconds()
            name, owner = self._index.names[position], self._owners.get(id_, "")
            # Where it was not there, or left out, in the first known build, it began since.
            yield LongFailure(id_, name, build.label, builds, span_s, first == 0 and len(self._builds) > 1, owner)

    def time_to_fix(self, flaky: Collection[str]) -> TimeToFix | None:
        """Return the median time to fix of all failures that began and ended in these builds.

        Those of ``flaky`` checks are left out: nobody fixed them.
        """
        size = self._rows[0].size
        steady = np.ones(size, bool)
        steady[[position for position, id_ in enumerate(self._index.ids) if id_ in flaky]] = False
        began = np.full(size, -1)  # in which build a check began to fail
        is_bad, is_known = np.zeros(size, bool), np.zeros(size, bool)
        moments = np.array([build.moment.timestamp() for build in self._builds])
        spans_s: list[float] = []
        builds: list[int] = []
        for at, (bad, ran) in enumerate(zip(self._bad, self._ran, strict=True)):
            # A failure that began before these builds tells no time to fix.
            began[bad & ~is_bad & is_known] = at
            fixed = np.flatnonzero(ran & ~bad & is_bad & steady & (began >= 0))
            builds += (at - began[fixed]).tolist()
            spans_s += (moments[at] - moments[began[fixed]]).tolist()
            began[ran & ~bad] = -1
            is_bad = np.where(ran, bad, is_bad)
            is_known |= ran
        if not builds:
            return None
        return TimeToFix(float(median(builds)), float(median(spans_s)), len(builds))


def _any_of(row: Letters, letters: str) -> Mask:
    return np.isin(row, np.frombuffer(letters.encode("ascii"), np.uint8))


def _owners(run: KeptRun) -> dict[str, str]:
    """Return who owns each failure of a run."""
    return {failure.id: failure.owner for failure in run.detail.failures} if run.detail else {}


class _Lost:
    """What the failed attempts of single checks took."""

    def __init__(self, now: KeptRun, traces: AlignedHistory) -> None:
        self._builds = [*traces.builds, now.build]
        self._rows = [*traces.outcomes, now.outcomes]
        self._times = [*traces.times, now.times]
        self._positions = traces.positions
        self._retries = [{lost.id: lost.took_s for lost in build.lost} for build in self._builds]
        self._owners = _owners(now)

    def most_flaky(self, flaky: Sequence[Flakiness]) -> list[FlakyCheck]:
        """Return flaky checks with all that is known of them, the most flaky first, then those that cost most."""
        return sorted(map(self._of, flaky), key=lambda check: (-check.unsteady / check.runs, -check.lost_s))

    def _of(self, flaky: Flakiness) -> FlakyCheck:
        position = self._positions[flaky.id]
        letters = [row[position] for row in self._rows]
        unsteady = [at for at, letter in enumerate(letters) if letter in "fer"]
        lost_s = sum(self._retries[at].get(flaky.id, 0.0) for at in unsteady)
        lost_s += sum(
            self._times[at][position] / MS for at in unsteady if letters[at] in BAD_LETTERS and self._times[at]
        )
        return FlakyCheck(
            flaky.id,
            flaky.name,
            len(unsteady),
            sum(letter in RAN for letter in letters),
            round(lost_s, 3),
            self._builds[unsteady[-1]].label,
            self._owners.get(flaky.id, ""),
        )
