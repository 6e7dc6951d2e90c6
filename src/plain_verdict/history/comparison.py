"""What changed since an earlier run: new, failing again, fixed, still failing, removed, added."""

import re
from collections.abc import Collection, Iterator, Sequence
from datetime import timedelta

import msgspec

from plain_verdict.history.alignment import align
from plain_verdict.history.durations import NORMAL_AFTER
from plain_verdict.history.flaky_checks import BAD_LETTERS, FlakyChecks
from plain_verdict.history.gaps import find_gaps
from plain_verdict.history.level_changes import LevelChanges
from plain_verdict.model import AlignedHistory, Build, Changed, ChangesSince, KeptRun, Past
from plain_verdict.text.formatting import plural, spelled
from plain_verdict.text.patterns import pattern

_PASSED = "pr"
_BAD_POSITIONS = pattern("[fe]")


def compare(
    now: KeptRun,
    traces: AlignedHistory,
    against: KeptRun,
    step: timedelta | None = None,
    *,
    normal_after: int = NORMAL_AFTER,
    other_branches: Collection[str] = (),
) -> ChangesSince:
    """Return what changed since ``against``, with the forerunners in ``traces``.

    ``against`` may be of another series. ``step`` is the schedule of the series, if it has one;
    ``other_branches`` are builds of other branches. After ``normal_after`` builds a duration is the normal one.
    """
    # These look at all builds of the series, whichever one this run is compared with.
    levels = LevelChanges(now, traces, normal_after)
    unsteady = FlakyChecks(now, traces)
    return msgspec.structs.replace(
        compare_outcomes(now, traces, against),
        flaky=tuple(unsteady.flaky()),
        incidents=tuple(unsteady.incidents()),
        slower=levels.slower,
        faster=levels.faster,
        metrics=levels.metrics,
        timed=levels.tested,
        pace=levels.pace,
        missing=find_gaps([*traces.builds, now.build], step, other_branches),
    )


def compare_outcomes(now: KeptRun, traces: AlignedHistory, against: KeptRun) -> ChangesSince:
    """Return only how outcomes changed since ``against``, with the forerunners in ``traces``."""
    earlier, at = _trace_of(against, traces, now)
    before = earlier.outcomes[at]
    looking = _Looking(now, traces)
    bad, was_bad = _bad_positions(now.outcomes), _bad_positions(before)
    came = [position for position in bad if before[position] not in BAD_LETTERS]
    # Compared with another branch, all that did not fail there is new.
    again = looking.failed_before(came, at) if earlier is traces else []
    still_failing = [position for position in bad if before[position] in BAD_LETTERS]
    return ChangesSince(
        series=now.build.series,
        build=now.build.build,
        against=against.build,
        traces=traces,
        new=tuple(map(looking.new, sorted({*came}.difference(again)))),
        failing_again=tuple(map(looking.new, again)),
        fixed=tuple(looking.fixed(was_bad, against)),
        still_failing=tuple(map(looking.still_failing, still_failing)),
        removed=(*looking.left_out(was_bad), *_gone(earlier, at)),
        added=tuple(looking.added(before)),
        going_on=dict(map(looking.going_on, still_failing)),
    )


def _bad_positions(outcomes: str) -> list[int]:
    return [found.start() for found in _BAD_POSITIONS.finditer(outcomes)]


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

    def failed_before(self, positions: Sequence[int], last: int) -> list[int]:
        """Return those of some checks that failed in one of the builds up to the number ``last``."""
        rows = self._traces.outcomes[: last + 1]
        return [position for position in positions if any(row[position] in BAD_LETTERS for row in rows)]

    def added(self, before: str) -> Iterator[str]:
        """Yield the ids of checks that were not there."""
        return (self._now.check_index.ids[found.start()] for found in re.finditer(re.escape(Past.ABSENT), before))

    def going_on(self, position: int) -> tuple[str, int]:
        """Return the id of a check, and in how many builds in a row it failed."""
        return self._now.check_index.ids[position], self.in_a_row(position)

    def new(self, position: int) -> Changed:
        return self._changed(position, describe_past(self._letters(position), self._builds))

    def left_out(self, positions: Sequence[int]) -> Iterator[Changed]:
        """Yield those of some failures that are left out now."""
        for position in positions:
            if self._now.outcomes[position] == Past.SKIPPED:
                yield self._changed(position, "failed, and is left out now")

    def fixed(self, positions: Sequence[int], against: KeptRun) -> Iterator[Changed]:
        """Yield those of some failures that pass now."""
        passing = (position for position in positions if self._now.outcomes[position] in _PASSED)
        return (self._fixed(position, against) for position in passing)

    def _fixed(self, position: int, against: KeptRun) -> Changed:
        letters = self._letters(position).rstrip("su-")
        spell = len(letters) - len(letters.rstrip(BAD_LETTERS))
        if not spell:
            return self._changed(position, f"failed in {against.build.label}")
        labels = [build.label for build in self._builds[len(letters) - spell : len(letters)]]
        return self._changed(position, f"failed in {_from_to(labels)}")

    def in_a_row(self, position: int) -> int:
        """Return in how many builds in a row it failed, this one among them; those that left it out don't count."""
        letters = re.sub("[su-]", "", self._letters(position))
        return 1 + len(letters) - len(letters.rstrip(BAD_LETTERS))

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


def _describe_without_failure(letters: Sequence[str]) -> str:
    passed = sum(letter in _PASSED for letter in letters)
    if not passed:
        return "never ran before"
    if len(letters) == 1:
        return "passed in the build before"
    words = "passed in the" if passed == len(letters) else "never failed in the"
    return f"{words} {plural(len(letters), 'build')} before"


def describe_past(letters: str, builds: Sequence[Build]) -> str:
    """Return what a check did before it failed, in words."""
    there = [(letter, build) for letter, build in zip(letters, builds, strict=True) if letter != Past.ABSENT]
    if not there:
        return "not in earlier builds"
    failed = [build.label for letter, build in there if letter in BAD_LETTERS]
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
    gone.sort(key=lambda row: (row[2] not in BAD_LETTERS, row[1]))
    return [Changed(id_, name, f"{Past(letter).words} in {label}") for id_, name, letter in gone]
