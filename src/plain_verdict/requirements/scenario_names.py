"""Finds the scenario, and the row of its outline, that a check ran: by the names that runners give to checks.

Runners write a scenario's name as it stands, in the words of a function, behind its rule or feature, and for a row
filled in, with the row's number, the name of its examples, or its values. So names are compared by their words.
"""

from collections import Counter, defaultdict
from collections.abc import Iterator, Mapping, Sequence
from functools import lru_cache
from itertools import product
from typing import NamedTuple

from plain_verdict.model import Check
from plain_verdict.requirements.scenarios import Scenario, ScenarioRow
from plain_verdict.text.names import split_identifier

_Words = tuple[str, ...]
_BEFORE = frozenset(["test", "scenario", "outline", "template", "example", "rule", "feature"])
"""Words that runners put before a name."""
_EXAMPLE_WORDS = frozenset(["example", "examples", "row", "outline", "scenario", "case"])
"""Words that runners put behind a name, before what tells the row."""
_FILE_FITS = 1_000
"""More than any number of words: a file's name tells more than a feature's."""


class FoundRow(NamedTuple):
    """A row that a check may have run: the numbers of its scenario and of the row in it, both from 0."""

    scenario: int
    row: int


class ScenarioIndex:
    """Scenarios by the words of their names."""

    def __init__(self, scenarios: Sequence[Scenario]) -> None:
        self._scenarios = scenarios
        self._by_name: dict[_Words, set[FoundRow]] = defaultdict(set)
        self._groups: dict[str, set[_Words]] = defaultdict(set)
        """The names of features and rules, by their first word."""
        self._features = {_words(scenario.group[0]) for scenario in scenarios} - {()}
        self._endings: dict[int, Mapping[_Words, set[FoundRow]]] = {}
        self._same_name = Counter(_words(scenario.name) for scenario in scenarios)
        for number, scenario in enumerate(scenarios):
            for name in filter(None, map(_words, scenario.group)):
                self._groups[name[0]].add(name)
            for at, row in enumerate(scenario.rows):
                for name in {_words(scenario.name), _words(row.name)} - {()}:
                    self._by_name[name].add(FoundRow(number, at))

    def find(self, check: Check) -> set[FoundRow]:
        """Return the rows that a check may have run, of those features only that its suite or file names."""
        # Some runners give the outline as a suite, and only the row as a name.
        named = [check.title, check.name, *(f"{suite} {check.title}" for suite in check.suite[-1:])]
        found = next(filter(None, map(self._named, dict.fromkeys(map(_words, named)))), set())
        features = self._features_of(check)
        return self._nearest({row for row in found if not features or features & self._group_of(row)}, check)

    def _nearest(self, found: set[FoundRow], check: Check) -> set[FoundRow]:
        """Return the rows of the scenarios whose feature, rule or file is named most where a check stands."""
        numbers = {row.scenario for row in found}
        if len(numbers) < 2:
            return found
        where = _words(" / ".join((*check.suite, check.title)))
        file = _words(check.location.file if check.location else "")
        fits = {number: _fit(self._scenarios[number], where, file) for number in numbers}
        return {row for row in found if fits[row.scenario] == max(fits.values())}

    def _features_of(self, check: Check) -> set[_Words]:
        """Return the features whose very name a suite of a check has: its scenario is in none but these."""
        parts = {_words(part) for suite in check.suite for part in (suite, suite.rpartition(".")[2])}
        return parts & self._features

    def _group_of(self, row: FoundRow) -> set[_Words]:
        return set(map(_words, self._scenarios[row.scenario].group))

    def _named(self, words: _Words) -> set[FoundRow]:
        """Return the rows whose name a check's name has, the longest, where the rest of it tells the row."""
        for begin in sorted(self._beginnings(words)):
            for end in range(len(words), begin, -1):
                rows = self._by_name.get(words[begin:end])
                if rows and (fitting := self._fitting(rows, words[end:])):
                    return fitting
        return set()

    def _beginnings(self, words: _Words) -> set[int]:
        """Return where a scenario's name may begin: behind words for a test, and behind the names of its groups."""
        # Several may stand before it: a feature, a rule, "Scenario:".
        waiting, seen = [0], set()
        while waiting:
            at = waiting.pop()
            if at in seen or at >= len(words):
                continue
            seen.add(at)
            if words[at] in _BEFORE:
                waiting.append(at + 1)
            groups = self._groups.get(words[at], ())
            waiting += [at + len(group) for group in groups if words[at : at + len(group)] == group]
        return seen

    def _fitting(self, rows: set[FoundRow], ending: _Words) -> set[FoundRow]:
        """Return those of the rows that words behind a scenario's name tell."""
        if not ending:
            return rows
        first = next((at for at, word in enumerate(ending) if word not in _EXAMPLE_WORDS), len(ending))
        scenarios = {row.scenario for row in rows}
        return rows & set().union(*(self._endings_of(number).get(ending[first:], set()) for number in scenarios))

    def _endings_of(self, number: int) -> Mapping[_Words, set[FoundRow]]:
        if number not in self._endings:
            scenario = self._scenarios[number]
            endings: dict[_Words, set[FoundRow]] = defaultdict(set)
            for at, row in enumerate(scenario.rows):
                for words in _endings(row, at + 1):
                    endings[words].add(FoundRow(number, at))
            if len(scenario.rows) == 1:  # functions of one name get a number
                for other in range(1, self._same_name[_words(scenario.name)]):
                    endings[(str(other),)].add(FoundRow(number, 0))
            self._endings[number] = endings
        return self._endings[number]


def words_of_name(name: str) -> _Words:
    """Return the words of a check's or a requirement's name, without those that only say that it is a test."""
    words = _words(name)
    return words[1:] if words[:1] == ("test",) else words


def _endings(row: ScenarioRow, at: int) -> Iterator[_Words]:
    """Yield what runners write behind an outline's name for a row, which is the ``at``-th of all."""
    if not row.number:
        return
    values, examples, filled = (_words(text) for text in (" ".join(row.values), row.examples, row.name))
    yield from filter(None, (values, examples, filled))
    numbers: tuple[_Words, ...] = (tuple(map(str, row.number)), (str(at),))
    for number, before, more in product(numbers, ((), ("example",)), ((), filled, values)):
        yield from ((*number, *more), (*examples, *before, *number, *more), (*number, *examples, *more))


def _fit(scenario: Scenario, where: _Words, file: _Words) -> int:
    """Return how much of a scenario's feature and rule is named where a check stands, 0 for nothing."""
    path = _words(scenario.source)
    is_file = bool(path) and (file[-len(path) :] == path or _holds(where, path) or _holds(where, path[:-1]))
    return sum(len(words) for words in map(_words, scenario.group) if _holds(where, words)) + is_file * _FILE_FITS


def _holds(words: _Words, part: _Words) -> bool:
    return bool(part) and any(words[at : at + len(part)] == part for at in range(len(words) - len(part) + 1))


@lru_cache(50_000)
def _words(name: str) -> _Words:
    return tuple(split_identifier(name))
