"""Follows the events of one JUnit XML file and collects what it holds."""

import re
from collections import defaultdict
from collections.abc import Mapping, Sequence
from contextlib import suppress
from datetime import datetime, timedelta
from hashlib import blake2b
from itertools import islice
from typing import NamedTuple

import msgspec

from plain_verdict.model import (
    BAD,
    Attempt,
    Check,
    Fact,
    Kind,
    Outcome,
    Output,
    Problem,
    SuiteNotes,
    gravest,
    passed_in,
)
from plain_verdict.model.facts import MACHINE, VARIANT_FACTS
from plain_verdict.model.ids import check_id, id_within, suite_digest
from plain_verdict.readers.interface import NAMELESS, SUITE_ITSELF, too_many_checks
from plain_verdict.readers.junit.case import (
    PROBLEMS,
    CaseReader,
    deep_problems,
    read_facts,
    read_output,
    read_problem,
)
from plain_verdict.readers.junit.counts import Counts, disagreement, read_announced
from plain_verdict.readers.junit.names import location_of, split_parameters, without_run
from plain_verdict.readers.junit.outcome_words import outcome_words_of_suite
from plain_verdict.readers.junit.tags import CASE, KNOWN_ATTRIBUTES, SUITE, with_known_names
from plain_verdict.readers.junit.tree import Node
from plain_verdict.settings.limits import Limits
from plain_verdict.text.cleaning import single_line
from plain_verdict.text.moments import read_moment
from plain_verdict.text.patterns import pattern

# Names that runners give when nobody named the suite; they tell the reader nothing.
_NO_NAMES = frozenset(
    {"", "pytest", "pytest tests", "(empty)", "undefined", "test", "tests", "AllTests", "Root Suite"}
)
_PARAMETER_ATTRIBUTES = {"value_param": "value", "type_param": "type"}
_PLAIN = frozenset(("name", "classname", "time"))
"""Attributes of a case that say nothing but what it is and how long it took."""
_TEAR_DOWN = pattern(r"tear[\s_-]?down", re.IGNORECASE)
_NOT_WELL = (*BAD, Outcome.UNDECIDED)
_OUTCOME_CHARS = 40
_DISAMBIGUATING = (MACHINE, "package", *VARIANT_FACTS, "device", "os")
"""Facts that set suites of one name apart."""


class _Within(NamedTuple):
    """The suite that a check stands in: its raw path and as it is shown, and what its checks' ids begin from."""

    path: tuple[str, ...]
    shown: tuple[str, ...]
    digest: blake2b


class _OpenSuite:
    """A suite whose end is not read yet. ``path`` is its raw names, cleaned only of what varies between runs."""

    __slots__ = (
        *("bad_children", "children", "direct", "element", "found", "inside", "labels", "path", "repeated", "seen"),
    )

    def __init__(self, element: Node, path: tuple[str, ...]) -> None:
        self.element = element
        self.path = path
        self.found: dict[str, _Within] = {}
        """Suites of its cases, by their class."""
        self.inside = Counts()
        self.direct = Counts()
        self.children = 0
        self.bad_children = 0
        self.labels: dict[str, str] = {}
        """What may set its checks apart from others of their names; complete at its end."""
        self.seen: dict[object, int] = {}
        """The number of the last check of each name."""
        self.repeated: dict[object, list[int]] = {}
        """Numbers of checks, of each name that it has more than once."""


