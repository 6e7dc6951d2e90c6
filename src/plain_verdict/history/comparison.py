"""What changed since an earlier run: new, fixed, still failing, removed, added; and flaky checks."""

import re
from array import array
from collections.abc import Iterator, Sequence
from datetime import timedelta

from plain_verdict.history.alignment import align
from plain_verdict.history.gaps import find_gaps
from plain_verdict.history.trends import LOOKED_AT, Timed, Unsteady, find_flakiness, find_time_changes
from plain_verdict.model import AlignedHistory, Build, Changed, ChangesSince, Flakiness, KeptRun, Past, TimeChange
from plain_verdict.model.statistics import wilson_interval
from plain_verdict.text.formatting import plural, spelled

_BAD_LETTERS = "fe"
_PASSED = "pr"
_BAD_POSITIONS = re.compile("[fe]")
_UNSTEADY = re.compile("[rfe]")
_NOT_PASSED = re.compile("[^pr]")
_MAY_BE_FLAKY = re.compile("r|p.*[fe]|[fe].*p")
_SPARE = 5  # builds more, as a check may be left out in some


def compare(now: KeptRun, traces: AlignedHistory, against: KeptRun, step: timedelta | None = None) -> ChangesSince:
    """Return what changed since ``against``, with the forerunners in ``traces``.

    ``against`` may be of another series. ``step`` is the schedule of the series, if it has one.
    """
    ids = now.check_index.ids
    beside, at = _trace_of(against, traces, now)
    before = beside.outcomes[at]
    looking = _Looking(now, traces)
    slower, faster, timed = _time_changes(now, traces)
    bad = [found.start() for found in _BAD_POSITIONS.finditer(now.outcomes)]
    was_bad = [found.start() for found in _BAD_POSITIONS.finditer(before)]
    still_failing = [position for position in bad if before[position] in _BAD_LETTERS]
    return ChangesSince(
        series=now.build.series,
        build=now.build.build,
        against=against.build,
        traces=traces,
        new=tuple(looking.new(position) for position in bad if before[position] not in _BAD_LETTERS),
        fixed=tuple(looking.fixed(position, against) for position in was_bad if now.outcomes[position] in _PASSED),
        still_failing=tuple(looking.still_failing(position) for position in still_failing),
        removed=(*looking.left_out(was_bad), *_gone(beside, at)),
        added=tuple(ids[found.start()] for found in re.finditer(re.escape(Past.ABSENT), before)),
        going_on={ids[position]: looking.in_a_row(position) for position in still_failing},
        flaky=tuple(looking.flaky()),
        slower=slower,
        faster=faster,
        timed=timed,
        missing=find_gaps([*traces.builds, now.build], step),
    )


def _trace_of(against: KeptRun, traces: AlignedHistory, now: KeptRun) -> tuple[AlignedHistory, int]:
    """Return where a run stands in the order of this one: in the traces, or alone."""
    known = [build.id for build in traces.builds]
    if against.build.id in known:
        return traces, known.index(against.build.id)
    return align(now.check_index, [against]), 0


class _Looking:
    """Looks through what became of single checks."""

    def __init__(self, now: KeptRun, traces: AlignedHistory) -> None:
        self._now = now
        self._traces = traces
        self._builds = traces.builds

    def _letters(self, position: int) -> str:
        return "".join([outcomes[position] for outcomes in self._traces.outcomes])

    def _changed(self, position: int, before: str) -> Changed:
        index = self._now.check_index
        return Changed(index.ids[position], index.names[position], before)

    def new(self, position: int) -> Changed:
        return self._changed(position, describe_past(self._letters(position), self._builds))

    def left_out(self, positions: Sequence[int]) -> Iterator[Changed]:
        """Yield those of some failures that are left out now."""
        for position in positions:
            if self._now.outcomes[position] == Past.SKIPPED:
                yield self._changed(position, "failed, and is left out now")

    def fixed(self, position: int, against: KeptRun) -> Changed:
        letters = self._letters(position).rstrip("su-")
        spell = len(letters) - len(letters.rstrip(_BAD_LETTERS))
        if not spell:
            return self._changed(position, f"failed in {against.build.label}")
        labels = [build.label for build in self._builds[len(letters) - spell : len(letters)]]
        return self._changed(position, f"failed in {_from_to(labels)}")

    def in_a_row(self, position: int) -> int:
        """Return in how many builds in a row it failed, this one among them; those that left it out don't count."""
        letters = re.sub("[su-]", "", self._letters(position))
        return 1 + len(letters) - len(letters.rstrip(_BAD_LETTERS))

    def still_failing(self, position: int) -> Changed:
        letters = self._letters(position)
        ran = [(letter, build) for letter, build in zip(letters, self._builds, strict=True) if letter not in "su-"]
        failing = self.in_a_row(position) - 1
        if not failing:
            return self._changed(position, "")
        every = failing == len(ran)
        since = ran[-failing][1].label
        words = f"failed in each of the {spelled(failing, 'build')} before" if failing > 1 else f"failed in {since}"
        return self._changed(
            position, words if every or failing == 1 else f"fails since {since}, {failing + 1} builds"
        )

    def flaky(self) -> Iterator[Flakiness]:
        """Yield the checks that are flaky, the most flaky first."""
        rows = [*self._traces.outcomes[-(LOOKED_AT + _SPARE) :], self._now.outcomes]
        commits = [build.commit for build in (*self._builds, self._now.build)][-len(rows) :]
        positions = {found.start() for row in dict.fromkeys(rows) for found in _UNSTEADY.finditer(row)}
        found = []
        for position in positions:
            letters = "".join([row[position] for row in rows])
            # What failed in every run is steady, too.
            if _MAY_BE_FLAKY.search(letters) and letters[-1] != Past.SKIPPED:
                unsteady = find_flakiness(letters, commits)
                if unsteady:
                    found.append((position, unsteady))
        found.sort(key=lambda pair: (-pair[1].unsteady / pair[1].runs, pair[0]))
        index = self._now.check_index
        for position, times in found:
            low, high = wilson_interval(times.unsteady, times.runs)
            name = index.names[position]
            yield Flakiness(index.ids[position], name, times.unsteady, times.runs, low, high, _why_flaky(times))


