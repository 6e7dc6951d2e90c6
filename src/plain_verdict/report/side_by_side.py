"""What the comparison of two runs tells, in order: a heading, two verdicts, and tables that every output writes."""

from collections.abc import Iterator, Sequence

import msgspec

from plain_verdict.model import Change, Comparison, Past
from plain_verdict.model.run_comparison import (
    CauseDifference,
    CheckDifference,
    DurationDifference,
    FactDifference,
    Listed,
    OperationDifference,
    RequirementDifference,
    RuleDifference,
    RunComparison,
)
from plain_verdict.model.run_detail import OperationResult
from plain_verdict.text.formatting import (
    capital,
    format_change,
    format_days,
    format_duration,
    format_failed_share,
    plural,
)

_SHOWN_ROWS = 100  # rows of a table
_OUTCOME_WORDS = {
    Past.PASSED: "passed",
    Past.PASSED_ON_RETRY: "passed",
    Past.FAILED: "failed",
    Past.ERRORED: "errored",
    Past.SKIPPED: "skipped",
    Past.UNDECIDED: "undecided",
    Past.ABSENT: "",
}
_P95 = 95.0
_PACE = 0.1
"""From this share on, all durations together changed for a reason that is worth its words."""


class Cell(msgspec.Struct, frozen=True):
    """A cell: its text, the outcome that stands before it or "", words below it, and whether it is marked.

    ``check`` is the id of the check that it names, or ""; ``in_last``: it is linked in the later run's page.
    """

    text: str = ""
    outcome: str = ""
    note: str = ""
    is_marked: bool = False
    check: str = ""
    in_last: bool = True


class ComparedTable(msgspec.Struct, frozen=True):
    """A table: its name, an aside, heads, rows, and how many rows more there are."""

    name: str
    anchor: str
    aside: str
    heads: tuple[str, ...]
    rows: tuple[tuple[Cell, ...], ...]
    more: int = 0


class SideBySide(msgspec.Struct, frozen=True):
    """What is given of two runs, in order."""

    title: str
    distance: str
    sentences: tuple[str, str]
    summary: str
    notes: tuple[str, ...]
    tables: tuple[ComparedTable, ...]


def side_by_side(compared: RunComparison) -> SideBySide:
    """Return what outputs tell of a comparison; a table without rows is left out."""
    heads = compared.before.label, compared.after.label
    tables = (
        _facts(compared, heads),
        _checks("New failures", "new", compared.new, heads),
        _checks("Still failing", "still", compared.still_failing, heads),
        _checks("Fixed", "fixed", compared.fixed, heads),
        _checks("Failed before, no result now", "not-run", compared.not_run, heads),
        _checks("Passed before, no result now", "stopped", compared.stopped, heads),
        _table("Causes", "causes", "other numbers of failures", ("Cause", *heads), map(_cause, compared.causes)),
        _durations(compared, heads),
        _load(compared, heads),
        _table(
            "Operations",
            "operations",
            "other numbers of wrong answers",
            ("Operation", *heads),
            map(_operation, compared.operations),
        ),
        _table("Rules", "rules", "another outcome", ("Rule", "Severity", *heads), map(_rule, compared.rules)),
        _table(
            "Requirements",
            "requirements",
            "another state",
            ("Requirement", *heads),
            map(_requirement, compared.requirements),
        ),
        _checks(f"Checks only in {heads[0]}", "only-before", compared.only_before, heads, in_last=False),
        _checks(f"Checks only in {heads[1]}", "only-after", compared.only_after, heads),
    )
    return SideBySide(
        _title(compared),
        _distance(compared),
        (
            _sentence(compared.before.label, compared.before.why),
            _sentence(compared.after.label, compared.after.why),
        ),
        _summary(compared),
        compared.notes,
        tuple(table for table in tables if table.rows),
    )


def _title(compared: RunComparison) -> str:
    before, after = compared.before, compared.after
    if before.title == after.title:
        return f"{after.title or 'Without a title'}: {before.label} and {after.label}"
    return f"{before.title} {before.label} and {after.title} {after.label}"


