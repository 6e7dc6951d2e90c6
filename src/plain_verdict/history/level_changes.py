"""What takes longer or less long since a build, and numbers of whole builds that are at another level."""

from array import array
from collections.abc import Iterator, Sequence

from plain_verdict.history.durations import LevelShift, find_level_shifts
from plain_verdict.history.time_quantization import COARSE
from plain_verdict.model import AlignedHistory, Build, KeptRun, LevelChange, Measured
from plain_verdict.text.patterns import pattern

_NOT_PASSED = pattern("[^pr]")
MS = 1000.0
_FINE_STEPS = 10_000.0
"""Steps from 0 to the usual value of a metric, whose unit may be anything."""


class LevelChanges:
    """The changes of a run: of its checks, its percentiles and its metrics."""

    def __init__(self, now: KeptRun, traces: AlignedHistory, normal_after: int) -> None:
        self._now = now
        self._normal_after = normal_after
        self.tested, self.pace = 0, 0.0
        builds = [build for build in (*traces.builds, now.build) if build.measured]
        times = [*self._of_checks(traces), *self._of_percentiles(builds)]
        times.sort(key=lambda change: -abs(change.now - change.before))
        self.slower = tuple(change for change in times if change.is_more)
        self.faster = tuple(change for change in times if not change.is_more)
        self.metrics = tuple(self._of_metrics(builds))

    def _of_checks(self, traces: AlignedHistory) -> Iterator[LevelChange]:
        now = self._now
        rows = zip(
            (*traces.outcomes, now.outcomes), (*traces.times, now.times), (*traces.builds, now.build), strict=True
        )
        timed = [(of_passed(outcomes, times), build) for outcomes, times, build in rows if times]
        if not now.times:
            return
        columns = [times for times, _ in timed]
        rounding = COARSE if traces.are_coarse else None
        shifts = find_level_shifts(columns, normal_after=self._normal_after, rounding=rounding)
        self.tested, self.pace = shifts.tested, shifts.pace
        builds = [build for _, build in timed]
        for shift in shifts.found:
            id_, name = now.check_index.ids[shift.position], now.check_index.names[shift.position]
            yield level_change(shift, id_, name, builds, MS)

    def _of_percentiles(self, builds: Sequence[Build]) -> Iterator[LevelChange]:
        measured = [number for number in self._now.build.measured if number.unit == "s"]
        columns = [[round(value * MS) for value in row] for row in _rows(builds, measured)]
        for shift in find_level_shifts(columns, normal_after=self._normal_after).found if measured else ():
            yield level_change(shift, "", measured[shift.position].name, builds, MS)

    def _of_metrics(self, builds: Sequence[Build]) -> Iterator[LevelChange]:
        """Yield the metrics in other units that are at another level; they have nothing in common."""
        for metric in self._now.build.measured:
            if metric.unit == "s" or metric.value <= 0:
                continue
            values = [max(0.0, value) for (value,) in _rows(builds, [metric])]
            # Whatever its unit, a metric is looked at in steps as fine as those of milliseconds.
            scale = _FINE_STEPS / metric.value
            columns = [[min(round(value * scale), 2**31)] for value in values]
            for shift in find_level_shifts(columns, normal_after=self._normal_after).found:
                yield level_change(shift, "", metric.name, builds, scale, metric.unit)


def _rows(builds: Sequence[Build], measured: Sequence[Measured]) -> Iterator[list[float]]:
    """Yield the values of some numbers in each build, 0 where a build has none."""
    for build in builds:
        values = {(number.name, number.unit): number.value for number in build.measured}
        yield [values.get((number.name, number.unit), 0.0) for number in measured]


def level_change(
    shift: LevelShift, id_: str, name: str, builds: Sequence[Build], scale: float, unit: str = "s"
) -> LevelChange:
    """Return a shift of a number that is kept in steps, ``scale`` of them to its unit."""
    return LevelChange(
        id_,
        name,
        now=shift.now / scale,
        before=shift.before / scale,
        since=builds[-shift.builds].label,
        lasts=shift.builds,
        change=shift.change,
        low=shift.low,
        high=shift.high,
        builds=shift.known,
        unit=unit,
    )


def of_passed(outcomes: str, times: Sequence[int]) -> Sequence[int]:
    """Return the times of what passed; 0 for the rest."""
    others = [found.start() for found in _NOT_PASSED.finditer(outcomes)]
    if not others:
        return times
    passed = array("I", times)
    for position in others:
        passed[position] = 0
    return passed
