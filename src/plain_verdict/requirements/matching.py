"""Tells which checks say whether a requirement is met."""

from collections import Counter, defaultdict
from collections.abc import Iterator, Sequence
from typing import NamedTuple

import msgspec

from plain_verdict.model import Check, Outcome, RequirementResult, Requirements, RequirementState, Run
from plain_verdict.requirements.combining import AllRequirements, all_requirements
from plain_verdict.requirements.ids import (
    IdIndex,
    IdPattern,
    ids_in,
    ids_of_tag,
    ids_seen_in,
    is_key,
    looks_like_id,
)
from plain_verdict.requirements.reading import FoundRequirements
from plain_verdict.requirements.scenario_names import FoundRow, ScenarioIndex, words_of_name
from plain_verdict.text.formatting import join_list, plural

_MOST_SEEN = 5
"""Ids that a note names."""


def with_requirements(run: Run, read: FoundRequirements, pattern: str) -> Run:
    """Return the run with requirements; ``pattern``, an expression, finds ids in the names of checks."""
    ids = IdPattern(pattern)
    combined = all_requirements(read.requirements, read.scenarios, ids)
    links = _Links(combined, read, ids)
    for check in run.checks:
        links.add(check)
    notes = [*read.notes, *combined.notes, *links.notes(len(run.checks))]
    if ids.unsearched:
        notes.append(
            f"The pattern for requirements takes too long on {plural(ids.unsearched, 'name')} of checks, so"
            " requirements of theirs may be missing; write it simpler."
        )
    whole = read.whole and not ids.unsearched
    unknown = tuple(sorted(links.unknown.items()))
    return msgspec.structs.replace(
        run, requirements=Requirements(tuple(links.results()), unknown, tuple(notes), given=True, whole=whole)
    )


class _OfScenario(NamedTuple):
    """The numbers of the requirements that all rows prove which a check may have run, and those that any does."""

    all: frozenset[int]
    any: frozenset[int]