def _distance(compared: RunComparison) -> str:
    """Return how far the runs are from each other."""
    parts = []
    if compared.builds_between:
        parts.append(plural(compared.builds_between, "build"))
    if compared.commits:
        parts.append(plural(compared.commits, "commit"))
    seconds = abs((compared.after.moment - compared.before.moment).total_seconds())
    if seconds:
        parts.append(format_days(seconds))
    if not parts:
        return "of the same moment"
    return f"{', '.join(parts[:-1])} and {parts[-1]} apart" if len(parts) > 1 else f"{parts[0]} apart"


def _sentence(label: str, why: str) -> str:
    return f"{label}: {why}"


def _summary(compared: RunComparison) -> str:
    counted = (
        (compared.new.number, "new"),
        (compared.still_failing.number, "still failing"),
        (compared.fixed.number, "fixed"),
        (compared.not_run.number + compared.stopped.number, "without a result now"),
    )
    parts = [f"{number:,} {what}" for number, what in counted if number]
    shared = f"{plural(compared.shared, 'check')} in both runs"
    return f"{shared}: {', '.join(parts) or 'nothing changed'}."


def _table(
    name: str,
    anchor: str,
    aside: str,
    heads: Sequence[str],
    rows: Iterator[tuple[Cell, ...]],
    number: int | None = None,
) -> ComparedTable:
    all_rows = tuple(rows)
    more = max(0, (len(all_rows) if number is None else number) - _SHOWN_ROWS)
    return ComparedTable(name, anchor, aside, tuple(heads), all_rows[:_SHOWN_ROWS], more)


def _facts(compared: RunComparison, heads: tuple[str, str]) -> ComparedTable:
    number = len(compared.facts) + compared.equal_facts
    aside = f"{len(compared.facts):,} of {plural(number, 'fact')}"
    rows = map(_fact, compared.facts)
    return _table("What differs between the runs", "facts", aside, ("Fact", *heads), rows)


def _fact(fact: FactDifference) -> tuple[Cell, ...]:
    return Cell(fact.key), _value(fact.before), _value(fact.after, is_marked=True)


def _value(value: str | None, *, is_marked: bool = False) -> Cell:
    return Cell(note="not known") if value is None else Cell(value, is_marked=is_marked)


def _checks(
    name: str, anchor: str, listed: Listed[CheckDifference], heads: tuple[str, str], *, in_last: bool = True
) -> ComparedTable:
    # What the later run does not have can only be linked in the page of the earlier one.
    rows = (_check(check, in_last=in_last) for check in listed.entries)
    return _table(name, anchor, f"{listed.number:,}", ("Check", *heads), rows, listed.number)


def _check(check: CheckDifference, *, in_last: bool) -> tuple[Cell, ...]:
    # The suites stand below the name: a column of long paths is hard to read.
    suite, _, name = check.name.rpartition(" › ")
    where = " · ".join(filter(None, (suite, check.owner)))
    return (
        Cell(name, note=where, check=check.id, in_last=in_last),
        _ended(check.before, check.message_before, check.before_s),
        _ended(check.after, check.message_after, check.after_s),
    )


def _ended(past: Past, message: str, seconds: float | None) -> Cell:
    outcome = _OUTCOME_WORDS[past]
    if not outcome:
        return Cell(note=past.words)
    retried = "on a retry" if past is Past.PASSED_ON_RETRY else ""
    return Cell(message or ", ".join(filter(None, (retried, format_duration(seconds)))), outcome)


def _cause(cause: CauseDifference) -> tuple[Cell, ...]:
    return Cell(cause.name), _failures(cause.before), _failures(cause.after)


def _failures(number: int) -> Cell:
    return Cell(plural(number, "failure")) if number else Cell(note="none")


