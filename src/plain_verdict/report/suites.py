"""The suites of a run, with their checks in the order of the page."""

import re
from collections import defaultdict
from collections.abc import Iterable, Iterator, Sequence
from functools import cached_property

import msgspec

from plain_verdict.model import Check, Checks, Fact, Outcome, Output, Run, Tally, as_columns, detailed_of, tally_of
from plain_verdict.text.formatting import join_list

_VALUES_OF_A_FACT = 4  # in the heading of a suite: more are not what its checks share
QUIET = (Outcome.PASSED, Outcome.SKIPPED)
"""Outcomes that need no reader."""


class Variants(msgspec.Struct, frozen=True):
    """Checks of one name with different parameters, shown as one row; a check by itself is its own row."""

    name: str
    checks: tuple[Check, ...]
    columns: tuple[str, ...]
    tally: Tally

    @property
    def bad(self) -> int:
        """Return how many failed or errored."""
        return self.tally.failed + self.tally.errored

    @property
    def in_words(self) -> str:
        """Return how many failed of how many, or that all are well."""
        return f"{self.bad} of {len(self.checks)}" if self.bad else f"all {len(self.checks)}"

    @property
    def note(self) -> str:
        """Return how many variants there are, and how many of them did not pass."""
        failed = f", {self.bad} failed" if self.bad else ""
        return (
            f"{len(self.checks)} variants{failed}{f', {self.tally.skipped} skipped' if self.tally.skipped else ''}"
        )


class SuiteGroup(msgspec.Struct, frozen=True, dict=True):
    """A suite's own checks, gravest first, with what its files say of it."""

    path: tuple[str, ...]
    checks: Sequence[Check]
    tally: Tally
    took_s: float | None
    facts: tuple[Fact, ...] = ()
    outputs: tuple[Output, ...] = ()

    @property
    def rows(self) -> "Iterable[Check | Variants]":
        """Return the suite's checks, those of one name and several parameters together."""
        return _rows(self.checks)

    @cached_property
    def split_rows(self) -> "tuple[list[Check | Variants], list[Check | Variants]]":
        """Return the rows that need a reader, and those of which all passed or were skipped."""
        notable: list[Check | Variants] = []
        quiet: list[Check | Variants] = []
        for row in self.rows:
            (quiet if _is_quiet(row) else notable).append(row)
        return notable, quiet

    @property
    def shown(self) -> list[Check]:
        """Return the checks in the order of its rows."""
        return [check for rows in self.split_rows for row in rows for check in _checks_of(row)]

    @property
    def quiet_words(self) -> str:
        """Return how many checks the quiet rows have, by outcome."""
        return describe_outcomes([check for row in self.split_rows[1] for check in _checks_of(row)])

    @property
    def is_quiet(self) -> bool:
        """Return whether all its checks passed or were skipped."""
        return all(check.attempts[-1].outcome in QUIET for check in detailed_of(self.checks))

    @property
    def bad(self) -> int:
        """Return how many checks failed or errored."""
        return self.tally.failed + self.tally.errored

    @cached_property
    def variant(self) -> tuple[Fact, ...]:
        """Return the facts of variants that all of several checks share: they stand in the heading."""
        if len(self.checks) < 2 or len(detailed_of(self.checks)) < len(self.checks):
            return ()
        first, *others = (check.variant for check in self.checks)
        return tuple(fact for fact in first if all(fact in other for other in others))


def _checks_of(row: "Check | Variants") -> tuple[Check, ...]:
    return row.checks if isinstance(row, Variants) else (row,)


def _is_quiet(row: "Check | Variants") -> bool:
    return all(check.attempts[-1].outcome in QUIET for check in _checks_of(row))


def describe_outcomes(checks: Sequence[Check]) -> str:
    """Return how many checks ended in each outcome that occurs."""
    return describe_tally(tally_of(checks))


def describe_tally(tally: Tally) -> str:
    """Return how many checks ended in each outcome that occurs."""
    return ", ".join(f"{tally.of(outcome):,} {outcome.value}" for outcome in Outcome if tally.of(outcome))


def part_of(group: SuiteGroup, first: int, most: int) -> SuiteGroup:
    """Return a part of a suite's checks; what its files say of it stands with the first part."""
    outputs = group.outputs if first == 0 else ()
    return msgspec.structs.replace(
        group, checks=as_columns(group.checks).part(first, first + most), outputs=outputs
    )


def make_suites(run: Run, *, with_empty: bool) -> tuple[SuiteGroup, ...]:
    """Return the suites: those with failures first, then those undecided, each by name, numbers in their order.

    ``with_empty``: also those without a check that have something to say.
    """
    checks = run.checks.by_suite()
    facts: dict[tuple[str, ...], list[Fact]] = defaultdict(list)
    outputs: dict[tuple[str, ...], list[Output]] = defaultdict(list)
    for file in run.files:
        for notes in file.suites:
            facts[notes.suite] += notes.facts
            outputs[notes.suite] += notes.outputs
    paths = list(checks)
    if with_empty:
        paths += [path for path, output in outputs.items() if output and path not in checks]
    groups = [_group(path, checks.get(path, Checks()), facts[path], outputs[path]) for path in paths]

    def order(group: SuiteGroup) -> tuple[bool, bool, list[list[tuple[int, int | str]]]]:
        well = not group.bad
        return well, well and not group.tally.undecided, [natural(part) for part in group.path]

    return tuple(sorted(groups, key=order))


def _group(path: tuple[str, ...], checks: Checks, facts: Sequence[Fact], outputs: Sequence[Output]) -> SuiteGroup:
    merged = tuple(merge_facts(facts))
    return SuiteGroup(path, checks.gravest_first(), tally_of(checks), sum_s(checks), merged, tuple(outputs))


def slowest_suites(groups: Sequence[SuiteGroup]) -> list[SuiteGroup]:
    """Return the suites whose checks took longest, where there are enough to distinguish."""
    timed = [group for group in groups if group.took_s and group.path]
    return sorted(timed, key=lambda group: -(group.took_s or 0))[:3] if len(timed) > 3 else []


def _rows(checks: Sequence[Check]) -> Iterator[Check | Variants]:
    together: dict[str, list[Check]] = defaultdict(list)
    for check in checks:
        if check.parameters:
            together[check.name].append(check)
    for check in checks:
        same = together[check.name] if check.parameters else []
        if len(same) < 2:
            yield check
        elif check is same[0]:
            columns = dict.fromkeys(parameter.key for variant in same for parameter in variant.parameters)
            yield Variants(check.name, tuple(same), tuple(columns), tally_of(same))


def natural(text: str) -> list[tuple[int, int | str]]:
    """Return a sorting key by which ``deck 2`` comes before ``deck 10``."""
    parts = re.split(r"([0-9]{1,15})", text.casefold())
    return [(0, int(part)) if part.isdigit() and part.isascii() else (1, part) for part in parts if part]


def sum_s(checks: Sequence[Check]) -> float | None:
    """Return how long all attempts at the checks took together, in seconds; None where none tells it."""
    times = as_columns(checks).times_s()
    return sum(times) if times else None


def merge_facts(facts: Sequence[Fact]) -> list[Fact]:
    """Return each key once, with its distinct values in the order of their first appearance."""
    values: dict[str, dict[str, None]] = defaultdict(dict)
    for fact in facts:
        values[fact.key][fact.value] = None
    return [Fact(key, join_list(list(all_values), most=_VALUES_OF_A_FACT)) for key, all_values in values.items()]
