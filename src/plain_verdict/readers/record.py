"""Reads records, our own result format: JSON Lines, one file for each process that writes (docs/record.md)."""

import re
from base64 import b64decode
from binascii import Error as Base64Error
from collections import Counter
from collections.abc import Callable, Iterator
from datetime import UTC, datetime, tzinfo

import msgspec

from plain_verdict.ids import check_id
from plain_verdict.model import (
    Check,
    Evidence,
    Fact,
    LogEntry,
    Output,
    Place,
    ReadingNote,
    ResultFile,
    SuiteNotes,
    in_order,
)
from plain_verdict.readers.interface import Head, Source
from plain_verdict.readers.moments import read_moment
from plain_verdict.readers.record_lines import (
    KNOWN_KEYS,
    VERSION,
    AnyLine,
    CheckLine,
    EndLine,
    EvidenceLine,
    FactLine,
    LogLine,
    OutputLine,
    RecordLine,
    StepLine,
)
from plain_verdict.readers.record_tree import Node, attempt_of
from plain_verdict.settings import Limits
from plain_verdict.text import block, one_line
from plain_verdict.words import listed, plural

_FIRST = re.compile(r'\s*\{\s*"what"\s*:\s*"|\s*\{[^\n]{0,2000}"what"\s*:\s*"record"')
_LONG_AGO = datetime(1, 1, 1, tzinfo=UTC)
_LONGEST_LINE_BYTES = 200_000_000


class RecordReader:
    """Reads one record."""

    format = "record"
    roots: frozenset[str] = frozenset()

    def recognises(self, head: Head) -> bool:
        """Return whether the first line is one of a record."""
        return bool(_FIRST.match(head.text))

    def read(self, source: Source, limits: Limits) -> ResultFile:
        """Return the record's checks; a wrong line is noted, and only that line is lost."""
        lines = _Lines(source, limits)
        tree = _Tree(limits)
        for line in lines:
            tree.add(line)
        checks = tuple(tree.checks())
        starts = [node.started for node in tree.begun if node.started]
        ends = [node.ended for node in tree.begun if node.ended]
        return ResultFile(
            path=source.path,
            format=self.format,
            size_bytes=source.size_bytes,
            checks=checks,
            suites=(SuiteNotes((), tuple(tree.facts)),) if tree.facts else (),
            notes=(*lines.notes(), *tree.notes(source.path)),
            started=min(starts, key=in_order, default=None),
            ended=max((*starts, *ends), key=in_order, default=None),
            folder=source.folder,
        )


class _Lines:
    """The lines of a record that can be read, and notes on the others."""

    def __init__(self, source: Source, limits: Limits) -> None:
        self._source = source
        self._limits = limits
        self._wrong: list[ReadingNote] = []
        self._unknown: Counter[str] = Counter()

    def __iter__(self) -> Iterator[AnyLine]:
        with self._source.open() as stream:
            for number, data in enumerate(iter(lambda: stream.readline(_LONGEST_LINE_BYTES), b""), 1):
                if not data.isspace():
                    try:
                        yield self._decode(data)
                    except (msgspec.DecodeError, UnicodeDecodeError, RecursionError) as error:
                        self._note(number, data, error)

    def _decode(self, data: bytes) -> AnyLine:
        fields = msgspec.json.decode(data, type=dict[str, object])
        line: AnyLine = msgspec.convert(fields, AnyLine)
        unknown = fields.keys() - KNOWN_KEYS[str(fields["what"])]
        for key in unknown:
            self._unknown[f"“{one_line(key, 40)}” in {fields['what']} lines"] += 1
        if isinstance(line, RecordLine) and line.version > VERSION:
            raise msgspec.ValidationError(
                f"version {line.version} is newer than this reader's {VERSION} - at `$.version`"
            )
        return line

    def _note(self, number: int, data: bytes, error: Exception) -> None:
        if not data.endswith(b"\n"):
            what = "ends in the middle of a line; the lines before it count"
        else:
            what = f"has a line that can't be read ({one_line(str(error), 200)}); only that line is lost"
        self._wrong.append(ReadingNote(self._source.path, what, f"line {number:,}", lost=True))

    def notes(self) -> Iterator[ReadingNote]:
        """Yield a note for each wrong line, up to the limit, and one on unknown keys."""
        most = self._limits.notes
        yield from self._wrong[:most]
        if len(self._wrong) > most:
            more = plural(len(self._wrong) - most, "more line")
            yield ReadingNote(self._source.path, f"has {more} that can't be read", lost=True)
        for where in sorted(self._unknown):
            yield ReadingNote(self._source.path, f"has keys that are not known and were left out: {where}")