class JunitWalk:
    """Follows the events of one file and collects its checks, suites, times and disagreements."""

    def __init__(self, limits: Limits, kind: Kind) -> None:
        self._kind = kind
        self.limits = limits
        self._name_chars = limits.name_chars
        self.cases = CaseReader(limits)
        self.checks: list[Check] = []
        self.suites: list[SuiteNotes] = []
        self.disagreements: list[str] = []
        self.promises: list[str] = []
        """What suites announce and do not hold: failures, or more cases."""
        self.promised_none = False
        """Whether a suite says itself that it holds no case."""
        self.open: list[_OpenSuite] = []
        self.title = ""
        self.starts: list[datetime] = []
        self.ends: list[datetime] = []
        self.cases_read = 0
        self.reruns: list[str] = []
        self._labels: list[dict[str, str]] = []
        self._shown_paths: dict[tuple[str, ...], tuple[str, ...]] = {}
        self._nameless: dict[tuple[str, ...], int] = {}
        self._last_key: object = None
        self._gone: set[int] = set()
        """Numbers of checks that became attempts at the one after them."""

    def start_suite(self, element: Node) -> None:
        """Take in the start of a suite: its attributes are there, its content is not."""
        path = self.open[-1].path if self.open else ()
        raw = without_run(element.get("name"))
        name = self._clean(raw)
        if name not in _NO_NAMES:
            self.title = self.title or name
            if element.name == SUITE:
                path = (*path, raw)
        if self.open:
            self.open[-1].children += 1
        self.open.append(_OpenSuite(element, path))

    def end_suite(self, *, whole: bool = True) -> None:
        """Take in what the innermost open suite says of itself; not its counts where it is truncated."""
        suite = self.open.pop()
        suite.inside.add(suite.direct)
        element = suite.element
        facts, outputs = self._result_parts(suite)
        package = element.get("package")
        suite.labels |= {fact.key.lower(): fact.value for fact in facts if fact.key.lower() in _DISAMBIGUATING}
        suite.labels |= {"package": self._clean(package)} if package else {}
        if facts or outputs:
            self.suites.append(SuiteNotes(self._show(suite.path), tuple(facts), tuple(outputs)))
        if whole:
            self._compare_counts(suite)
            self._compare_words(suite)
        if self.open:
            self.open[-1].inside.add(suite.inside)
            self.open[-1].bad_children += suite.inside.problems > 0
        self._time(element)

    def _result_parts(self, suite: _OpenSuite) -> tuple[list[Fact], list[Output]]:
        """Return a suite's own facts and outputs; its own problems become a check."""
        facts: list[Fact] = []
        outputs: list[Output] = []
        for child in suite.element.children:
            name = child.name
            if name == "properties":
                facts += islice(read_facts(child, self.limits), self.limits.facts)
                self._add_deep(suite, child)
            elif name in PROBLEMS:
                self._add_results(suite, read_problem(child, PROBLEMS[name], self.limits))
            else:
                self._add_deep(suite, child)
                output = read_output(child, self.limits)
                outputs += [output] if output else []
        machine = self._clean(suite.element.get("hostname"))
        return [*facts, *([Fact(MACHINE, machine)] if machine else [])], outputs

    def _add_deep(self, suite: _OpenSuite, element: Node) -> None:
        for problem in deep_problems(element, self.limits):
            self._add_results(suite, problem)

    def _compare_words(self, suite: _OpenSuite) -> None:
        """Take note of a suite that says that it did not pass, while all in it did, or says what nobody knows."""
        for outcome, word in outcome_words_of_suite(suite.element.attributes):
            if outcome is None or (outcome in _NOT_WELL and not suite.inside.problems):
                word = single_line(word, _OUTCOME_CHARS)  # noqa: PLW2901  the same word, fit to be shown
                what = f"says that it ended as “{word}”"
                held = "which is not a known outcome" if outcome is None else "but contains no such check"
                self.promises.append(f"{self._whose(suite)} {what}, {held}")

    def _whose(self, suite: _OpenSuite) -> str:
        name = " › ".join(self._show(suite.path))
        return f"“{name}”" if name else "the file"

    def _compare_counts(self, suite: _OpenSuite) -> None:
        announced = read_announced(suite.element)
        self._join_reruns(suite, announced.cases)
        difference = disagreement(announced, suite.inside, suite.direct, suite.children, suite.bad_children)
        self.promised_none = self.promised_none or announced.cases == 0
        if difference:
            sentence = f"{self._whose(suite)} {difference.words}"
            (self.promises if difference.promises else self.disagreements).append(sentence)

    def _join_reruns(self, suite: _OpenSuite, announced: int | None) -> None:
        """Bring together the attempts at one check, which some runners write as cases of one name.

        Those that were run again failed, whatever their elements leave out, and are not in the suite's own number
        of cases: only where that fits, they are attempts.
        """
        groups = [
            numbers
            for numbers in suite.repeated.values()
            if all(self.checks[number].outcome is Outcome.PASSED for number in numbers[:-1])
        ]
        reruns = sum(len(numbers) - 1 for numbers in groups)
        if not reruns or announced != suite.direct.cases - suite.direct.reruns - reruns:
            return
        for *earlier, last in groups:
            check = self.checks[last]
            attempts = [_failed_before(self.checks[number].last) for number in earlier]
            self.checks[last] = msgspec.structs.replace(check, attempts=(*attempts, *check.attempts))
            self._gone.update(earlier)
            self.reruns.append(check.title)
        suite.direct.reruns += reruns
        suite.inside.reruns += reruns

    def _add_results(self, suite: _OpenSuite, problem: Problem) -> None:
        """Add a problem of the suite itself, outside any of its cases."""
        attempt = Attempt(problem.outcome, problems=(problem,))
        id_ = check_id(self._kind, suite.path, SUITE_ITSELF)
        self.checks.append(Check(id_, self._kind, self._show(suite.path), SUITE_ITSELF, (attempt,)))
        self._labels.append(suite.labels)
        suite.inside.problems += 1
        self.cases_read += 1
        self._last_key = None

    def _time(self, element: Node) -> None:
        stamp = element.get("timestamp")
        moment = read_moment(stamp) if stamp else None
        took_s = self.cases.took(element.get("time"))
        if moment:
            self.starts.append(moment)
            with suppress(OverflowError):
                self.ends.append(moment + timedelta(seconds=took_s or 0))

    def case(self, case: Node, parent: Node | None) -> None:
        """Take in a whole case."""
        if not self.open:
            # A damaged root by another name; what is around the case stands for its suite.
            self.start_suite(case if parent is None else parent)
        suite = self.open[-1]
        attributes = case.attributes
        plain = attributes.keys() <= _PLAIN
        suite.direct.cases += 1
        self.cases_read += 1
        facts: tuple[Fact, ...] = ()
        if plain and not case.content:  # most are
            attempts = passed_in(self.cases.took(attributes.get("time")))
        else:
            attributes = with_known_names(attributes)
            attempts, facts = self.cases.read(case, attributes)
            outcome = attempts[-1].outcome
            if outcome is not Outcome.PASSED:
                suite.direct.add_outcome(outcome)
        raw = attributes.get("name", "")
        # One runner escapes names twice.
        name = single_line(raw.replace("&quot;", '"') if "&" in raw else raw, self._name_chars)
        within = self._within_of(suite, attributes.get("classname", ""), raw, parent)
        parameters: tuple[Fact, ...] = ()
        raw_parameters: tuple[Fact, ...] = ()
        if not name:
            name = raw = self._name_for(within.path)
        elif name.endswith("]"):
            name, parameters = split_parameters(name)
            name = name.rstrip()
            raw, raw_parameters = split_parameters(raw)
        location = None
        if not plain:
            more, extra = self._extra(attributes)
            facts, parameters, raw_parameters = facts + more, parameters + extra, raw_parameters + extra
            location = location_of(attributes, self.limits)
        id_ = id_within(within.digest, raw, raw_parameters)
        self._add(suite, Check(id_, self._kind, within.shown, name, attempts, parameters, location, facts))

    def _within_of(self, suite: _OpenSuite, classname: str, raw: str, parent: Node | None) -> _Within:
        nested = parent is not None and parent.name == CASE
        within = None if nested or classname == raw else suite.found.get(classname)
        return self._find_suite(suite, classname, raw, parent if nested else None) if within is None else within

    def _name_for(self, path: tuple[str, ...]) -> str:
        """Return a name for a case that has none."""
        number = self._nameless[path] = self._nameless.get(path, 0) + 1
        return NAMELESS if number == 1 else f"{NAMELESS} {number}"

    def _extra(self, attributes: Mapping[str, str]) -> tuple[tuple[Fact, ...], tuple[Fact, ...]]:
        """Return what attributes that are not known say, as facts and as parameters."""
        facts: list[Fact] = []
        parameters: list[Fact] = []
        for key in [key for key in attributes if key not in KNOWN_ATTRIBUTES][: self.limits.facts]:
            fact = Fact(_PARAMETER_ATTRIBUTES.get(key, key), self._clean(attributes[key]))
            (parameters if key in _PARAMETER_ATTRIBUTES else facts).append(fact)
        return tuple(facts), tuple(parameters)

    def _find_suite(self, suite: _OpenSuite, classname: str, name: str, around: Node | None) -> _Within:
        """Return the suite that a case stands in, which another case may be."""
        if around is not None:
            return self._within((*suite.path, around.get("name") or NAMELESS))
        if classname == name:
            return self._within(suite.path)
        path = suite.path
        part = without_run(classname)
        if self._clean(part) not in _NO_NAMES and part not in path:
            if path and part.startswith(path[-1] + "."):
                part = part[len(path[-1]) + 1 :]
            path = (*path, part)
        found = suite.found[classname] = self._within(path)
        return found

    def _within(self, path: tuple[str, ...]) -> _Within:
        return _Within(path, self._show(path), suite_digest(self._kind, path))

    def _clean(self, raw: str) -> str:
        return single_line(raw, self._name_chars)

    def _show(self, path: tuple[str, ...]) -> tuple[str, ...]:
        """Return a path as it is shown."""
        shown = self._shown_paths.get(path)
        if shown is None:
            shown = self._shown_paths[path] = tuple(map(self._clean, path))
        return shown

    def _add(self, suite: _OpenSuite, check: Check) -> None:
        """Add a check.

        The same name again is another check, but for two ways in which runners write one check several times: an
        error of its tear-down right after it; and attempts, which show only in the suite's own number.
        """
        if len(self.checks) >= self.limits.checks:
            raise too_many_checks(self.limits)
        location = check.location
        key = check.id if location is None or location.line is None else (check.id, location)
        if key == self._last_key and self._is_tear_down(check):
            self.checks[-1] = check = _with_tear_down(self.checks[-1], check)
            suite.direct.reruns += 1
            self.reruns.append(check.title)
            return
        number = len(self.checks)
        before = suite.seen.get(key)
        if before is not None:
            suite.repeated.setdefault(key, [before]).append(number)
        suite.seen[key] = number
        self._last_key = key
        self.checks.append(check)
        self._labels.append(suite.labels)

    def _drop_gone(self) -> None:
        """Take out the checks that became attempts at another one."""
        if self._gone:
            kept = [number for number in range(len(self.checks)) if number not in self._gone]
            self.checks = [self.checks[number] for number in kept]
            self._labels = [self._labels[number] for number in kept]

    @staticmethod
    def _is_tear_down(check: Check) -> bool:
        return bool(check.last.problems) and _TEAR_DOWN.search(check.last.problems[0].message) is not None

    def disambiguate(self) -> tuple[Check, ...]:
        """Return the checks, those of one name with the host, package or browser that sets them apart."""
        self._drop_gone()
        for numbers in _with_same_id(self.checks):
            labels = [self._labels[number] for number in numbers]
            differing = [key for key in _DISAMBIGUATING if len({label.get(key) for label in labels}) > 1]
            for number, label in zip(numbers, labels, strict=True):
                disambiguator = ", ".join(label[key] for key in differing if label.get(key))
                self.checks[number] = msgspec.structs.replace(self.checks[number], disambiguator=disambiguator)
        return tuple(self.checks)


def _with_same_id(checks: Sequence[Check]) -> list[list[int]]:
    """Return the numbers of the checks that share an id, those of each id together."""
    ids = [check.id for check in checks]
    if len(set(ids)) == len(ids):
        return []
    groups: dict[str, list[int]] = defaultdict(list)
    for number, id_ in enumerate(ids):
        groups[id_].append(number)
    return [numbers for numbers in groups.values() if len(numbers) > 1]


def _failed_before(attempt: Attempt) -> Attempt:
    """Return an attempt that was followed by another one: only a failure is."""
    problem = Problem(Outcome.FAILED, message="It failed and was rerun; the file does not say why.")
    return msgspec.structs.replace(attempt, outcome=Outcome.FAILED, reason="", problems=(problem,))


def _with_tear_down(before: Check, after: Check) -> Check:
    """Return a check with the error of its tear-down, which its file tells as another case."""
    last, new = before.last, after.last
    both = Attempt(
        gravest((last.outcome, new.outcome)),
        (last.took_s or 0.0) + (new.took_s or 0.0),
        last.started,
        problems=last.problems + new.problems,
        outputs=last.outputs + new.outputs,
    )
    return msgspec.structs.replace(before, attempts=(*before.attempts[:-1], both))
