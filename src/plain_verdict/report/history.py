"""The overview of a run among those of its series: the builds as a strip, what changed, is flaky, is slower."""

from collections.abc import Iterator, Mapping, Sequence
from itertools import pairwise

import msgspec

from plain_verdict.history.alignment import unlike_positions
from plain_verdict.history.keeping import cause_key
from plain_verdict.model import (
    BAD,
    Build,
    Cause,
    Changed,
    ChangesSince,
    Check,
    Flakiness,
    HistoryContext,
    Incident,
    LevelChange,
    Past,
    Run,
    Tally,
    Verdict,
    VerdictWord,
)
from plain_verdict.report.commits import describe_change
from plain_verdict.text.formatting import (
    capital,
    format_duration,
    format_metric,
    join_list,
    plural,
    shorten,
    spelled,
)
from plain_verdict.text.patterns import pattern

SHOWN_BUILDS = 20
"""Builds in the strip and in the table, this one among them."""
_LISTED = 5  # changes of a kind: the table has all
_MOST_IN_A_LINE, _NAME_CHARS = 3, 90  # in one line on a kind of change
_INCIDENT_BUILDS = 8  # named in a line
_SLOW_MACHINE = 0.2
"""From this share on, all checks together took longer for a reason that is worth a line."""
_LABEL_CHARS = 8
_LAST_NUMBER = pattern(r"(\d+)\D*$")
_ROWS = 60  # builds of the table
SINGLE_GAPS = 3
"""Missing builds up to which each has its own place in the strip."""
_STRIP_HEIGHT = 56.0
_LEAST_BAD = 3.0  # of the strip's height: a single failure among thousands must still be seen


class Post(msgspec.Struct, frozen=True):
    """A build in the strip, or builds that have no results. Heights are of what failed, and of the rest."""

    label: str
    words: str
    link: str = ""
    good: float = 0.0
    bad: float = 0.0
    is_now: bool = False
    missing: bool = False


class Entry(msgspec.Struct, frozen=True):
    """A line of a list: a check, or only its name where the run has it no more; and what is reported of it."""

    check: Check | None
    name: str
    words: str


class ChangeList(msgspec.Struct, frozen=True):
    """A list of what changed: its name, its first entries, how many more there are, and where those stand."""

    name: str
    entries: tuple[Entry, ...]
    more: int
    link: str = ""


class GridRow(msgspec.Struct, frozen=True):
    """How a check ended in each build of the table, this one last."""

    check: Check
    cells: tuple[Past, ...]


class HistoryOverview(msgspec.Struct, frozen=True):
    """What is given, in order."""

    against: str
    builds: str
    lead: str
    posts: tuple[Post, ...]
    lists: tuple[ChangeList, ...]
    remarks: tuple[str, ...]
    columns: tuple[str, ...]
    rows: tuple[GridRow, ...]
    unlisted: int


def history_overview(
    run: Run, verdict: Verdict, since: ChangesSince, changed: Mapping[str, str]
) -> HistoryOverview:
    """Return the overview of a run and an earlier one; ``changed`` as ``changed_checks`` tells it."""
    builds = since.traces.builds[-(SHOWN_BUILDS - 1) :]
    rows, unlisted = _grid(run, changed)
    return HistoryOverview(
        against=since.against.label,
        builds=plural(len(builds) + 1, "build"),
        lead=_lead(verdict, since),
        posts=tuple(_shortened(list(_posts(run.tally, verdict.word, since, len(builds))))),
        lists=tuple(listed for listed in _lists(run, since) if listed.entries),
        remarks=tuple(_remarks(since)),
        columns=(*(build.label for build in builds), since.build or "now"),
        rows=rows,
        unlisted=unlisted,
    )


