"""Reads JUnit XML.

There is no standard; this reads what runners write: suites nested or not, counts that disagree with the content,
reruns, cases written twice, nameless cases, files cut off in the middle. The content counts, the announcements
are compared with it.
"""

import re
from collections.abc import Mapping
from datetime import datetime, timedelta
from itertools import islice
from typing import TYPE_CHECKING, cast

from plain_verdict.ids import check_id
from plain_verdict.model import (
    Attempt,
    Check,
    Fact,
    Kind,
    Outcome,
    Output,
    Place,
    ResultFile,
    SuiteNotes,
    gravest,
    in_order,
)
from plain_verdict.readers.interface import Head, Source
from plain_verdict.readers.junit_case import CaseReader, local_name, read_facts, read_output, read_problem
from plain_verdict.readers.junit_counts import Counts, disagreement
from plain_verdict.readers.junit_notes import notes_on
from plain_verdict.readers.moments import read_moment
from plain_verdict.readers.xml_events import XmlEvents
from plain_verdict.settings import Limits
from plain_verdict.text import one_line

if TYPE_CHECKING:
    from lxml import etree

_CASE, _SUITE, _SUITES = "testcase", "testsuite", "testsuites"
# Names that runners give when nobody named the suite; they tell the reader nothing.
_NO_NAMES = frozenset(
    {"", "pytest", "pytest tests", "(empty)", "undefined", "test", "tests", "AllTests", "Root Suite"}
)
_KNOWN_ATTRIBUTES = frozenset(
    (
        "name",
        "classname",
        "time",
        "status",
        "result",
        "timestamp",
        "file",
        "line",
        "assertions",
        "failure",
        "id",
        "class",
    )
)
_PARAMETER_ATTRIBUTES = {"value_param": "value", "type_param": "type"}
_TEAR_DOWN = re.compile(r"tear[\s_-]?down", re.IGNORECASE)
_FORGOTTEN_TOGETHER = 32  # cases; one at a time takes longer than reading them
NAMELESS = "Nameless check"
SUITE_ITSELF = "The suite itself"


class _OpenSuite:
    """A suite whose end is not read yet."""

    def __init__(self, element: "etree._Element", path: tuple[str, ...]) -> None:
        self.element = element
        self.path = path
        self.paths: dict[str, tuple[str, ...]] = {}
        self.inside = Counts()
        self.direct = Counts()
        self.children = 0


