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
    lists = (("new", since.new), ("mended", since.mended), ("as before", since.as_before), ("gone", since.gone))
    nothing = (None, None, None)
    for what, several in lists:
        for one in several:
            yield (what, one.id, one.name, one.before, since.going_on.get(one.id), *nothing)
    for id_ in since.added:
        yield ("added", id_, names.get(id_), None, None, *nothing)
    for wobble in since.wobbly:
        yield ("wobbly", wobble.id, wobble.name, wobble.why, wobble.runs, *nothing)
    for time in (*since.slower, *since.faster):
        bounds = (time.now_s, time.low_s, time.high_s)
        yield ("slower" if time.slower else "faster", time.id or None, time.name, None, time.builds, *bounds)


TABLES = (
    Table(
        "history",
        "The builds of the series, this one last",
        (
            Column("build", "what it is called"),
            Column("started", "when it began", Holds.MOMENT),
            Column("made", "when its page was made", Holds.MOMENT),
            Column("verdict", "fit, not fit or undecided; no results: the build is missing"),
            *OUTCOMES,
            Column("branch", "the fact of that name"),
            Column("commit", "the fact of that name"),
            Column("run_id", "the same for the same inputs and facts"),
            Column("page", "where its page stands"),
        ),
        _builds,
    ),
    Table(
        "changes",
        "What changed since the build before",
        (
            Column("change", "new, mended, as before, gone, added, wobbly, slower or faster"),
            Column("check_id", "as in checks; empty: a request or an operation"),
            Column("name", "suite and check, or the request"),
            Column("before", "how it was, or why it is said"),
            Column("builds", "in how many builds", Holds.INTEGER),
            Column("now_s", "the time now", Holds.NUMBER),
            Column("low_s", "the shortest before", Holds.NUMBER),
            Column("high_s", "the longest before", Holds.NUMBER),
        ),
        _changes,
    ),
)
