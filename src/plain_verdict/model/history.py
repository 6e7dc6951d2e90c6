"""A run among those of its series: what earlier builds were, and what changed since."""

from array import array
from collections.abc import Iterator, Mapping, Sequence
from datetime import datetime
from enum import StrEnum
from itertools import compress
from typing import Protocol

import msgspec

from plain_verdict.model.commits import CommitsSince
from plain_verdict.model.facts import Fact, Masked, Value
from plain_verdict.model.moment import in_order
from plain_verdict.model.quarantine import QuarantineEntry
from plain_verdict.model.run_detail import RunDetail
from plain_verdict.model.tally import Tally
from plain_verdict.model.verdict import VerdictWord


class Past(StrEnum):
    """How a check ended in a build, as one letter: small, and quick to look through."""

    PASSED = "p"
    PASSED_ON_RETRY = "r"
    FAILED = "f"
    ERRORED = "e"
    SKIPPED = "s"
    UNDECIDED = "u"
    ABSENT = "-"
    """It was not there."""

    @property
    def words(self) -> str:
        """Return it in words."""
        return _PAST_WORDS[self]


_BY_LETTER = {past.value: past for past in Past}  # a call of the class takes ten times as long
_PAST_WORDS = {
    Past.PASSED: "passed",
    Past.PASSED_ON_RETRY: "passed on retry",
    Past.FAILED: "failed",
    Past.ERRORED: "errored",
    Past.SKIPPED: "skipped",
    Past.UNDECIDED: "undecided",
    Past.ABSENT: "not there",
}


class BuildCause(Value, frozen=True):
    """A cause that a build had: ``key`` is the same in every build, as numbers and names in its message are not.

    ``took_s`` is the time of its checks.
    """

    key: str
    name: str
    checks: int
    took_s: float = 0.0


class Measured(Value, frozen=True):
    """A number of a whole build, like a percentile of a request: in seconds, or in another unit.

    In a digest its key is ``value_s``, whatever the unit.
    """

    name: str
    value: float = msgspec.field(name="value_s")
    unit: str = "s"


class LostTime(Value, frozen=True, array_like=True):
    """The time that the failed attempts of a check took before it passed on a retry."""

    id: str
    took_s: float


class BuildNumbers(Value, frozen=True, omit_defaults=True):
    """Numbers of a whole build; None, or empty, where it has nothing of the kind.

    ``took_s`` is the time of all checks, added up; ``failed_rules`` are counts in the order of severities.
    """

    took_s: float | None = None
    load_p95_s: float | None = None
    error_share: float | None = None
    """Of the requests of a load run, 0 to 1."""
    failed_rules: tuple[int, ...] = ()
    requirements: tuple[int, int] | None = None
    """How many are met, of how many."""


class Build(Value, frozen=True):
    """One run of a series, in numbers.

    ``id`` is of its inputs and facts, so that it is the same however often its report is made. ``build`` is the key
    that it is called by, or "". ``page`` is where its page stands, if that is known.
    """

    id: str
    series: str
    made: datetime
    title: str = ""
    branch: str = ""
    build: str = ""
    commit: str = ""
    started: datetime | None = None
    verdict: VerdictWord = VerdictWord.UNDECIDED
    why: str = ""
    tally: Tally = Tally()
    page: str = ""
    causes: tuple[BuildCause, ...] = ()
    measured: tuple[Measured, ...] = ()
    quarantine: tuple[QuarantineEntry, ...] = ()
    numbers: BuildNumbers | None = None
    """None of a build that an older version kept."""
    lost: tuple[LostTime, ...] = ()
    """By retries, the longest times first."""

    @property
    def moment(self) -> datetime:
        """Return its place in time: when it began, or when its report was made."""
        return in_order(self.started or self.made)

    @property
    def label(self) -> str:
        """Return what it is called: by its key, else by when it was."""
        if self.build:
            return self.build
        when = self.started or self.made
        return f"{when.day} {when:%b %H:%M}"


class CheckIndex(msgspec.Struct, frozen=True):
    """The checks of a run by id, in the order of their ids, each with its suite and name in one line.

    ``ordered``: only so many are in order, and others stand after them.
    """

    ids: tuple[str, ...] = ()
    names: Sequence[str] = ()
    ordered: int | None = None


class RunColumns(Protocol):
    """How each check of a run ended, in the order of its ids: one letter each (``Past``), and its milliseconds.

    ``times`` is empty where times are not kept; 0 is a time that nobody told. ``retried`` are ids of checks.
    """

    @property
    def check_index(self) -> CheckIndex:
        """Return the checks."""
        ...

    @property
    def outcomes(self) -> str:
        """Return a letter for each check."""
        ...

    @property
    def times(self) -> Sequence[int]:
        """Return the milliseconds of each check."""
        ...

    @property
    def retried(self) -> list[str]:
        """Return the ids of those that passed on a retry."""
        ...


class KnownColumns(msgspec.Struct, frozen=True):
    """Columns that are there."""

    check_index: CheckIndex = CheckIndex()
    outcomes: str = ""
    times: Sequence[int] = array("I")

    @property
    def retried(self) -> list[str]:
        """Return the ids of those that passed on a retry."""
        found = compress(self.check_index.ids, map(Past.PASSED_ON_RETRY.__eq__, self.outcomes))
        return list(found) if Past.PASSED_ON_RETRY in self.outcomes else []


class KeptRun(msgspec.Struct, frozen=True):
    """A run as it is kept: what it was, and its columns.

    ``coarse``: times are rounded. ``detail`` is None where it is not kept, as of a page's forerunners.
    """

    build: Build
    columns: RunColumns = KnownColumns()
    coarse: bool = False
    detail: RunDetail | None = None

    @property
    def check_index(self) -> CheckIndex:
        """Return the checks of its roster."""
        return self.columns.check_index

    @property
    def outcomes(self) -> str:
        """Return how each check of its roster ended, one letter each."""
        return self.columns.outcomes

    @property
    def times(self) -> Sequence[int]:
        """Return the milliseconds of each check of its roster; nothing where times are not kept."""
        return self.columns.times