def _lead(verdict: Verdict, since: ChangesSince) -> str:
    numbers = (
        (since.new, "new"),
        (since.failing_again, "failing again"),
        (since.fixed, "fixed"),
        (since.still_failing, "still failing"),
    )
    parts: list[str] = []
    for changes, what in numbers:
        if changes:
            number = spelled(len(changes), "failure") if not parts else spelled(len(changes), "failure").split()[0]
            parts.append(f"{number} {'is' if len(changes) == 1 else 'are'} {what}")
    lead = ", ".join(parts) or "no check fails, as in the build before"
    counting = [cause for cause in verdict.causes if not verdict.aside_of(cause)]
    longest = max(((going_on(cause, since), cause.name) for cause in counting), default=(0, ""))
    if longest[0] > 1:
        lead += f"; “{longest[1]}” has failed in the last {spelled(longest[0], 'build')}"
    return f"{capital(lead)}."


def change_lines(since: ChangesSince) -> list[str]:
    """Return what is fixed, still failing, flaky and slower, a line each; new failures have their own list."""
    named = (
        ("Fixed", [_short(change.name) for change in since.fixed]),
        ("Still failing", [_short(change.name) for change in since.still_failing]),
        ("Flaky", [_short(flakiness.name) for flakiness in since.flaky]),
        ("Incidents", list(map(describe_incident, since.incidents))),
        ("Slower", [f"{_short(change.name)} ({describe_level(change)})" for change in since.slower]),
        ("Metrics", [f"{_short(change.name)} ({describe_level(change)})" for change in since.metrics]),
    )
    return [
        f"{label}, {len(names):,}: {join_list(names, most=_MOST_IN_A_LINE)}." for label, names in named if names
    ]


def _short(name: str) -> str:
    """Return the last part of a check's whole name: its suites stand where there is room."""
    return f"“{shorten(name.rpartition(' › ')[2], _NAME_CHARS)}”"


def describe_level(change: LevelChange) -> str:
    """Return how far a level is from the one before, since when: ``since 4207, +62 % (95 % CI 41 to 80 %)``."""
    share, low, high = (_percent(value) for value in (change.change, change.low, change.high))
    sign = "+" if change.is_more else "−"
    ends = (low, high) if change.is_more else (high, low)
    return f"since {change.since}, {sign}{share} % (95 % CI {ends[0]} to {ends[1]} %)"


def _percent(share: float) -> str:
    return f"{abs(round(100 * share)):,}"


def _before_and_now(change: LevelChange) -> str:
    return f"{_value(change.now, change.unit)}, before {_value(change.before, change.unit)}"


def _value(number: float, unit: str) -> str:
    return format_duration(number) if unit == "s" else format_metric(number, unit)


def going_on(cause: Cause, since: ChangesSince) -> int:
    """Return in how many builds in a row a cause was there, this one among them."""
    key = cause_key(cause)
    number = 1
    for build in reversed(since.traces.builds):
        if all(build_cause.key != key for build_cause in build.causes):
            break
        number += 1
    return number


def describe_cause(cause: Cause, since: ChangesSince) -> str:
    """Return since when a cause is there, in words."""
    number, builds = going_on(cause, since), since.traces.builds
    if number > 1:
        every = number > len(builds)
        return f"{'in all' if every else f'since {builds[1 - number].label},'} {plural(number, 'build')}"
    key = cause_key(cause)
    last = next(
        (build.label for build in reversed(builds) if any(build_cause.key == key for build_cause in build.causes)),
        "",
    )
    return f"failing again, last in {last}" if last else "new"


def _posts(tally: Tally, word: VerdictWord, since: ChangesSince, shown: int) -> Iterator[Post]:
    builds = since.traces.builds
    most = max([tally.total, *(build.tally.total for build in builds[-shown:])], default=0) or 1
    for position in range(len(builds) - shown, len(builds)):
        if position > len(builds) - shown:
            yield from _gap(since.missing.get(position, ()))
        build = builds[position]
        yield _post(build.label, build.verdict, build.tally, most, build.page)
    yield from _gap(since.missing.get(len(builds), ()))
    post = _post(since.build or "now", word, tally, most)
    yield msgspec.structs.replace(post, is_now=True)


