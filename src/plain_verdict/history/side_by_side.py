"""Compares any two runs as they are kept, whatever series they are of."""

from array import array
from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Sequence

import msgspec

from plain_verdict.history.alignment import align
from plain_verdict.history.durations import DURATION_BUILDS, LEAST_TIMES, NORMAL_AFTER
from plain_verdict.history.flaky_checks import BAD_LETTERS
from plain_verdict.history.level_changes import MS, LevelChanges, of_passed
from plain_verdict.history.paired_durations import find_paired_shifts
from plain_verdict.load.comparison import compare as compare_load
from plain_verdict.model import Build, Comparison, Fact, FailureDetail, KeptRun, Past, RunDetail
from plain_verdict.model.facts import BUILD
from plain_verdict.model.run_comparison import (
    CauseDifference,
    CheckDifference,
    ComparedRun,
    DurationChanges,
    DurationDifference,
    FactDifference,
    Listed,
    OperationDifference,
    RequirementDifference,
    RuleDifference,
    RunComparison,
)
from plain_verdict.text.formatting import join_list

_NOWHERE = -1  # the last position, behind all others
_MOST_LISTED = 500  # entries of a list
_PASSED_LETTERS, _NO_RESULT = "pr", "su"
Mask = Callable[[str], str]


class Side(msgspec.Struct, frozen=True):
    """A run that is compared: what it is called, its page or "", and the last runs of its series before it."""

    run: KeptRun
    label: str
    page: str = ""
    earlier: Sequence[KeptRun] = ()


def compare_runs(before: Side, after: Side, mask: Mask, commits: int | None = None) -> RunComparison:
    """Return what differs between two runs. ``mask`` hides secrets: pages may have been made without masking."""
    pair = _Pair(before, after, mask)
    return RunComparison(
        before=_compared_run(before, mask),
        after=_compared_run(after, mask),
        shared=pair.shared,
        facts=tuple(_facts(before.run, after.run, mask)),
        equal_facts=_equal_facts(before.run, after.run),
        new=pair.listed(lambda old, now: now in BAD_LETTERS and old not in BAD_LETTERS),
        fixed=pair.listed(lambda old, now: old in BAD_LETTERS and now in _PASSED_LETTERS),
        still_failing=pair.listed(lambda old, now: old in BAD_LETTERS and now in BAD_LETTERS),
        stopped=pair.listed(lambda old, now: old in _PASSED_LETTERS and now in _NO_RESULT),
        not_run=pair.listed(lambda old, now: old in BAD_LETTERS and now not in "pref"),
        causes=tuple(_causes(before.run.build, after.run.build, mask)),
        durations=pair.durations(),
        operations=tuple(_operations(before.run, after.run, mask)),
        load=_load(before.run, after.run, mask),
        rules=tuple(pair.rules()),
        requirements=tuple(_requirements(before.run, after.run, mask)),
        only_before=pair.listed(lambda old, now: old != Past.ABSENT and now == Past.ABSENT),
        only_after=pair.listed(lambda old, now: old == Past.ABSENT and now != Past.ABSENT),
        builds_between=_builds_between(before, after),
        commits=commits,
        notes=tuple(map(mask, _notes(before, after, pair.shared))),
    )


def _compared_run(side: Side, mask: Mask) -> ComparedRun:
    build = side.run.build
    return ComparedRun(
        mask(side.label),
        mask(build.title),
        mask(build.series),
        build.build,
        build.commit,
        build.moment,
        build.verdict,
        mask(build.why),
        build.tally,
        side.page,
    )


def _builds_between(before: Side, after: Side) -> int | None:
    """Return how many builds later the second run is; None where that is not known."""
    ids = [run.build.id for run in (*after.earlier, after.run)]
    if before.run.build.id not in ids:
        return None
    return len(ids) - 1 - ids.index(before.run.build.id)


def _notes(before: Side, after: Side, shared: int) -> Iterator[str]:
    bare = [side.label for side in (before, after) if side.run.detail is None]
    if bare:
        verb = "was" if len(bare) == 1 else "were"
        yield (
            f"{join_list(bare)} {verb} kept without facts and messages (by an older version, as a summary, or as a"
            " forerunner in a later page): only outcomes, causes and durations are compared."
        )
    # What seems to be gone may only not have been read.
    for side in (before, after):
        for sentence in side.run.detail.incomplete if side.run.detail else ():
            yield f"{side.label} may lack results: {sentence}"
    if not shared:
        yield "The two runs have no check in common: they may be of different suites."
    if before.run.build.id == after.run.build.id:
        yield "Both are the same run."


