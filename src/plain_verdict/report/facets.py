"""Facets: by what the list of checks can be narrowed, and which checks have each value."""

from collections import defaultdict
from collections.abc import Iterable, Iterator, Mapping, Sequence
from functools import cached_property
from itertools import chain, groupby, islice

import msgspec

from plain_verdict.model import ChangesSince, Check, Checks, Kind, Run, Verdict, as_columns
from plain_verdict.text.formatting import capital

_MOST_FILES_OF_A_FACET = 200  # more are searched for by their words
_MOST_VALUES_OF_A_FACET = 5_000  # whatever a page links to is among them


class Facet(msgspec.Struct, frozen=True, array_like=True):
    """A facet with its values; ``key`` stands in addresses. Checks are numbers in the page's order: ``0-5,9``."""

    key: str
    label: str
    values: list[tuple[str, str]]


def facets_of(run: Run, verdict: Verdict, since: ChangesSince | None, checks: Sequence[Check]) -> list[Facet]:
    """Return what the checks can be narrowed by, what most people ask for first."""
    checks = as_columns(checks)
    numbers = _Numbers(checks)
    named = chain(
        _of_failures(verdict, since, checks, numbers),
        _of_checks(checks),
        _of_sources(run, verdict, checks, numbers),
    )
    return [facet for facet in (_facet(*values) for values in named) if facet.values]


_Named = tuple[str, str, Mapping[str, Iterable[int]]]
"""A key, a label, and numbers by value."""


class _Numbers:
    """The number of a check in the page's order by its id; most that are asked for have details."""

    def __init__(self, checks: Checks) -> None:
        self._checks = checks
        self._detailed = {check.id: position for position, check in checks.numbered()}

    @cached_property
    def _all(self) -> dict[str, int]:
        return {id_: position for position, id_ in enumerate(self._checks.ids())}

    def of(self, ids: Iterable[str]) -> list[int]:
        """Return the numbers of the checks that there are of these."""
        found = []
        for id_ in ids:
            number = self._detailed.get(id_)
            number = self._all.get(id_) if number is None else number
            if number is not None:
                found.append(number)
        return found


def _of_failures(
    verdict: Verdict, since: ChangesSince | None, checks: Checks, numbers: _Numbers
) -> Iterator[_Named]:
    yield "change", "Change", {name: numbers.of(ids) for name, ids in _changes(since, checks)}
    causes = {cause.name: [check.id for check in cause.checks] for cause in verdict.causes}
    yield "cause", "Cause", {name: numbers.of(ids) for name, ids in causes.items()}
    yield "owner", "Owner", _owners(verdict, checks, numbers)


def _of_checks(checks: Checks) -> Iterator[_Named]:
    yield "tag", "Tag", _by_value((tag, number) for number, check in checks.numbered() for tag in check.tags)
    variants: dict[str, list[tuple[str, int]]] = defaultdict(list)
    for number, check in checks.numbered():
        for fact in check.variant:
            variants[fact.key].append((fact.value, number))
    yield from ((key, capital(key), _by_value(pairs)) for key, pairs in variants.items())


def _of_sources(run: Run, verdict: Verdict, checks: Checks, numbers: _Numbers) -> Iterator[_Named]:
    proved = {result.requirement.label: result.checks for result in run.requirements.results}
    yield "requirement", "Requirement", {id_: numbers.of(ids) for id_, ids in proved.items()}
    yield (
        "operation",
        "Operation",
        _by_value(
            (call.operation.name, number) for call in run.api.calls for number in numbers.of((call.check.id,))
        ),
    )
    yield "rule", "Rule", _rules(checks) if Kind.COMPLIANCE in {kind.kind for kind in verdict.kinds} else {}
    if 1 < len(run.files) <= _MOST_FILES_OF_A_FACET:
        ids = {file.path: as_columns(file.checks).ids() for file in run.files}
        yield "file", "File", {path: numbers.of(of_file) for path, of_file in ids.items()}


def _rules(checks: Checks) -> dict[str, list[int]]:
    """Return the rules that several checks have: on several hosts or pages."""
    rules = _by_value((check.name, number) for number, check in checks.numbered() if check.rule)
    return {name: of_rule for name, of_rule in rules.items() if len(of_rule) > 1}


def _changes(since: ChangesSince | None, checks: Checks) -> Iterator[tuple[str, list[str]]]:
    """Yield (kind of change, ids); passing on a retry is flaky by itself."""
    if since:
        yield from _changes_since(since)
    yield "flaky", [*_flaky_now(checks), *(flakiness.id for flakiness in (since.flaky if since else ()))]


def _flaky_now(checks: Checks) -> list[str]:
    return [check.id for check in checks.detailed if len(check.attempts) > 1 and check.flaky]


def _changes_since(since: ChangesSince) -> Iterator[tuple[str, list[str]]]:
    yield "new failure", [change.id for change in since.new]
    yield "failing again", [change.id for change in since.failing_again]
    yield "still failing", [change.id for change in since.still_failing]
    yield "fixed", [change.id for change in since.fixed]
    yield "in an incident", [id_ for incident in since.incidents for id_ in incident.ids]
    yield "slower", [change.id for change in since.slower]


def _owners(verdict: Verdict, checks: Checks, numbers: _Numbers) -> dict[str, list[int]]:
    """Return the checks of each owner: of their cause, or as a fact of theirs."""
    pairs = [
        (cause.owner, number)
        for cause in verdict.causes
        if cause.owner
        for check in cause.checks
        if not check.owners
        for number in numbers.of((check.id,))
    ]
    pairs += [(owner, number) for number, check in checks.numbered() if check.facts for owner in check.owners]
    return _by_value(pairs)


def _by_value(pairs: Iterable[tuple[str, int]]) -> dict[str, list[int]]:
    found: dict[str, list[int]] = defaultdict(list)
    for value, number in pairs:
        found[value].append(number)
    return found


def _facet(key: str, label: str, values: Mapping[str, Iterable[int]]) -> Facet:
    """Return a facet without the values that no check has."""
    by_value = ((value, sorted(set(numbers))) for value, numbers in values.items() if value)
    known = ((value, ranges(numbers)) for value, numbers in by_value if numbers)
    return Facet(key, label, list(islice(known, _MOST_VALUES_OF_A_FACET)))


def ranges(numbers: Sequence[int]) -> str:
    """Return ascending numbers as text, runs of neighbours as their ends: ``0-5,9``."""
    parts = []
    for _, run_of_pairs in groupby(enumerate(numbers), lambda pair: pair[1] - pair[0]):
        run = [number for _, number in run_of_pairs]
        parts.append(str(run[0]) if len(run) == 1 else f"{run[0]}-{run[-1]}")
    return ",".join(parts)