class _Tree:
    """Puts the lines together: steps into checks, logs and evidence into both. Their order does not matter."""

    def __init__(self, limits: Limits) -> None:
        self.limits = limits
        self.nodes: dict[str, Node] = {}
        """By id; where an id comes again, the lines that follow are for the later one."""
        self.begun: list[Node] = []
        self.facts: list[Fact] = []
        self._zone: tzinfo = UTC
        self._repeated = 0
        self._orphans: Counter[str] = Counter()
        self._later: list[tuple[str, Callable[[Node], None]]] = []

    def add(self, line: AnyLine) -> None:
        """Take in one line."""
        text, name = self._text, self._name
        match line:
            case CheckLine() | StepLine():
                node = Node(line, name(line.name), self._at(line.at))
                if isinstance(line, StepLine):
                    # A step inside itself has no check to stand in.
                    inside = line.in_ if line.in_ != line.id else ""
                    self._to(inside, lambda parent: parent.steps.append(node))
                self._repeated += line.id in self.nodes
                self.nodes[line.id] = node
                self.begun.append(node)
            case EndLine():
                self._to(line.id, lambda node: node.end(line, self._at(line.at)))
            case LogLine():
                entry = LogEntry(text(line.text), name(line.level), self._at(line.at))
                self._to(line.in_, lambda node: node.logs.append(entry))
            case OutputLine():
                output = Output(name(line.name), block(line.text, self.limits.output_chars))
                self._to(line.in_, lambda node: node.outputs.append(output))
            case EvidenceLine():
                evidence = self._evidence(line)
                self._to(line.in_, lambda node: node.evidence.append(evidence))
            case FactLine():
                self.facts.append(Fact(name(line.key), text(line.value)))
            case RecordLine():
                self._zone = read_zone(line.zone)

    def _to(self, id_: str, act: Callable[[Node], None]) -> None:
        node = self.nodes.get(id_)
        if node is not None:
            act(node)
        else:
            self._later.append((id_, act))

    def _evidence(self, line: EvidenceLine) -> Evidence:
        data, trouble = b"", ""
        if line.base64:
            try:
                data = b64decode(line.base64, validate=True)
            except (Base64Error, ValueError):
                trouble = "has base64 that can't be read"
        name = self._name(line.name or line.path.replace("\\", "/").rpartition("/")[2] or "evidence")
        return Evidence(name, line.path, data, self._name(line.caption), self._at(line.at), trouble=trouble)

    def _at(self, at: float | str | None) -> datetime | None:
        moment = None if at is None else read_moment(str(at))
        # Epoch seconds have no zone of their own: they are shown in the writer's.
        return moment.astimezone(self._zone) if moment and isinstance(at, (int, float)) else moment

    def _name(self, text: str) -> str:
        return one_line(text, self.limits.name_chars)

    def _text(self, text: str) -> str:
        return block(text, self.limits.message_chars)

    def checks(self) -> Iterator[Check]:
        """Yield the checks, each with its attempts in order."""
        for id_, act in self._later:
            node = self.nodes.get(id_)
            if node is None:
                self._orphans[one_line(id_, 40)] += 1
            else:
                act(node)
        together: dict[str, list[tuple[CheckLine, Node]]] = {}
        for node in self.begun:
            line = node.line
            if isinstance(line, CheckLine):
                together.setdefault(self._id(line), []).append((line, node))
        for id_, executions in together.items():
            executions.sort(key=lambda one: (one[0].attempt, in_order(one[1].started or _LONG_AGO)))
            yield self._check(id_, executions)

    def _id(self, line: CheckLine) -> str:
        return check_id(line.kind, self._suite(line), self._name(line.name), self._parameters(line))

    def _suite(self, line: CheckLine) -> tuple[str, ...]:
        return tuple(filter(None, map(self._name, line.suite)))

    def _parameters(self, line: CheckLine) -> tuple[Fact, ...]:
        return tuple(Fact(self._name(key), self._name(value)) for key, value in line.parameters.items())

    def _check(self, id_: str, executions: list[tuple[CheckLine, Node]]) -> Check:
        line = executions[-1][0]
        return Check(
            id=id_,
            kind=line.kind,
            suite=self._suite(line),
            name=self._name(line.name) or "Nameless check",
            attempts=tuple(attempt_of(node, line, self.limits) for line, node in executions),
            parameters=self._parameters(line),
            place=Place(self._name(line.file), line.line) if line.file else None,
            tags=tuple(map(self._name, line.tags)),
            description=self._text(line.description),
            requirements=tuple(map(self._name, line.requirements)),
            links=tuple(Fact(self._name(name), url) for name, url in line.links.items()),
        )

    def notes(self, path: str) -> Iterator[ReadingNote]:
        """Yield what is odd about the record as a whole."""
        if self._repeated:
            number = plural(self._repeated, "id")
            yield ReadingNote(
                path, f"uses {number} again; what follows is taken to be for the later one", lost=True
            )
        if self._orphans:
            ids = listed([f"“{id_}”" for id_ in self._orphans])
            number = plural(self._orphans.total(), "line")
            yield ReadingNote(path, f"has {number} for checks or steps that it never begins ({ids})", lost=True)
        if not any(isinstance(node.line, CheckLine) for node in self.begun):
            yield ReadingNote(path, "holds no checks")


def read_zone(text: str) -> tzinfo:
    """Return the zone of an offset like ``+01:00``; UTC where there is none."""
    try:
        return datetime.fromisoformat(f"2000-01-01T00:00:00{text}").tzinfo or UTC
    except ValueError:
        return UTC