def _details(before: KeptRun, after: KeptRun) -> tuple[RunDetail, RunDetail] | None:
    return (before.detail, after.detail) if before.detail and after.detail else None


def _by_key(facts: Iterable[Fact]) -> dict[str, str]:
    return {fact.key: fact.value for fact in facts}


def _facts(before: KeptRun, after: KeptRun, mask: Mask) -> Iterator[FactDifference]:
    """Yield the facts whose values differ, in the order of the later run; what names the build is the label."""
    details = _details(before, after)
    if details is None:
        return
    old, now = (_by_key(detail.facts) for detail in details)
    # Facts of the later run first, in its order: people know them.
    for key in (*now, *(key for key in old if key not in now)):
        values = old.get(key), now.get(key)
        if values[0] != values[1] and key.casefold() != BUILD:
            texts = [None if value is None else mask(value) for value in values]
            yield FactDifference(mask(key), *texts)


def _equal_facts(before: KeptRun, after: KeptRun) -> int:
    details = _details(before, after)
    return len(set(details[0].facts) & set(details[1].facts)) if details else 0


def _causes(before: Build, after: Build, mask: Mask) -> Iterator[CauseDifference]:
    """Yield the causes that came or went, or have another number of failures: those with most failures first."""
    names = {cause.key: cause.name for build in (before, after) for cause in build.causes}
    old, now = (Counter({cause.key: cause.checks for cause in build.causes}) for build in (before, after))
    # Names of one cause may differ, as they are made from messages; keys do not.
    differ = [key for key in names if old[key] != now[key]]
    for key in sorted(differ, key=lambda key: (-max(old[key], now[key]), names[key])):
        yield CauseDifference(mask(names[key]), old[key], now[key])


def _operations(before: KeptRun, after: KeptRun, mask: Mask) -> Iterator[OperationDifference]:
    details = _details(before, after)
    if details is None:
        return
    old, now = ({operation.name: operation for operation in detail.operations} for detail in details)
    for name in dict.fromkeys((*now, *old)):
        pair = old.get(name), now.get(name)
        wrong = [operation.wrong if operation else None for operation in pair]
        if wrong[0] != wrong[1]:
            yield OperationDifference(mask(name), *pair)


def _requirements(before: KeptRun, after: KeptRun, mask: Mask) -> Iterator[RequirementDifference]:
    details = _details(before, after)
    if details is None or not all(detail.requirements for detail in details):
        return  # a run without any requirement was made without them
    old, now = ({requirement.id: requirement for requirement in detail.requirements} for detail in details)
    for id_, requirement in (now | old | now).items():
        pair = [known[id_].state if id_ in known else None for known in (old, now)]
        if pair[0] is not pair[1]:
            yield RequirementDifference(mask(id_), mask(requirement.title), *pair)


def _load(before: KeptRun, after: KeptRun, mask: Mask) -> Comparison | None:
    old, now = (run.detail.load if run.detail else None for run in (before, after))
    if old is None or now is None:
        return None
    found = compare_load(now, old)
    replace = msgspec.structs.replace
    return replace(
        found,
        changes=tuple(replace(change, request=mask(change.request)) for change in found.changes),
        failed_by_request=tuple((mask(name), change) for name, change in found.failed_by_request),
        new=tuple(map(mask, found.new)),
        gone=tuple(map(mask, found.gone)),
    )