def _shortened(posts: Sequence[Post]) -> Iterator[Post]:
    """Yield the strip with the last number of each key where keys are too long to stand below their bars."""
    if max(len(post.label) for post in posts) <= _LABEL_CHARS:
        yield from posts
        return
    for post in posts:
        number = _LAST_NUMBER.search(post.label)
        label = number[1] if number and not post.missing else shorten(post.label, _LABEL_CHARS)
        yield msgspec.structs.replace(post, label=label)


def _gap(missing: Sequence[str]) -> Iterator[Post]:
    if len(missing) <= SINGLE_GAPS:
        yield from (Post(key, f"{key}: no results", missing=True) for key in missing)
    else:
        words = f"{missing[0]} to {missing[-1]}: no results"
        yield Post(f"{len(missing)} missing", words, missing=True)


def _post(label: str, word: VerdictWord, tally: Tally, most: int, link: str = "") -> Post:
    failed = tally.failed + tally.errored
    bad = _STRIP_HEIGHT * failed / most
    whole = _STRIP_HEIGHT * tally.total / most
    bad = min(max(bad, _LEAST_BAD), whole) if failed else 0.0
    words = f"{label}: {word.value}, {failed:,} of {plural(tally.total, 'check')} failed"
    return Post(label, words, link, round(max(0.0, whole - bad), 1), round(bad, 1))


def _lists(run: Run, since: ChangesSince) -> Iterator[ChangeList]:
    lists = (since.new, since.failing_again, since.fixed, since.flaky, since.slower, since.faster)
    wanted = {change.id for listed in lists for change in listed[:_LISTED]} | {*since.added[:_LISTED]}
    checks = {check.id: check for check in run.checks.named(wanted)}

    def listed(name: str, rows: Sequence[tuple[str, str, str]], number: int, link: str = "") -> ChangeList:
        entries = tuple(Entry(checks.get(id_), text, words) for id_, text, words in rows)
        return ChangeList(name, entries, number - len(entries), link)

    yield listed("New", list(map(_changed, since.new[:_LISTED])), len(since.new), "show=new")
    again = since.failing_again
    yield listed("Failing again", list(map(_changed, again[:_LISTED])), len(again), "only=change:failing again")
    yield listed("Fixed", list(map(_changed, since.fixed[:_LISTED])), len(since.fixed), "only=change:fixed")
    yield listed("Flaky", list(map(_flaky, since.flaky[:_LISTED])), len(since.flaky), "only=change:flaky")
    yield listed("Incidents", list(map(_incident, since.incidents[:_LISTED])), len(since.incidents))
    yield listed("Slower", list(map(_level, since.slower[:_LISTED])), len(since.slower), "only=change:slower")
    yield listed("Faster", list(map(_level, since.faster[:_LISTED])), len(since.faster))
    yield listed("Metrics", list(map(_level, since.metrics[:_LISTED])), len(since.metrics))
    yield listed("Removed", list(map(_changed, since.removed[:_LISTED])), len(since.removed))
    added = [(id_, "", "new in this run") for id_ in since.added[:_LISTED]]
    yield listed("Added", added, len(since.added))


def _changed(change: Changed) -> tuple[str, str, str]:
    return change.id, change.name, describe_change(change)


def _flaky(flakiness: Flakiness) -> tuple[str, str, str]:
    low, high = round(100 * flakiness.low), round(100 * flakiness.high)
    interval = f"95 % CI {low} to {high} %"
    share = f"failed or needed a retry in {flakiness.unsteady} of its last {flakiness.runs} runs ({interval})"
    return flakiness.id, flakiness.name, f"{share}; {flakiness.why}" if flakiness.why else share


def describe_incident(incident: Incident) -> str:
    """Return an incident in words: its cause or first check, how many checks, in which builds."""
    name = incident.cause or incident.names[0].rpartition(" › ")[2]
    builds = f"in {plural(len(incident.builds), 'build')}: {join_list(incident.builds, most=_INCIDENT_BUILDS)}"
    now = ", and now" if incident.is_now else ""
    return f"“{shorten(name, _NAME_CHARS)}”, {plural(len(incident.ids), 'check')} together, {builds}{now}"


