"""Tables of earlier runs: the builds of the series, and what changed."""

from collections.abc import Iterator

from plain_verdict.report import Report
from plain_verdict.writers.tables.interface import Column, Holds, Row, Table
from plain_verdict.writers.tables.run import OUTCOMES, counts


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
        ("fixed", since.fixed),
        ("still failing", since.still_failing),
        ("removed", since.removed),
    )
    nothing = (None, None, None)
    for what, change in ((what, change) for what, changes in lists for change in changes):
        yield (what, change.id, change.name, change.before, since.going_on.get(change.id), *nothing)
    for id_ in since.added:
        yield ("added", id_, names.get(id_), None, None, *nothing)
    for flakiness in since.flaky:
        yield ("flaky", flakiness.id, flakiness.name, flakiness.why, flakiness.runs, *nothing)
    for time in (*since.slower, *since.faster):
        bounds = (time.now_s, time.low_s, time.high_s)
        yield ("slower" if time.slower else "faster", time.id or None, time.name, None, time.builds, *bounds)


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
            Column("change", "new, fixed, still failing, removed, added, flaky, slower or faster"),
            Column("check_id", "id of the check; empty: a request or an operation"),
            Column("name", "suite and check, or request"),
            Column("before", "earlier outcome, or reason"),
            Column("builds", "number of builds", Holds.INTEGER),
            Column("now_s", "time in this run", Holds.NUMBER),
            Column("low_s", "shortest earlier time", Holds.NUMBER),
            Column("high_s", "longest earlier time", Holds.NUMBER),
        ),
        _changes,
    ),
)