def kept_run(
    build: Build,
    check_index: CheckIndex,
    outcomes: str,
    times: Sequence[int] = array("I"),
    *,
    coarse: bool = False,
    detail: RunDetail | None = None,
) -> KeptRun:
    """Return a run whose columns are there."""
    return KeptRun(build, KnownColumns(check_index, outcomes, times), coarse, detail)


class Changed(Value, frozen=True):
    """A check whose outcome is another one than before, or still fails. ``before`` says it in words.

    ``commits`` are those since it last passed; None where they are not looked for.
    """

    id: str
    name: str
    before: str
    commits: CommitsSince | None = None


class Flakiness(Value, frozen=True):
    """A check that comes out now so, now otherwise: in how many of its runs it failed or needed a retry.

    ``low`` and ``high`` bound that share (0 to 1) with 95 % confidence.
    """

    id: str
    name: str
    unsteady: int
    runs: int
    low: float
    high: float
    why: str


class Incident(Value, frozen=True):
    """Checks that fail in the same builds together: one event elsewhere, not so many flaky checks.

    ``builds`` are those builds, the oldest first; ``cause`` is the name of a cause that those builds share, ""
    where none does. ``is_now``: this build is one of them.
    """

    ids: tuple[str, ...]
    names: tuple[str, ...]
    builds: tuple[str, ...]
    cause: str = ""
    is_now: bool = False


class LevelChange(Value, frozen=True):
    """A duration, or a metric, that is at another level since a build, and still there.

    ``before`` is the level of the ``builds`` builds before, in ``unit``. ``change`` is a share (0.62: 62 % more);
    ``low`` and
    ``high`` bound it with 95 % confidence. ``lasts`` is the number of builds since, this one among them.
    """

    id: str
    """Of a check; "" of a request, an operation or a metric."""
    name: str
    now: float
    before: float
    since: str
    lasts: int
    change: float
    low: float
    high: float
    builds: int
    unit: str = "s"

    @property
    def is_more(self) -> bool:
        """Return whether it is longer, or a larger number."""
        return self.change > 0


class AlignedHistory(msgspec.Struct, frozen=True):
    """How each check ended in earlier builds, the oldest first: a text a build, one letter a check.

    ``times`` are milliseconds, 0 where a build tells none; a build whose times are not kept has no entries.
    """

    builds: tuple[Build, ...] = ()
    positions: Mapping[str, int] = {}
    """Where a check stands, by its id."""
    outcomes: tuple[str, ...] = ()
    times: tuple[Sequence[int], ...] = ()
    others: Mapping[str, str] = {}
    """Names by id of checks that this run has no more, and a letter each in every build."""
    other_outcomes: tuple[str, ...] = ()
    are_coarse: bool = False
    """Whether times are rounded to a few levels, as in pages of many checks."""

    def of(self, check: str, last: int = 0) -> Iterator[tuple[Build, Past, float | None]]:
        """Yield build, outcome and seconds of a check in each build; nothing of one that is not known here.

        ``last``: only in the last so many builds.
        """
        position = self.positions.get(check)
        if position is None:
            return
        for build, outcomes, times in zip(
            self.builds[-last:], self.outcomes[-last:], self.times[-last:], strict=True
        ):
            took = times[position] if times else 0
            yield build, _BY_LETTER[outcomes[position]], took / 1000 if took else None


class ChangesSince(msgspec.Struct, frozen=True):
    """What changed since an earlier run, and what the builds of the series tell together.

    ``against`` is the build that it is compared with; ``traces`` hold the builds of its series before it.
    """

    series: str
    build: str
    against: Build
    traces: AlignedHistory
    new: tuple[Changed, ...] = ()
    failing_again: tuple[Changed, ...] = ()
    """Failures that the build before did not have, and earlier builds had."""
    fixed: tuple[Changed, ...] = ()
    still_failing: tuple[Changed, ...] = ()
    removed: tuple[Changed, ...] = ()
    added: tuple[str, ...] = ()
    """Ids of checks that were not there."""
    going_on: Mapping[str, int] = {}
    """By id of what failed before as well: in how many builds in a row, this one among them."""
    flaky: tuple[Flakiness, ...] = ()
    incidents: tuple[Incident, ...] = ()
    slower: tuple[LevelChange, ...] = ()
    faster: tuple[LevelChange, ...] = ()
    metrics: tuple[LevelChange, ...] = ()
    """Numbers in other units than seconds, whose direction is neither good nor bad by itself."""
    timed: int = 0
    """How many checks have enough times to compare."""
    pace: float = 0.0
    """By which share all checks of this build took longer than usual; that is no change of any of them."""
    missing: Mapping[int, tuple[str, ...]] = {}
    """Builds that have no results, by the number of the one after them; this one is the last."""


class HistoryContext(msgspec.Struct, frozen=True):
    """A run's place among those of its series.

    ``now`` is the run as it is kept, before it is judged; ``traces`` are of its forerunners; ``since`` is None
    where there is none to compare with. ``facts`` are all of the run. ``trouble`` is what kept earlier
    runs from being read.
    """

    now: KeptRun
    traces: AlignedHistory = AlignedHistory()
    since: ChangesSince | None = None
    facts: tuple[Fact, ...] = ()
    notes: tuple[str, ...] = ()
    trouble: tuple[str, ...] = ()
    masked: Masked = Masked()
    """How many secrets were masked in title and facts."""