class _Pair:
    """The checks of two runs, in one order: those of the later run, then those that only the earlier one has."""

    def __init__(self, before: Side, after: Side, mask: Mask) -> None:
        self._before, self._after, self._mask = before, after, mask
        now, old = after.run, before.run
        known = {id_: at for at, id_ in enumerate(old.check_index.ids) if old.outcomes[at] != Past.ABSENT}
        shared = [known.pop(id_, _NOWHERE) for id_ in now.check_index.ids]
        alone = list(known.values())
        self._ids: Sequence[str] = (*now.check_index.ids, *known)
        self._names: Sequence[str] = (*now.check_index.names, *map(old.check_index.names.__getitem__, alone))
        # All of them: a failure that only the earlier run has must not be lost among many.
        outcomes, times = _in_order(old, [*shared, *alone])
        absent = Past.ABSENT * len(alone)
        self._letters = outcomes, now.outcomes + absent
        self._times = times, array("I", [*(now.times or [0] * len(now.outcomes)), *([0] * len(alone))])
        self._failures = _failures(old), _failures(now)
        self.shared = sum(Past.ABSENT not in pair for pair in zip(*self._letters, strict=True))

    def listed(self, is_wanted: Callable[[str, str], bool]) -> Listed[CheckDifference]:
        """Return the checks whose outcomes in both runs are wanted."""
        # Few pairs of outcomes are there, so each is looked at once.
        wanted = {pair for pair in set(zip(*self._letters, strict=True)) if is_wanted(*pair)}
        if not wanted:
            return Listed()
        # Only the first entries are made: there may be tens of thousands.
        positions = [at for at, pair in enumerate(zip(*self._letters, strict=True)) if pair in wanted]
        return Listed(tuple(map(self._difference, positions[:_MOST_LISTED])), len(positions))

    def _difference(self, position: int) -> CheckDifference:
        id_ = self._ids[position]
        old, now = (failures.get(id_, FailureDetail(id_, "")) for failures in self._failures)
        before, after = (Past(letters[position]) for letters in self._letters)
        before_s, after_s = (self._seconds(times, position) for times in self._times)
        return CheckDifference(
            id_,
            self._mask(self._names[position]),
            before,
            after,
            self._mask(old.message),
            self._mask(now.message),
            before_s,
            after_s,
            now.owner or old.owner,
        )

    @staticmethod
    def _seconds(times: Sequence[int], position: int) -> float | None:
        return times[position] / MS if times[position] else None

    def rules(self) -> Iterator[RuleDifference]:
        """Yield the rules whose outcome differs, the highest severity first."""
        details = _details(self._before.run, self._after.run)
        severities = {rule.id: rule.severity for detail in details or () for rule in detail.rules}
        found = []
        for position, id_ in enumerate(self._ids if severities else ()):
            before, after = (Past(letters[position]) for letters in self._letters)
            if id_ in severities and before is not after:
                name = self._mask(self._names[position])
                found.append(RuleDifference(id_, name, severities[id_], before, after))
        yield from sorted(found, key=lambda rule: -rule.severity.rank)[:_MOST_LISTED]

    def durations(self) -> DurationChanges:
        """Return the durations that changed: by the builds before where they are known, else by these two alone."""
        between = _builds_between(self._before, self._after)
        if between and len(self._after.earlier) >= LEAST_TIMES:
            return self._by_builds(between)
        times = list(map(of_passed, self._letters, self._times))
        # Without builds before, the scatter of all durations is all that is known.
        shifts = find_paired_shifts(*times)
        found = [
            DurationDifference(
                self._ids[shift.position],
                self._mask(self._names[shift.position]),
                times[0][shift.position] / MS,
                times[1][shift.position] / MS,
                shift.change,
                shift.low,
                shift.high,
            )
            for shift in shifts.found
        ]
        return DurationChanges(*_by_change(found), shifts.compared, shifts.pace)

    def _by_builds(self, between: int) -> DurationChanges:
        """Return the durations that are at another level since a build after the earlier run."""
        earlier = self._after.earlier[-DURATION_BUILDS:]
        traces = align(self._after.run.check_index, earlier)
        levels = LevelChanges(self._after.run, traces, max(between, NORMAL_AFTER))
        found = [
            DurationDifference(
                change.id,
                self._mask(change.name),
                change.before,
                change.now,
                change.change,
                change.low,
                change.high,
            )
            for change in (*levels.slower, *levels.faster)
            if change.lasts <= between  # what changed before the earlier run is the same in both
        ]
        return DurationChanges(*_by_change(found), levels.tested, levels.pace, len(earlier))


def _in_order(run: KeptRun, positions: Sequence[int]) -> "tuple[str, array[int]]":
    """Return the outcomes and times at some positions of a run; what is nowhere in it is absent."""
    outcomes, times = run.outcomes + Past.ABSENT, [*(run.times or [0] * len(run.outcomes)), 0]
    return "".join([outcomes[at] for at in positions]), array("I", [times[at] for at in positions])


def _failures(run: KeptRun) -> dict[str, FailureDetail]:
    return {failure.id: failure for failure in run.detail.failures} if run.detail else {}


def _by_change(found: list[DurationDifference]) -> tuple[tuple[DurationDifference, ...], int]:
    found.sort(key=lambda change: -abs(change.after_s - change.before_s))
    return tuple(found[:_MOST_LISTED]), len(found)
