"""Reads records, our own result format: JSON Lines, one file for each process that writes (docs/record.md)."""

import re
from base64 import b64decode
from binascii import Error as Base64Error
from collections import Counter
from collections.abc import Callable, Iterator
from datetime import UTC, datetime, tzinfo
from math import isfinite
from typing import Any

from plain_verdict.http.building import read_url
from plain_verdict.inputs.source import Source
from plain_verdict.load.metrics import MetricStates, SumsPayload
from plain_verdict.model import (
    Check,
    Decision,
    DecisionsPayload,
    Evidence,
    Fact,
    Kind,
    LogEntry,
    Output,
    Payload,
    ReadingNote,
    ResultFile,
    SourceLocation,
    SuiteNotes,
    counting_last,
    earliest,
    epoch_s,
    latest,
)
from plain_verdict.model.ids import check_id
from plain_verdict.readers.interface import NAMELESS, Head, too_many_checks
from plain_verdict.readers.record.exchange import read_exchange, read_expectation
from plain_verdict.readers.record.lines import (
    AnyLine,
    CheckLine,
    DecisionLine,
    EndLine,
    EvidenceLine,
    ExchangeLine,
    ExpectationLine,
    FactLine,
    InnerLine,
    LogLine,
    MetricLine,
    OutputLine,
    RecordLine,
    StepLine,
)
from plain_verdict.readers.record.stream import RecordLines
from plain_verdict.readers.record.tree import Node, attempt_of
from plain_verdict.settings.limits import Limits
from plain_verdict.text.cleaning import block, single_line
from plain_verdict.text.formatting import join_list, plural
from plain_verdict.text.moments import read_epoch, read_moment

_FIRST = re.compile(r'\s*\{\s*"what"\s*:\s*"|\s*\{[^\n]{0,2000}"what"\s*:\s*"record"')


_INNER_LINES = (EndLine, LogLine, OutputLine, EvidenceLine, ExchangeLine, ExpectationLine)
_MOST_BEGUN = 5
"""Checks and steps that may begin, for each check that a file may hold."""


class RecordReader:
    """Reads one record."""

    format = "record"
    roots: frozenset[str] = frozenset()

    def recognises(self, head: Head) -> bool:
        """Return whether the first line is one of a record."""
        return bool(_FIRST.match(head.text))

    def read(self, source: Source, limits: Limits) -> ResultFile:
        """Return the record's checks; a wrong line is noted, and only that line is lost."""
        lines = RecordLines(source, limits)
        tree = _Tree(limits, source.kind or Kind.FUNCTIONAL)
        for line in lines:
            tree.add(line)
        checks = tuple(tree.checks())
        starts = [node.started for node in tree.begun if node.started]
        ends = [node.ended for node in tree.begun if node.ended]
        return ResultFile(
            checks=checks,
            suites=(SuiteNotes((), tuple(tree.facts)),) if tree.facts else (),
            payloads=tuple(tree.payloads()),
            notes=(*lines.notes(), *tree.notes(source.path)),
            started=earliest(starts),
            ended=latest((*starts, *ends)),
            cases=tree.cases,
            reruns=tuple(check.title for check in checks if len(check.attempts) > 1),
        )