class JunitWalk:
    """Follows the events of one file and collects its checks, suites, times and disagreements."""

    def __init__(self, limits: Limits) -> None:
        self.limits = limits
        self.cases = CaseReader(limits)
        self.checks: dict[object, Check] = {}
        self.suites: list[SuiteNotes] = []
        self.disagreements: list[str] = []
        self.open: list[_OpenSuite] = []
        self.title = ""
        self.starts: list[datetime] = []
        self.ends: list[datetime] = []
        self._nameless: dict[tuple[str, ...], int] = {}
        self._last_key: object = None

    def start_suite(self, element: "etree._Element") -> None:
        """Take in the start of a suite: its attributes are there, its content is not."""
        path = self.open[-1].path if self.open else ()
        name = one_line(element.get("name") or "", self.limits.name_chars)
        if name not in _NO_NAMES:
            self.title = self.title or name
            if local_name(element) == _SUITE:
                path = (*path, name)
        if self.open:
            self.open[-1].children += 1
        self.open.append(_OpenSuite(element, path))

    def end_suite(self, *, whole: bool = True) -> None:
        """Take in what the innermost open suite says of itself; not its counts where it is cut off."""
        suite = self.open.pop()
        suite.inside.add(suite.direct)
        element = suite.element
        facts: list[Fact] = []
        outputs: list[Output] = []
        for child in element:
            name = local_name(child)
            if name == "properties":
                facts += islice(read_facts(child, self.limits), self.limits.facts)
            elif name in ("failure", "error"):
                outcome = Outcome.FAILED if name == "failure" else Outcome.ERRORED
                attempt = Attempt(outcome, problems=(read_problem(child, outcome, self.limits),))
                self._add(suite.path, SUITE_ITSELF, (), [attempt], (), None)
            elif name not in (_CASE, _SUITE, _SUITES):
                output = read_output(child, self.limits)
                outputs += [output] if output else []
        machine = one_line(element.get("hostname") or "", self.limits.name_chars)
        if machine:
            facts.append(Fact("machine", machine))
        if facts or outputs:
            self.suites.append(SuiteNotes(suite.path, tuple(facts), tuple(outputs)))
        if whole:
            difference = disagreement(element, suite.inside, suite.direct, suite.children)
            if difference:
                name = " › ".join(suite.path)
                self.disagreements.append(f"{f'“{name}”' if name else 'the file'} {difference}")
        if self.open:
            self.open[-1].inside.add(suite.inside)
        self._time(element)
        _forget_before(element)
        element.clear()

    def _time(self, element: "etree._Element") -> None:
        stamp = element.get("timestamp")
        moment = read_moment(stamp) if stamp else None
        took_s = self.cases.took(element.get("time"))
        if moment:
            self.starts.append(moment)
            self.ends.append(moment + timedelta(seconds=took_s or 0))

    def case(self, case: "etree._Element") -> None:
        """Take in a whole case."""
        if not self.open:
            # A damaged root by another name; what is around the case stands for its suite.
            around = case.getparent()
            self.start_suite(case if around is None else around)
        suite = self.open[-1]
        attributes = cast("dict[str, str]", dict(case.items()))
        attempts, facts = self.cases.read(case, attributes)
        self._count(suite, attempts)
        # One runner escapes names twice.
        name = one_line(attributes.get("name", "").replace("&quot;", '"'), self.limits.name_chars)
        path = self._path(suite, attributes.get("classname", ""), name, case)
        parameters: tuple[Fact, ...] = ()
        if not name:
            self._nameless[path] = number = self._nameless.get(path, 0) + 1
            name = NAMELESS if number == 1 else f"{NAMELESS} {number}"
        elif name.endswith("]"):
            bracket = name.find("[")
            if bracket > 0 and len(name) - bracket > 2:
                name, parameters = name[:bracket].rstrip(), (Fact("", name[bracket + 1 : -1]),)
        extra = (
            []
            if attributes.keys() <= _KNOWN_ATTRIBUTES
            else [key for key in attributes if key not in _KNOWN_ATTRIBUTES]
        )
        for key in extra[: self.limits.facts]:
            fact = Fact(_PARAMETER_ATTRIBUTES.get(key, key), one_line(attributes[key], self.limits.name_chars))
            if key in _PARAMETER_ATTRIBUTES:
                parameters += (fact,)
            else:
                facts += (fact,)
        self._add(path, name, parameters, attempts, facts, _place(attributes, self.limits))
        if len(case):
            case.clear()
        if suite.direct.cases % _FORGOTTEN_TOGETHER == 0:
            _forget_before(case)

    @staticmethod
    def _count(suite: _OpenSuite, attempts: list[Attempt]) -> None:
        outcome = attempts[-1].outcome
        counts = suite.direct
        counts.cases += 1
        if outcome is not Outcome.PASSED:
            counts.problems += outcome is Outcome.FAILED or outcome is Outcome.ERRORED
            counts.skips += outcome is Outcome.SKIPPED

    def _path(self, suite: _OpenSuite, classname: str, name: str, case: "etree._Element") -> tuple[str, ...]:
        parent = case.getparent()
        if parent is not None and parent is not suite.element and local_name(parent) == _CASE:
            return (*suite.path, one_line(parent.get("name") or NAMELESS, self.limits.name_chars))
        if classname == name:
            return suite.path
        path = suite.paths.get(classname)
        if path is None:
            path = suite.path
            part = one_line(classname, self.limits.name_chars)
            if part not in _NO_NAMES and part not in path:
                if path and part.startswith(path[-1] + "."):
                    part = part[len(path[-1]) + 1 :]
                path = (*path, part)
            suite.paths[classname] = path
        return path

    def _add(
        self,
        path: tuple[str, ...],
        name: str,
        parameters: tuple[Fact, ...],
        attempts: list[Attempt],
        facts: tuple[Fact, ...],
        place: Place | None,
    ) -> None:
        """Add a check, or another attempt at one: the same name in the same suite, at the same place if told."""
        key = (path, name, parameters, place if place and place.line is not None else None)
        before = self.checks.get(key)
        if before:
            if self.open:
                self.open[-1].direct.reruns += 1
            attempts = self._joined(before, attempts, consecutive=key == self._last_key)
            facts = before.facts or facts
        self._last_key = key
        self.checks[key] = Check(
            check_id(Kind.FUNCTIONAL, path, name, parameters),
            Kind.FUNCTIONAL,
            path,
            name,
            tuple(attempts),
            parameters,
            place,
            facts,
        )

    @staticmethod
    def _joined(before: Check, attempts: list[Attempt], *, consecutive: bool) -> list[Attempt]:
        new = attempts[0]
        if consecutive and new.problems and _TEAR_DOWN.search(new.problems[0].message):
            last = before.last
            both = Attempt(
                gravest((last.outcome, new.outcome)),
                (last.took_s or 0) + (new.took_s or 0),
                last.started,
                problems=last.problems + new.problems,
                outputs=last.outputs + new.outputs,
            )
            return [*before.attempts[:-1], both]
        return [*before.attempts, *attempts]


def _place(attributes: Mapping[str, str], limits: Limits) -> Place | None:
    file = attributes.get("file")
    if not file:
        return None
    line = attributes.get("line", "")
    return Place(one_line(file, limits.name_chars), int(line) if line.isascii() and line.isdigit() else None)


def _forget_before(element: "etree._Element") -> None:
    """Let go of the cases and suites before this one, so that memory does not grow with the file."""
    parent = element.getparent()
    if parent is not None:
        for before in list(element.itersiblings(preceding=True)):
            if local_name(before) in (_CASE, _SUITE):
                parent.remove(before)


class JunitReader:
    """Reads JUnit XML, whatever runner wrote it."""

    format = "junit-xml"
    roots = frozenset({_SUITES, _SUITE})

    def recognises(self, head: Head) -> bool:
        """Return whether the root element is one of JUnit's."""
        return head.root in self.roots

    def read(self, source: Source, limits: Limits) -> ResultFile:
        """Return the file's checks, with a note on everything odd about it."""
        walk = JunitWalk(limits)
        with source.open() as stream:
            events = XmlEvents(stream, (_SUITES, _SUITE, _CASE))
            for event, element in events:
                is_case = local_name(element) == _CASE
                if event == "start":
                    if not is_case:
                        walk.start_suite(element)
                elif is_case:
                    walk.case(element)
                else:
                    walk.end_suite()
        promised = [suite.element for suite in walk.open]
        notes = notes_on(source.path, walk, events, promised)
        while walk.open:
            walk.end_suite(whole=False)
        return ResultFile(
            path=source.path,
            format=self.format,
            size_bytes=source.size_bytes,
            checks=tuple(walk.checks.values()),
            suites=tuple(walk.suites),
            notes=notes,
            started=min(walk.starts, key=in_order, default=None),
            ended=max(walk.ends, key=in_order, default=None),
            title=walk.title,
            folder=source.folder,
        )