def _incident(incident: Incident) -> tuple[str, str, str]:
    """Return an incident as an entry: its checks stand behind its words."""
    names = [name.rpartition(" › ")[2] for name in incident.names]
    return "", describe_incident(incident), join_list(names, most=_MOST_IN_A_LINE)


def _level(change: LevelChange) -> tuple[str, str, str]:
    words = f"{describe_level(change)}: {_before_and_now(change)}, the level of {plural(change.builds, 'build')}"
    return change.id, change.name, words


def _span(low_s: float, high_s: float) -> str:
    low, high = format_duration(low_s), format_duration(high_s)
    return low if low == high else f"{low} to {high}"


def _remarks(since: ChangesSince) -> Iterator[str]:
    if since.pace >= _SLOW_MACHINE:
        lead = f"All checks together took {round(100 * since.pace):,} % longer than usual"
        yield f"{lead}: the machine may have been slow. Changes of single checks leave that out."
    missing = [key for name in since.missing.values() for key in name]
    if missing:
        verb = "has" if len(missing) == 1 else "have"
        yield f"{capital(join_list(missing, most=4))} {verb} no results."


def changed_checks(context: HistoryContext) -> dict[str, str]:
    """Return by id how each check ended in the last builds and in this one, of those that did not always end so."""
    if context.since is None:
        return {}
    rows = (*context.since.traces.outcomes[-(SHOWN_BUILDS - 1) :], context.now.outcomes)
    found = {}
    for position in unlike_positions(rows):
        cells = "".join([row[position] for row in rows])
        kinds = set(cells)
        if len(kinds) > 2 or Past.ABSENT not in kinds:
            found[context.now.check_index.ids[position]] = cells
    return found


def _grid(run: Run, changed: Mapping[str, str]) -> tuple[tuple[GridRow, ...], int]:
    """Return a row for each check that changed at all, what fails now first, then what changed most."""

    def order(check: Check) -> tuple[bool, int]:
        ran = changed[check.id].replace(Past.ABSENT, "")
        return check.outcome not in BAD, -sum(low != high for low, high in pairwise(ran))

    checks = sorted(run.checks.named(changed), key=order) if changed else []
    rows = tuple(GridRow(check, tuple(map(Past, changed[check.id]))) for check in checks[:_ROWS])
    return rows, len(checks) - len(rows)


def describe_trace(trace: Sequence[tuple[Build, Past, float | None]]) -> str:
    """Return what became of a check in the builds before, in words."""
    there = [(build, past) for build, past, _ in trace if past is not Past.ABSENT]
    if not there:
        return "not in earlier builds"
    letters = {past for _, past in there}
    parts = []
    for wanted, verb in _ENDED:
        if not letters.isdisjoint(wanted):
            builds = [build for build, past in there if past in wanted]
            by_name = Past.PASSED not in wanted  # which builds passed is of no interest
            parts.append(f"{verb} in {_which_builds(builds, len(there), by_name=by_name)}")
    return f"{', '.join(parts)}{_times_when_passed(trace)}"


def _times_when_passed(trace: Sequence[tuple[Build, Past, float | None]]) -> str:
    times = [took for _, past, took in trace if took and past in (Past.PASSED, Past.PASSED_ON_RETRY)]
    return f"; {_span(min(times), max(times))} when it passed" if times else ""


_ENDED = (
    ((Past.PASSED,), "passed"),
    ((Past.PASSED_ON_RETRY,), "passed on retry"),
    ((Past.FAILED,), "failed"),
    ((Past.ERRORED,), "could not finish"),
    ((Past.SKIPPED, Past.UNDECIDED), "skipped or undecided"),
)


def _which_builds(builds: Sequence[Build], number: int, *, by_name: bool) -> str:
    if len(builds) == number:
        return f"all of the last {number} builds" if number > 1 else builds[0].label
    if not by_name:
        return f"{len(builds)} of {plural(number, 'build')}"
    return join_list([build.label for build in builds], most=4)