def _durations(compared: RunComparison, heads: tuple[str, str]) -> ComparedTable:
    durations = compared.durations
    builds = durations.builds
    aside = f"significant changes, of {plural(durations.compared, 'duration')}"
    aside += f", by {plural(builds, 'build')} before" if builds else ", by how far all of them scatter"
    if abs(durations.pace) >= _PACE:
        way = "longer" if durations.pace > 0 else "less long"
        aside += f"; all together took {abs(durations.pace):.0%} {way}".replace("%", " %")
    rows = map(_duration, durations.found)
    return _table("Durations", "durations", aside, ("Check", *heads, "Change (95 % CI)"), rows, durations.number)


def _duration(change: DurationDifference) -> tuple[Cell, ...]:
    suite, _, name = change.name.rpartition(" › ")
    return (
        Cell(name, note=suite, check=change.id),
        Cell(format_duration(change.before_s)),
        Cell(format_duration(change.after_s), is_marked=change.change > 0),
        Cell(_interval(change.change, change.low, change.high)),
    )


def _interval(share: float, low: float | None, high: float | None) -> str:
    """Return a change in per cent with its interval: ``+88 % (61 to 120 %)``."""
    words = f"{_per_cent(share)} %"
    if low is None or high is None:
        return words
    # An interval of a short run may reach further down than a time can.
    return f"{words} ({_per_cent(max(-1.0, low))} to {_per_cent(high)} %)"


def _per_cent(share: float) -> str:
    return format_change(round(100 * share))


def _load(compared: RunComparison, heads: tuple[str, str]) -> ComparedTable:
    """Return the p95 of every request, and other percentiles where they changed significantly."""
    load = compared.load
    rows = list(_load_rows(load)) if load else []
    number = sum(change.certain for change in load.changes) if load else 0
    aside = f"{plural(number, 'significant change')} of percentiles"
    return _table("Load", "load", aside, ("Request", *heads, "Change (95 % CI)"), iter(rows))


def _load_rows(load: Comparison) -> Iterator[tuple[Cell, ...]]:
    failed = load.failed
    if failed.before or failed.now:
        certain = "significant" if failed.certain else "no significant change"
        shares = (Cell(format_failed_share(share)) for share in (failed.before, failed.now))
        yield Cell("Failed requests"), *shares, Cell(note=certain)
    # The p95 of each request also where it did not change: a reader looks for it.
    changes = [change for change in load.changes if change.certain or change.per_cent == _P95]
    yield from map(_percentile, sorted(changes, key=lambda change: (not change.certain, -abs(change.share))))
    for name in load.new:
        yield Cell(name), Cell(note="not sent"), Cell("sent"), Cell()
    for name in load.gone:
        yield Cell(name), Cell("sent"), Cell(note="not sent"), Cell()


def _percentile(change: Change) -> tuple[Cell, ...]:
    state = "" if change.certain else "no significant change"
    if change.low_s is None:
        state = "too short, or too few requests"
    return (
        Cell(f"p{change.per_cent:g} of {change.request}"),
        Cell(format_duration(change.before_s)),
        Cell(format_duration(change.now_s), is_marked=change.certain and change.share > 0),
        Cell(_interval(change.share, change.low_share, change.high_share), note=state),
    )


def _operation(operation: OperationDifference) -> tuple[Cell, ...]:
    return Cell(operation.name), _calls(operation.before), _calls(operation.after)


def _calls(result: OperationResult | None) -> Cell:
    if result is None:
        return Cell(note="not called")
    p95 = f"p95 {format_duration(result.p95_s)}" if result.p95_s is not None else ""
    words = f"{result.wrong:,} of {plural(result.calls, 'call')} wrong"
    return Cell(words, "failed" if result.wrong else "passed", p95)


def _rule(rule: RuleDifference) -> tuple[Cell, ...]:
    suite, _, name = rule.name.rpartition(" › ")
    ends = (_ended(past, "", None) for past in (rule.before, rule.after))
    return Cell(name, note=suite, check=rule.id), Cell(rule.severity.value), *ends


def _requirement(requirement: RequirementDifference) -> tuple[Cell, ...]:
    states = (requirement.before, requirement.after)
    cells = (Cell(note="not asked for") if state is None else Cell(capital(state.value)) for state in states)
    return Cell(requirement.id, note=requirement.title), *cells