class _Links:
    """Which requirements checks prove: those they name, those of their tags, their scenario and their name."""

    def __init__(self, combined: AllRequirements, read: FoundRequirements, pattern: IdPattern) -> None:
        self._listed = len(read.requirements)
        self._scenarios = read.scenarios
        self._combined = combined
        self._pattern = pattern
        self._index = ScenarioIndex(read.scenarios)
        self._ids = IdIndex([requirement.id for requirement in combined.requirements])
        self._by_title: dict[tuple[str, ...], list[int]] = defaultdict(list)
        for number, requirement in enumerate(read.requirements):
            self._by_title[words_of_name(requirement.title)].append(number)
        self._by_title.pop((), None)
        self._checks: dict[int, list[Check]] = defaultdict(list)
        self._unsure: dict[frozenset[int], list[Check]] = defaultdict(list)
        """Checks by the requirements among which nothing tells theirs."""
        self._run: set[FoundRow] = set()
        self._known_scenarios: dict[tuple[str, tuple[str, ...], str], _OfScenario] = {}
        self.unknown: Counter[str] = Counter()
        """Ids that checks name and no requirement has."""
        self._seen: dict[str, None] = {}

    def add(self, check: Check) -> None:
        """Note what a check proves."""
        of_scenario = self._of_scenario(check)
        surely = self._named_by(check, of_scenario.any) | of_scenario.all
        perhaps = of_scenario.any - surely
        for number in sorted(surely | perhaps):
            self._checks[number].append(check)
        if perhaps:
            self._unsure[perhaps].append(check)
        if not surely and not perhaps:
            self._seen.update(dict.fromkeys(self._like_ids(check)))

    def _of_scenario(self, check: Check) -> "_OfScenario":
        """Return what the scenario of a check proves: looked for once, however many checks have its name."""
        key = (check.title, check.suite, check.location.file if check.location else "")
        if key not in self._known_scenarios:
            rows = self._index.find(check)
            self._run |= rows
            by_row = [self._combined.of_row[row] for row in rows]
            of_all = frozenset.intersection(*by_row) if by_row else frozenset()
            self._known_scenarios[key] = _OfScenario(of_all, frozenset().union(*by_row))
        return self._known_scenarios[key]

    def _named_by(self, check: Check, of_scenario: frozenset[int]) -> frozenset[int]:
        """Return what a check names by ids, or by its name where its scenario has no id of a list."""
        numbers = {number for name in dict.fromkeys(self._named(check)) for number in self._known(name)}
        # Most tags mean something else, so one that is no id is none that is unknown.
        numbers |= {number for tag in check.tags for id_ in ids_of_tag(tag) for number in self._ids.find(id_)}
        if not any(number < self._listed for number in of_scenario):
            numbers.update(self._by_title.get(words_of_name(check.name), ()))
        return frozenset(numbers)

    def _named(self, check: Check) -> Iterator[str]:
        """Yield the requirements that a check names."""
        for value in (*check.requirements, *(fact.value for fact in check.facts if is_key(fact.key))):
            yield from [value] if self._ids.find(value) else ids_in(value)
        yield from self._pattern.in_name(check.title)

    def _known(self, name: str) -> Sequence[int]:
        found = self._ids.find(name)
        if not found:
            self.unknown[name] += 1
        return found

    def _like_ids(self, check: Check) -> Iterator[str]:
        """Yield what looks like ids in a check that proves nothing."""
        yield from (tag for tag in check.tags if any(map(looks_like_id, ids_of_tag(tag))))
        yield from self._named(check)
        yield from ids_seen_in(check.title)

    def results(self) -> Iterator[RequirementResult]:
        """Yield how each requirement stands, with its checks and the scenarios that no check ran."""
        not_run, too_few = self._not_run(), self._too_few()
        for number, requirement in enumerate(self._combined.requirements):
            checks = self._checks[number]
            state = state_of(checks)
            sure = [check for check in checks if (number, check.id) not in too_few]
            if state is RequirementState.MET and state_of(sure) is not RequirementState.MET:
                state = RequirementState.UNDECIDED
            ids = tuple(check.id for check in checks)
            yield RequirementResult(requirement, state, ids, tuple(not_run.get(number, ())))

    def _not_run(self) -> dict[int, dict[str, None]]:
        """Return the rows of scenarios that no check ran, by the requirements of which another row was run."""
        begun = {number for row in self._run for number in self._combined.of_row[row]}
        names: dict[int, dict[str, None]] = defaultdict(dict)
        for row, numbers in self._combined.of_row.items():
            for number in numbers & begun if row not in self._run else ():
                names[number][self._name_of(row)] = None
        return names

    def _too_few(self) -> set[tuple[int, str]]:
        """Return numbers of requirements with checks that may be theirs, where fewer ran than may have them."""
        return {
            (number, check.id)
            for numbers, checks in self._unsure.items()
            for number in numbers
            for check in checks
            if _times_run(checks) < len(numbers)
        }

    def _name_of(self, row: FoundRow) -> str:
        scenario = self._scenarios[row.scenario]
        named = scenario.rows[row.row] if scenario.rows else None
        if named is None or named.name != scenario.name or not named.values:
            return named.name if named else scenario.name
        return f"{scenario.name} ({', '.join(named.values)})"

    def notes(self, number: int) -> Iterator[str]:
        """Yield what is odd about the links of so many checks."""
        if number and self._combined.requirements and not any(self._checks.values()):
            seen = join_list(list(self._seen), _MOST_SEEN)
            where = f"seen were: {seen}" if seen else "none of their tags, properties and names looks like one"
            yield f"None of {plural(number, 'check')} names any of these ids; {where}."
        for numbers, checks in self._unsure.items():
            ids = join_list([self._combined.requirements[each].label for each in sorted(numbers)])
            yield (
                f"{plural(len(checks), 'check')} “{checks[0].name}” may belong to {ids}:"
                " name, suite and file fit each of them."
            )


def _times_run(checks: Sequence[Check]) -> int:
    """Return how many checks of one name ran: the same one in two browsers is one."""
    return max(Counter(check.variant for check in checks).values())


def state_of(checks: Sequence[Check]) -> RequirementState:
    """Return how a requirement stands: met if all of its checks that ran passed, and one at least did."""
    ran = [check.outcome for check in checks if check.outcome is not Outcome.SKIPPED]
    if not ran:
        return RequirementState.NOT_CHECKED
    if any(outcome in (Outcome.FAILED, Outcome.ERRORED) for outcome in ran):
        return RequirementState.NOT_MET
    return RequirementState.UNDECIDED if Outcome.UNDECIDED in ran else RequirementState.MET
