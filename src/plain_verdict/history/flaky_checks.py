"""The flaky checks of a run, and the incidents of its builds."""

from collections import Counter
from collections.abc import Iterator, Sequence

from plain_verdict.history.flakiness import (
    FLAKINESS_BUILDS,
    CommonFailure,
    Unsteady,
    find_common_failures,
    find_flakiness,
    without_incidents,
)
from plain_verdict.model import AlignedHistory, Build, Flakiness, Incident, KeptRun, Past
from plain_verdict.model.statistics import wilson_interval
from plain_verdict.text.formatting import plural, times_of
from plain_verdict.text.patterns import pattern

_UNSTEADY = pattern("[rfe]")
_MAY_BE_FLAKY = pattern("r|p.*[fe]|[fe].*p")
BAD_LETTERS = "fe"
_SPARE = 5  # builds more, as a check may be left out in some


class FlakyChecks:
    """The last builds of checks that sometimes fail: which do so by themselves, which together with others."""

    def __init__(self, now: KeptRun, traces: AlignedHistory) -> None:
        self._index = now.check_index
        self._rows = [*traces.outcomes, now.outcomes][-(FLAKINESS_BUILDS + _SPARE) :]
        self._builds: Sequence[Build] = [*traces.builds, now.build][-len(self._rows) :]
        self._letters = dict(self._unsteady())
        failed = {position: _failures(letters) for position, letters in self._letters.items()}
        self._groups = find_common_failures({position: bits for position, bits in failed.items() if bits})
        self._group_of = {position: group for group in self._groups for position in group.positions}

    def _unsteady(self) -> Iterator[tuple[int, str]]:
        """Yield the positions that sometimes failed or needed a retry, with their outcomes."""
        positions = {found.start() for row in dict.fromkeys(self._rows) for found in _UNSTEADY.finditer(row)}
        for position in positions:
            letters = "".join([row[position] for row in self._rows])
            if _MAY_BE_FLAKY.search(letters) and letters[-1] != Past.SKIPPED:
                yield position, letters

    def flaky(self) -> Iterator[Flakiness]:
        """Yield the checks that are flaky, the most flaky first."""
        commits = [build.commit for build in self._builds]
        found = []
        for position, letters in self._letters.items():
            group = self._group_of.get(position)
            unsteady = find_flakiness(without_incidents(letters, group.builds) if group else letters, commits)
            if unsteady:
                found.append((position, unsteady))
        found.sort(key=lambda pair: (-pair[1].unsteady / pair[1].runs, pair[0]))
        for position, times in found:
            low, high = wilson_interval(times.unsteady, times.runs)
            name = self._index.names[position]
            yield Flakiness(self._index.ids[position], name, times.unsteady, times.runs, low, high, _why(times))

    def incidents(self) -> Iterator[Incident]:
        """Yield the incidents that came and went, the largest first; what only began is a failure like others."""
        for group in self._groups:
            if self._came_back(group):
                inside = set(group.builds)
                builds = [self._builds[build] for build in group.builds]
                others = [build for at, build in enumerate(self._builds) if at not in inside]
                yield Incident(
                    tuple(self._index.ids[position] for position in group.positions),
                    tuple(self._index.names[position] for position in group.positions),
                    tuple(build.label for build in builds),
                    _shared_cause(builds, others, len(group.positions)),
                    is_now=group.builds[-1] == len(self._rows) - 1,
                )

    def _came_back(self, group: CommonFailure) -> bool:
        """Return whether a group failed in two spells or more: in one, something broke and was fixed."""
        inside = set(group.builds)
        ran = [
            build
            for build in range(len(self._rows))
            if build in inside or any(self._letters[position][build] in "pr" for position in group.positions)
        ]
        if 2 * len(inside) > len(ran):
            return False  # what mostly fails is broken, and now and then passes
        spells = sum(build in inside and (at == 0 or ran[at - 1] not in inside) for at, build in enumerate(ran))
        return spells > 1


def _failures(letters: str) -> int:
    """Return the builds in which a check failed, a bit each."""
    return sum(1 << build for build, letter in enumerate(letters) if letter in BAD_LETTERS)


def _shared_cause(builds: Sequence[Build], others: Sequence[Build], checks: int) -> str:
    """Return the name of the cause that most of some builds share and few others have; "" where none does.

    It must have at least half of ``checks``.
    """
    inside = Counter(cause.key for build in builds for cause in build.causes if 2 * cause.checks >= checks)
    outside = Counter(cause.key for build in others for cause in build.causes)
    named = sum(bool(build.causes) for build in builds)
    keys = [key for key, number in inside.most_common() if 2 * number > named and 3 * outside[key] <= len(others)]
    return next(_names_of(keys, builds), "")


def _names_of(keys: Sequence[str], builds: Sequence[Build]) -> Iterator[str]:
    """Yield what some causes were called last."""
    names = {cause.key: cause.name for build in builds for cause in build.causes}
    return (names[key] for key in keys)


def _why(times: Unsteady) -> str:
    if times.same_code:
        return f"outcome changed {times_of(times.same_code)} on the same code"
    if times.retries:
        return f"passed only on a retry in {plural(times.retries, 'build')}"
    return f"outcome changed {times_of(times.turns)}"
