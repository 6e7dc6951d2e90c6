"""A series over many builds: its numbers build by build, and the checks and causes that cost most."""

import msgspec

from plain_verdict.model.facts import Value
from plain_verdict.model.history import Build, LevelChange


class TrendBuild(Value, frozen=True):
    """A build of a trend. ``new``, ``failing_again`` and ``still_failing`` are None where no build before is known.

    ``missing`` are the builds without results before it.
    """

    build: Build
    new: int | None = None
    failing_again: int | None = None
    still_failing: int | None = None
    flaky: int = 0
    """Checks that passed on a retry."""
    missing: tuple[str, ...] = ()


class FlakyCheck(Value, frozen=True):
    """A flaky check: in how many of its runs it failed or needed a retry, and what its failed attempts took."""

    id: str
    name: str
    unsteady: int
    runs: int
    lost_s: float
    last: str
    """The last build in which it failed or needed a retry."""
    owner: str = ""


class LongFailure(Value, frozen=True):
    """A check that fails: since which build, in how many builds, for how many seconds up to the newest.

    ``is_older``: it fails in all known builds, so it may fail for longer.
    """

    id: str
    name: str
    since: str
    builds: int
    span_s: float
    is_older: bool = False
    owner: str = ""


class CostlyCause(Value, frozen=True):
    """A cause over several builds: its failures, its builds, the time of its checks, and its last build."""

    key: str
    name: str
    failures: int
    builds: int
    took_s: float
    last: str


class TimeToFix(Value, frozen=True):
    """The median time from a check's first failure to its first pass after it.

    Over all failures that were fixed, without flaky checks.
    """

    builds: float
    span_s: float
    fixed: int


class Trend(Value, frozen=True):
    """A series over its last builds, the oldest first. Lists are in order, each with how many there are in all.

    ``since_fit_s`` is the time from the last fit build to the newest one; None where no known build was fit.
    ``levels`` are the changes of whole builds, by the name of their chart.
    """

    builds: tuple[TrendBuild, ...]
    flaky: tuple[FlakyCheck, ...] = ()
    failing: tuple[LongFailure, ...] = ()
    slower: tuple[LevelChange, ...] = ()
    causes: tuple[CostlyCause, ...] = ()
    found: tuple[int, int, int, int] = (0, 0, 0, 0)
    """How many entries each of the four lists has in all."""
    time_to_fix: TimeToFix | None = None
    since_fit_s: float | None = None
    last_fit: str = ""
    levels: dict[str, LevelChange] = msgspec.field(default_factory=dict)

    @property
    def newest(self) -> Build:
        """Return the newest build."""
        return self.builds[-1].build

    @property
    def missing(self) -> int:
        """Return how many builds have no results."""
        return sum(len(entry.missing) for entry in self.builds)
