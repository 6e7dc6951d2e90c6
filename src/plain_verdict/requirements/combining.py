"""All requirements of a run: those of lists, and those that scenarios of feature files stand for."""

from collections import Counter, defaultdict
from collections.abc import Iterator, Mapping, Sequence
from itertools import takewhile
from typing import NamedTuple

import msgspec

from plain_verdict.model import Requirement
from plain_verdict.requirements.ids import IdIndex, IdPattern, ids_of_tag, prefix_of
from plain_verdict.requirements.scenario_names import FoundRow
from plain_verdict.requirements.scenarios import Scenario, ScenarioRow
from plain_verdict.text.formatting import join_list, plural

_MOST_TITLES = 2
"""Names of scenarios that make the title of one requirement."""
_MOST_TAGS = 5
"""Tags in no list that a note names for a file."""


class AllRequirements(NamedTuple):
    """The requirements in their order, the numbers (from 0) of those that each row of a scenario proves, notes."""

    requirements: Sequence[Requirement]
    of_row: Mapping[FoundRow, frozenset[int]]
    notes: Sequence[str]


def all_requirements(
    listed: Sequence[Requirement], scenarios: Sequence[Scenario], pattern: IdPattern
) -> AllRequirements:
    """Return all requirements: a scenario with the id of a listed one proves that, any other stands for itself."""
    unlisted = _Unlisted(listed, scenarios, pattern)
    of_row = {
        FoundRow(at, number): unlisted.proved_by(at, row)
        for at, scenario in enumerate(scenarios)
        for number, row in enumerate(scenario.rows or [ScenarioRow(scenario.name, scenario.tags)])
    }
    requirements = [*listed, *unlisted.requirements()]
    return AllRequirements(requirements, of_row, [*unlisted.notes(), *_without_rows(scenarios)])


class _FromScenarios:
    """A requirement that is in no list: an id among tags, or a scenario without one."""

    def __init__(self, id_: str, number: int) -> None:
        self.id = id_
        self.number = number
        self.scenarios: dict[int, Scenario] = {}
        self.carriers: dict[str, None] = {}

    def requirement(self) -> Requirement:
        scenarios = list(self.scenarios.values())
        return Requirement(
            self.id,
            join_list(list(self.carriers), _MOST_TITLES),
            _shared([scenario.group for scenario in scenarios]),
            steps=scenarios[0].steps if len(scenarios) == 1 else (),
            source=scenarios[0].source,
        )


def _shared(groups: Sequence[tuple[str, ...]]) -> tuple[str, ...]:
    """Return the features and rules that stand above all."""
    levels = takewhile(lambda names: len(set(names)) == 1, zip(*groups, strict=False))
    return tuple(names[0] for names in levels)


class _Unlisted:
    """Collects what scenarios stand for that is in no list."""

    def __init__(self, listed: Sequence[Requirement], scenarios: Sequence[Scenario], pattern: IdPattern) -> None:
        self._listed = IdIndex([requirement.id for requirement in listed])
        self._first_number = len(listed)
        self._prefixes = frozenset(prefix_of(requirement.id) for requirement in listed)
        self._scenarios = scenarios
        self._pattern = pattern
        self._found: dict[str | int, _FromScenarios] = {}
        """By the id without case, or by the number of the scenario."""
        self._tags: dict[str, dict[str, None]] = defaultdict(dict)
        """Tags that look like the ids of a list and are in none, by file."""

    def proved_by(self, at: int, row: ScenarioRow) -> frozenset[int]:
        """Return the numbers of the requirements that a row of a scenario proves."""
        scenario = self._scenarios[at]
        found = {number for tag in row.tags for id_ in ids_of_tag(tag) for number in self._listed.find(id_)}
        unlisted = self._unlisted_ids(row, scenario.source, all_that_look_so=not found)
        found |= {self._number_of(id_.casefold(), id_, at, carrier) for id_, carrier in unlisted}
        # A scenario without an id is still something that was asked for.
        if not found:
            found.add(self._number_of(at, scenario.name or f"line {scenario.line:,}", at, scenario.name))
        return frozenset(found)

    def _unlisted_ids(self, row: ScenarioRow, source: str, *, all_that_look_so: bool) -> Iterator[tuple[str, str]]:
        """Yield ids among tags that are in no list, and what carries them: like those of lists, or all."""
        for tag, carrier in row.tags.items():
            for id_ in self._pattern.in_tag(tag):
                looks_listed = prefix_of(id_) in self._prefixes
                if self._listed.find(id_) or not (looks_listed or all_that_look_so):
                    continue
                if looks_listed:
                    self._tags[source][f"@{tag}"] = None
                yield id_, carrier

    def _number_of(self, key: str | int, id_: str, at: int, carrier: str) -> int:
        """Return the number of a requirement that a scenario carries."""
        entry = self._found.setdefault(key, _FromScenarios(id_, self._first_number + len(self._found)))
        entry.scenarios[at] = self._scenarios[at]
        entry.carriers[carrier] = None
        return entry.number

    def requirements(self) -> Iterator[Requirement]:
        """Yield them in the order of their numbers; scenarios of one name with what sets them apart."""
        same_id = Counter(entry.id.casefold() for entry in self._found.values())
        same_feature = Counter(self._in_feature(entry) for entry in self._found.values())
        for entry in self._found.values():
            requirement = entry.requirement()
            if same_id[entry.id.casefold()] > 1:
                first = next(iter(entry.scenarios.values()))
                is_alone = same_feature[self._in_feature(entry)] == 1
                where = first.group[0] if is_alone else f"{first.source}:{first.line}"
                requirement = msgspec.structs.replace(requirement, disambiguator=where)
            yield requirement

    def _in_feature(self, entry: _FromScenarios) -> tuple[str, str]:
        return (entry.id.casefold(), next(iter(entry.scenarios.values())).group[0])

    def notes(self) -> Iterator[str]:
        """Yield that files have tags that look like ids and are in no list."""
        for source, tags in self._tags.items():
            yield f"{source} has {plural(len(tags), 'tag')} that no list has: {join_list(list(tags), _MOST_TAGS)}."


def _without_rows(scenarios: Sequence[Scenario]) -> Iterator[str]:
    for scenario in scenarios:
        if not scenario.rows:
            where = f"{scenario.source}, line {scenario.line:,}"
            yield f"The outline “{scenario.name}” has no rows, so that nothing can prove it ({where})."
