"""Tables of earlier runs: the builds of the series, and what changed."""

from collections.abc import Iterator

from plain_verdict.model import ChangesSince, LevelChange, QuarantineState
from plain_verdict.report import Report
from plain_verdict.text.formatting import join_list
from plain_verdict.writers.tables.interface import Column, Holds, Row, Table
from plain_verdict.writers.tables.run import OUTCOMES, counts

KINDS_OF_CHANGE = (
    "new",
    "failing again",
    "fixed",
    "still failing",
    "removed",
    "added",
    "flaky",
    "incident",
    "slower",
    "faster",
    "metric",
)


def _builds(report: Report) -> Iterator[Row]:
    series = report.run.in_series
    if series is None or series.since is None:
        return
    since = series.since
    for number, build in enumerate((*since.traces.builds, report.kept.build)):
        for missing in since.missing.get(number, ()):
            yield (missing, None, None, "no results", *[None] * (len(OUTCOMES) + 4))
        state = (build.started, build.made, build.verdict.value, *counts(build.tally))
        yield (build.label, *state, build.branch, build.commit, build.id, build.page)


def _changes(report: Report) -> Iterator[Row]:
    series = report.run.in_series
    if series is None or series.since is None:
        return
    since = series.since
    names = {check.id: check.whole_name for check in report.run.checks}
    lists = (
        ("new", since.new),
        ("failing again", since.failing_again),
        ("fixed", since.fixed),
        ("still failing", since.still_failing),
        ("removed", since.removed),
    )
    nothing = (None,) * 7
    for what, change in ((what, change) for what, changes in lists for change in changes):
        yield (what, change.id, change.name, change.before, since.going_on.get(change.id), *nothing)
    for id_ in since.added:
        yield ("added", id_, names.get(id_), None, None, *nothing)
    for flakiness in since.flaky:
        yield ("flaky", flakiness.id, flakiness.name, flakiness.why, flakiness.runs, *nothing)
    yield from _incidents(since)
    for kind, levels in (("slower", since.slower), ("faster", since.faster), ("metric", since.metrics)):
        for level in levels:
            bounds = (level.now, level.before, level.unit, level.since, *_shares(level))
            yield (kind, level.id or None, level.name, None, level.builds, *bounds)


def _incidents(since: ChangesSince) -> Iterator[Row]:
    for number, incident in enumerate(since.incidents, 1):
        what = f"incident {number}: {incident.cause}" if incident.cause else f"incident {number}"
        for id_, name in zip(incident.ids, incident.names, strict=True):
            builds = join_list(incident.builds)
            yield ("incident", id_, name, f"{what}, in {builds}", len(incident.builds), *[None] * 7)


def _shares(level: LevelChange) -> tuple[float, float, float]:
    return round(level.change, 4), round(level.low, 4), round(level.high, 4)


def _quarantine(report: Report) -> Iterator[Row]:
    for entry in report.verdict.quarantine:
        days = (entry.since.isoformat(), entry.until.isoformat())
        yield (
            entry.id,
            entry.name,
            entry.state.value,
            *days,
            entry.passed,
            entry.reason or None,
            entry.owner or None,
        )


TABLES = (
    Table(
        "history",
        "The builds of the series, this one last",
        (
            Column("build", "number or name of the build"),
            Column("started", "start", Holds.MOMENT),
            Column("made", "time at which the report was written", Holds.MOMENT),
            Column("verdict", "fit, not fit or undecided; “no results”: the build is missing"),
            *OUTCOMES,
            Column("branch", "the fact of that name"),
            Column("commit", "the fact of that name"),
            Column("run_id", "id of the run: the same for the same inputs and facts"),
            Column("page", "address of the report"),
        ),
        _builds,
    ),
    Table(
        "changes",
        "Changes since the build before",
        (
            Column("change", f"one of {', '.join(KINDS_OF_CHANGE)}"),
            Column("check_id", "id of the check; empty: a request, an operation or a metric"),
            Column("name", "suite and check, or request"),
            Column("before", "earlier outcome, or reason"),
            Column("builds", "number of builds", Holds.INTEGER),
            Column("now", "duration or metric in this run", Holds.NUMBER),
            Column("level_before", "its level in the builds before", Holds.NUMBER),
            Column("unit", "unit of both: s, or that of the metric"),
            Column("since", "first build at the new level"),
            Column("difference", "difference of the levels as a share: 0.62 is 62 % more", Holds.NUMBER),
            Column("low", "lower end of its 95 % confidence interval", Holds.NUMBER),
            Column("high", "upper end", Holds.NUMBER),
        ),
        _changes,
    ),
    Table(
        "quarantine",
        "Checks in quarantine, and those that just left",
        (
            Column("check_id", "id of the check"),
            Column("name", "suite and check"),
            Column("state", f"one of {', '.join(QuarantineState)}"),
            Column("since", "first day"),
            Column("until", "last day"),
            Column("passed", "builds in a row in which it passed, this one among them", Holds.INTEGER),
            Column("reason", "why"),
            Column("owner", "owners"),
        ),
        _quarantine,
    ),
)
