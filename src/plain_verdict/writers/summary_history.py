"""What the summary says of a run among those of its series."""

from datetime import date, datetime

import msgspec

from plain_verdict.model import Build, Changed, CommitsSince, Flakiness, Incident, LevelChange, Quarantined, Tally
from plain_verdict.report import Report


class RunSummary(msgspec.Struct, frozen=True):
    """Which run it is: ``id`` is of its inputs and facts, ``series`` names the runs that it belongs to."""

    id: str
    series: str
    build: str
    branch: str
    commit: str
    started: datetime | None
    made: datetime


class FlakinessSummary(msgspec.Struct, frozen=True):
    """A flaky check: in how many of its last runs it failed or needed a retry; low and high bound the share."""

    id: str
    name: str
    unsteady: int
    runs: int
    share: float
    low: float
    high: float
    why: str


class LevelSummary(msgspec.Struct, frozen=True):
    """What is at another level since a build, after so many builds at the level ``before``.

    ``id`` is "" of a request, an operation or a metric. ``change`` is a share: 0.62 is 62 % more; low and high
    bound it.
    """

    id: str
    name: str
    unit: str
    now: float
    before: float
    since: str
    lasts: int
    change: float
    low: float
    high: float
    builds: int


class IncidentSummary(msgspec.Struct, frozen=True):
    """Checks, by id, that failed together in some builds; ``is_now``: this build is one of them."""

    checks: list[str]
    builds: list[str]
    cause: str
    is_now: bool


class CommitSummary(msgspec.Struct, frozen=True):
    """A commit; ``touches`` says what it changes: "ran" a file that the check ran, "owner" a path of its owner."""

    id: str
    subject: str
    author: str
    at: datetime | None
    touches: str
    files: list[str]


class CommitsSummary(msgspec.Struct, frozen=True):
    """The commits since a new failure last passed, in ``passed_in``; the first of them are listed.

    ``trouble`` is why none is, or what makes the list doubtful; ``number`` is null where nothing can be read.
    """

    check: str
    passed_in: str
    number: int | None
    touching: int
    touching_owner: int
    trouble: str
    commits: list[CommitSummary]


class QuarantineSummary(msgspec.Struct, frozen=True):
    """A check in quarantine, or one that just left; ``until`` is its last day. ``passed`` are builds in a row."""

    check: str
    name: str
    state: str
    since: date
    until: date
    passed: int
    reason: str
    owner: str


class BuildCounts(msgspec.Struct, frozen=True):
    """How many checks ended in each outcome."""

    passed: int
    failed: int
    errored: int
    skipped: int
    undecided: int


class BuildSummary(msgspec.Struct, frozen=True):
    """An earlier build; ``missing`` are those before it that have no results."""

    build: str
    started: datetime | None
    verdict: str
    counts: BuildCounts
    missing: list[str] = []


class HistorySummary(msgspec.Struct, frozen=True):
    """What changed since ``against``: ids of checks. ``builds`` are those before this one, the oldest first."""

    series: str
    build: str
    against: str
    new: list[str]
    failing_again: list[str]
    fixed: list[str]
    still_failing: list[str]
    removed: list[str]
    added: list[str]
    flaky: list[FlakinessSummary]
    incidents: list[IncidentSummary]
    slower: list[LevelSummary]
    faster: list[LevelSummary]
    metrics: list[LevelSummary]
    commits: list[CommitsSummary]
    builds: list[BuildSummary]
    missing: list[str] = []
    """Builds between the last and this one that have no results."""


def run_summary(build: Build) -> RunSummary:
    """Return which run it is."""
    return RunSummary(build.id, build.series, build.build, build.branch, build.commit, build.started, build.made)


def history_summary(report: Report) -> HistorySummary | None:
    """Return what changed since an earlier run; None where there is none."""
    since = report.run.since
    if since is None:
        return None
    builds = since.traces.builds
    return HistorySummary(
        series=since.series,
        build=since.build,
        against=since.against.label,
        new=_ids(since.new),
        failing_again=_ids(since.failing_again),
        fixed=_ids(since.fixed),
        still_failing=_ids(since.still_failing),
        removed=_ids(since.removed),
        added=list(since.added),
        flaky=list(map(_flakiness, since.flaky)),
        incidents=list(map(_incident, since.incidents)),
        slower=list(map(_level, since.slower)),
        faster=list(map(_level, since.faster)),
        metrics=list(map(_level, since.metrics)),
        commits=[
            _commits(change.id, change.commits) for change in (*since.new, *since.failing_again) if change.commits
        ],
        builds=[_build(build, since.missing.get(position, ())) for position, build in enumerate(builds)],
        missing=list(since.missing.get(len(builds), ())),
    )


def _ids(changes: tuple[Changed, ...]) -> list[str]:
    return [change.id for change in changes]


def _flakiness(flakiness: Flakiness) -> FlakinessSummary:
    share = flakiness.unsteady / flakiness.runs
    return FlakinessSummary(
        flakiness.id,
        flakiness.name,
        flakiness.unsteady,
        flakiness.runs,
        round(share, 4),
        round(flakiness.low, 4),
        round(flakiness.high, 4),
        flakiness.why,
    )


def _incident(incident: Incident) -> IncidentSummary:
    return IncidentSummary(list(incident.ids), list(incident.builds), incident.cause, incident.is_now)


def _level(change: LevelChange) -> LevelSummary:
    return LevelSummary(
        change.id,
        change.name,
        change.unit,
        change.now,
        change.before,
        change.since,
        change.lasts,
        round(change.change, 4),
        round(change.low, 4),
        round(change.high, 4),
        change.builds,
    )


def _commits(check: str, since: CommitsSince) -> CommitsSummary:
    parts = (("ran", since.near), ("owner", since.by_owner), ("", since.others))
    listed = [
        CommitSummary(commit.id, commit.subject, commit.author, commit.at, touches, list(commit.files))
        for touches, commits in parts
        for commit in commits
    ]
    number = since.number if since.is_known else None
    return CommitsSummary(
        check, since.passed_in, number, since.touching, since.touching_owner, since.trouble, listed
    )


def quarantine_summary(entry: Quarantined) -> QuarantineSummary:
    """Return a check in quarantine."""
    days = (entry.since, entry.until)
    return QuarantineSummary(
        entry.id, entry.name, entry.state.value, *days, entry.passed, entry.reason, entry.owner
    )


def counts_of(tally: Tally) -> BuildCounts:
    """Return how many checks ended in each outcome."""
    return BuildCounts(tally.passed, tally.failed, tally.errored, tally.skipped, tally.undecided)


def _build(build: Build, missing: tuple[str, ...]) -> BuildSummary:
    return BuildSummary(build.label, build.started, build.verdict.value, counts_of(build.tally), list(missing))