def _times(number: int) -> str:
    return ("", "once", "twice")[number] if number < 3 else f"{number} times"


def _describe_without_failure(letters: Sequence[str]) -> str:
    passed = sum(letter in _PASSED for letter in letters)
    if not passed:
        return "never ran before"
    if len(letters) == 1:
        return "passed in the build before"
    words = "passed in the" if passed == len(letters) else "never failed in the"
    return f"{words} {plural(len(letters), 'build')} before"


def _why_flaky(times: Unsteady) -> str:
    if times.same_code:
        return f"outcome changed {_times(times.same_code)} on the same code"
    if times.retries:
        return f"passed only on a retry in {times.retries}"
    return f"outcome changed {_times(times.turns)}"


def describe_past(letters: str, builds: Sequence[Build]) -> str:
    """Return what a check did before it failed, in words."""
    there = [(letter, build) for letter, build in zip(letters, builds, strict=True) if letter != Past.ABSENT]
    if not there:
        return "not in earlier builds"
    failed = [build.label for letter, build in there if letter in _BAD_LETTERS]
    if not failed:
        return _describe_without_failure([letter for letter, _ in there])
    if len(failed) == 1:
        return f"failed once before, in {failed[0]}"
    if len(failed) == len(there):
        return f"failed in each of the {plural(len(there), 'build')} before"
    return f"failed in {len(failed)} of the {plural(len(there), 'build')} before, last in {failed[-1]}"


def _from_to(labels: Sequence[str]) -> str:
    return labels[0] if len(labels) == 1 else f"{labels[0]} to {labels[-1]}"


def _gone(traces: AlignedHistory, at: int) -> list[Changed]:
    """Return the checks of a build that are not there any more; failures first."""
    label = traces.builds[at].label
    rows = zip(traces.others.items(), traces.other_outcomes[at], strict=True)
    gone = [(id_, name, letter) for (id_, name), letter in rows if letter != Past.ABSENT]
    gone.sort(key=lambda row: (row[2] not in _BAD_LETTERS, row[1]))
    return [Changed(id_, name, f"{Past(letter).words} in {label}") for id_, name, letter in gone]


def _time_changes(
    now: KeptRun, traces: AlignedHistory
) -> tuple[tuple[TimeChange, ...], tuple[TimeChange, ...], int]:
    """Return what is slower and what is faster: checks that passed, and what was measured of the whole run."""
    rows = [
        _of_passed(outcomes, times) for outcomes, times in zip(traces.outcomes, traces.times, strict=True) if times
    ]
    found, number = find_time_changes(_of_passed(now.outcomes, now.times), rows)
    changes = [
        _change(timed, now.check_index.ids[timed.position], now.check_index.names[timed.position])
        for timed in found
    ]
    changes += _measured_changes(now.build, traces.builds)
    changes.sort(key=lambda change: -abs(change.now_s - (change.high_s if change.slower else change.low_s)))
    slower, faster = (
        tuple(time_change for time_change in changes if time_change.slower is which) for which in (True, False)
    )
    return slower, faster, number


def _of_passed(outcomes: str, times: Sequence[int]) -> Sequence[int]:
    """Return the times of what passed; 0 for the rest."""
    others = [found.start() for found in _NOT_PASSED.finditer(outcomes)]
    if not others:
        return times
    passed = array("I", times)
    for position in others:
        passed[position] = 0
    return passed


def _change(timed: Timed, id_: str, name: str) -> TimeChange:
    return TimeChange(id_, name, timed.now / 1000, timed.low / 1000, timed.high / 1000, timed.builds)


def _measured_changes(now: Build, past: Sequence[Build]) -> Iterator[TimeChange]:
    """Yield what was measured of the whole run, like percentiles of requests, and changed."""
    names = [measured.name for measured in now.measured]
    rows = [{measured.name: measured.value_s for measured in build.measured} for build in past]
    ms = [[round(row.get(name, 0) * 1000) for name in names] for row in rows if row]
    found, _ = find_time_changes(
        [round(measured.value_s * 1000) for measured in now.measured], ms, least_s=_LEAST_MEASURED_S
    )
    yield from (_change(timed, "", names[timed.position]) for timed in found)


_LEAST_MEASURED_S = 0.05
"""A change of a percentile below it is a trifle: they are of many requests each."""