class _Tree:
    """Puts the lines together: steps into checks, logs and evidence into both. Their order does not matter."""

    def __init__(self, limits: Limits, kind: Kind) -> None:
        self.limits = limits
        self._kind = kind
        self.nodes: dict[str, Node] = {}
        """By id; where an id comes again, the lines that follow are for the later one."""
        self.begun: list[Node] = []
        self.facts: list[Fact] = []
        self.metrics = MetricStates()
        self.decisions: list[Decision] = []
        self._zone: tzinfo = UTC
        self.cases = 0
        self._repeated = 0
        self._ended_twice = 0
        self._orphans: Counter[str] = Counter()
        self._waiting: list[EndLine | InnerLine] = []
        self._unplaced: list[Node] = []
        self._homeless: list[Node] = []
        """Steps in something that never began."""
        self._taking: dict[type, Callable[[Any], object]] = {
            CheckLine: self._begin,
            StepLine: self._begin,
            **dict.fromkeys(_INNER_LINES, self._take_inner),
            FactLine: self._take_fact,
            MetricLine: self._measure,
            DecisionLine: self._decide,
            RecordLine: self._set_zone,
        }
        self._giving: dict[type, Callable[[Node, Any], object]] = {
            EndLine: self._end,
            LogLine: self._log,
            OutputLine: self._output,
            EvidenceLine: lambda node, line: node.evidence.append(self._evidence(line)),
            ExchangeLine: lambda node, line: node.exchanges.append(
                read_exchange(line, self._at(line.at), self.limits)
            ),
            ExpectationLine: lambda node, line: node.expectations.append(
                read_expectation(line, len(node.exchanges), self.limits)
            ),
        }
        """By the type of a line: trying one after the other takes longer than what is done with it."""

    def add(self, line: AnyLine) -> None:
        """Take in one line; one that is for something not begun yet waits to the end."""
        self._taking[type(line)](line)

    def _take_inner(self, line: EndLine | InnerLine) -> None:
        node = self.nodes.get(line.id if isinstance(line, EndLine) else line.in_)
        if node is None:
            self._waiting.append(line)
        else:
            self._giving[type(line)](node, line)

    def _take_fact(self, line: FactLine) -> None:
        self.facts.append(Fact(self._name(line.key), self._text(line.value)))

    def _decide(self, line: DecisionLine) -> None:
        self.decisions.append(self._decision(line))

    def _set_zone(self, line: RecordLine) -> None:
        self._zone = read_zone(line.zone)

    def payloads(self) -> Iterator[Payload]:
        """Yield what the record holds besides checks."""
        if self.metrics:
            yield SumsPayload(Kind.LOAD, None, self.metrics)
        if self.decisions:
            yield DecisionsPayload(Kind.FUNCTIONAL, tuple(self.decisions))

    def _decision(self, line: DecisionLine) -> Decision:
        kept = self._evidence(EvidenceLine(in_="", name=line.name, base64=line.base64)) if line.base64 else None
        evidence = (kept,) if kept else ()
        return Decision(
            line.check, line.outcome, self._text(line.note), self._name(line.by), self._at(line.at), evidence
        )

    def _measure(self, line: MetricLine) -> None:
        at, name = self._at(line.at), self._name(line.name)
        if name and isfinite(line.value):
            state = self.metrics.of(name, self._name(line.unit))
            state.add(line.value, int(epoch_s(at)) if at else None)

    def _begin(self, line: CheckLine | StepLine) -> None:
        node = Node(line, self._name(line.name), self._at(line.at))
        if isinstance(line, CheckLine):
            self.cases += 1
        else:
            # A step inside itself has no check to stand in.
            parent = self.nodes.get(line.in_) if line.in_ != line.id else None
            if parent is None:
                self._unplaced.append(node)
            else:
                parent.steps.append(node)
        self._repeated += line.id in self.nodes
        self.nodes[line.id] = node
        if len(self.begun) >= _MOST_BEGUN * self.limits.checks:
            raise too_many_checks(self.limits)
        self.begun.append(node)

    def _end(self, node: Node, line: EndLine) -> None:
        self._ended_twice += not node.end(line, self._at(line.at))

    def _log(self, node: Node, line: LogLine) -> None:
        node.logs.append(LogEntry(self._text(line.text), self._name(line.level), self._at(line.at)))

    def _output(self, node: Node, line: OutputLine) -> None:
        node.outputs.append(Output(self._name(line.name), block(line.text, self.limits.output_chars)))

    def _settle(self) -> None:
        """Give what waited to what began later; what is left is for nothing in the record."""
        for node in self._unplaced:
            line = node.line
            inside = line.in_ if isinstance(line, StepLine) and line.in_ != line.id else ""
            parent = self.nodes.get(inside)
            if parent is None:
                self._orphans[single_line(inside, 40)] += 1
                self._homeless.append(node)
            else:
                parent.steps.append(node)
        for waiting in self._waiting:
            id_ = waiting.id if isinstance(waiting, EndLine) else waiting.in_
            found = self.nodes.get(id_)
            if found is None:
                self._orphans[single_line(id_, 40)] += 1
            else:
                self._giving[type(waiting)](found, waiting)

    def _evidence(self, line: EvidenceLine) -> Evidence:
        data, trouble = b"", ""
        if line.base64:
            try:
                data = b64decode(line.base64, validate=True)
            except (Base64Error, ValueError):
                trouble = "has base64 that can't be read"
        name = self._name(line.name or line.path.replace("\\", "/").rpartition("/")[2] or "evidence")
        return Evidence(
            name,
            line.path,
            data,
            self._name(line.caption),
            self._at(line.at),
            unavailable=trouble,
            role=line.role,
            began=self._at(line.began),
        )

    def _at(self, at: float | str | None) -> datetime | None:
        if at is None:
            return None
        if isinstance(at, str):
            return read_moment(at)
        # Epoch seconds have no zone of their own: they are shown in the writer's.
        return read_epoch(at, self._zone)

    def _name(self, text: str) -> str:
        return single_line(text, self.limits.name_chars)

    def _text(self, text: str) -> str:
        return block(text, self.limits.message_chars)

    def checks(self) -> Iterator[Check]:
        """Yield the checks, each with its attempts in order."""
        self._settle()
        together: dict[str, list[tuple[CheckLine, Node]]] = {}
        for node in self.begun:
            line = node.line
            if isinstance(line, CheckLine):
                together.setdefault(self._id(line), []).append((line, node))
        for id_, executions in together.items():
            numbers = {line.attempt for line, _ in executions}
            if len(executions) == 1 or (0 not in numbers and len(numbers) == len(executions)):
                executions.sort(key=lambda execution: execution[0].attempt)
                yield self._check(id_, executions)
            else:
                # Without numbers nothing says that they are attempts at one check.
                yield from (self._check(id_, [execution]) for execution in executions)

    def _id(self, line: CheckLine) -> str:
        parameters = tuple(Fact(key, value) for key, value in line.parameters.items())
        return check_id(line.kind or self._kind, tuple(filter(None, line.suite)), line.name, parameters)

    def _suite(self, line: CheckLine) -> tuple[str, ...]:
        return tuple(filter(None, map(self._name, line.suite)))

    def _parameters(self, line: CheckLine) -> tuple[Fact, ...]:
        return tuple(Fact(self._name(key), self._name(value)) for key, value in line.parameters.items())

    def _check(self, id_: str, executions: list[tuple[CheckLine, Node]]) -> Check:
        line = executions[-1][0]
        return Check(
            id=id_,
            kind=line.kind or self._kind,
            suite=self._suite(line),
            name=executions[-1][1].name or NAMELESS,
            attempts=counting_last([attempt_of(node, line, self.limits) for line, node in executions]),
            parameters=self._parameters(line),
            location=SourceLocation(self._name(line.file), line.line) if line.file else None,
            tags=tuple(map(self._name, line.tags)),
            description=self._text(line.description),
            requirements=tuple(map(self._name, line.requirements)),
            links=tuple(Fact(self._name(name), read_url(url)) for name, url in line.links.items()),
        )

    def notes(self, path: str) -> Iterator[ReadingNote]:
        """Yield what is odd about the record as a whole."""
        if self._repeated:
            number = plural(self._repeated, "id")
            yield ReadingNote(
                path, f"uses {number} again; later lines count for the later one", results_missing=True
            )
        if self._orphans:
            ids = join_list([f"“{id_}”" for id_ in self._orphans])
            number = plural(self._orphans.total(), "line")
            yield ReadingNote(
                path, f"has {number} for checks or steps that it never starts ({ids})", results_missing=True
            )
        if self._ended_twice:
            number = plural(self._ended_twice, "check or step", "checks or steps")
            yield ReadingNote(path, f"ends {number} more than once; the worst outcome counts", results_missing=True)
        lost = len(self.begun) - self._reached()
        if lost:
            number = plural(lost, "step")
            yield ReadingNote(
                path, f"has {number} outside of any check: they name each other", results_missing=True
            )
        if not self.cases and not self.metrics and not self.decisions:
            yield ReadingNote(path, "holds no checks", results_missing=True)

    def _reached(self) -> int:
        """Return how many checks and steps stand in a check, or are reported as outside of any."""
        waiting = [node for node in self.begun if isinstance(node.line, CheckLine)]
        waiting += self._homeless
        number = 0
        while waiting:
            node = waiting.pop()
            number += 1
            waiting += node.steps
        return number


def read_zone(text: str) -> tzinfo:
    """Return the zone of an offset like ``+01:00``; UTC where there is none."""
    try:
        return datetime.fromisoformat(f"2000-01-01T00:00:00{text}").tzinfo or UTC
    except ValueError:
        return UTC
