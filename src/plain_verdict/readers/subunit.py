"""Reads Subunit version 2: packets of what tests do, from a runner or from several at once.

Source: https://github.com/testing-cabal/subunit (README, version 2)
"""

from collections.abc import Iterator
from dataclasses import dataclass, field
from datetime import datetime, timedelta

from plain_verdict.inputs.source import Source
from plain_verdict.model import (
    BAD,
    Attempt,
    Check,
    Evidence,
    Kind,
    Outcome,
    Output,
    Problem,
    ReadingNote,
    ResultFile,
    earliest,
    latest,
)
from plain_verdict.model.ids import check_id
from plain_verdict.readers.file_reading import FileReading
from plain_verdict.readers.interface import Head, within_limit
from plain_verdict.runtime.errors import ReadError
from plain_verdict.settings.limits import Limits
from plain_verdict.text.cleaning import block
from plain_verdict.text.encoding import as_text
from plain_verdict.text.formatting import plural
from plain_verdict.text.packages import install_command

_PACKET_SIGNATURE, _PACKET_VERSION = 0xB3, 2
_OUTCOME_OF_STATUS = {
    "success": (Outcome.PASSED, ""),
    "fail": (Outcome.FAILED, ""),
    "skip": (Outcome.SKIPPED, ""),
    "xfail": (Outcome.SKIPPED, "It failed, as expected."),
    "uxsuccess": (Outcome.FAILED, "Passed, but was expected to fail."),
}
_FAULT_ID, _FAULT_FILE = "subunit.parser", "Parser Error"
"""The id and the file under which the library reports packets that it can't read."""


@dataclass(slots=True)
class _Execution:
    """What packets tell of one execution of a test: its last status, times, tags, and attached files."""

    id: str
    status: str = ""
    tags: frozenset[str] = frozenset()
    started: datetime | None = None
    ended: datetime | None = None
    files: dict[str, tuple[str, bytearray]] = field(default_factory=dict)

    def attached(self, *, texts: bool) -> list[tuple[str, bytearray]]:
        """Return the attached files that are texts, or those that are not."""
        files = self.files.items()
        return [(name, data) for name, (kind, data) in files if data and kind.startswith("text/") is texts]


class SubunitReader:
    """Reads one stream of packets."""

    format = "subunit"
    roots: frozenset[str] = frozenset()

    def recognises(self, head: Head) -> bool:
        """Return whether it begins with the signature of a packet and the version."""
        return len(head.data) > 1 and head.data[0] == _PACKET_SIGNATURE and head.data[1] >> 4 == _PACKET_VERSION

    def read(self, source: Source, limits: Limits) -> ResultFile:
        """Return the tests as checks. Raises ReadError."""
        reading = _Reading(source, limits)
        reading.take_all()
        checks = tuple(within_limit(reading.checks(), limits, source.path))
        if not checks:
            raise ReadError("has no test with a result", path=source.path, hint="check that the tests were run")
        moments = [check.last.started for check in checks if check.last.started]
        return ResultFile(
            checks=checks,
            notes=tuple(reading.notes()),
            started=earliest(moments),
            ended=latest(moments),
            cases=len(checks),
        )


class _Reading(FileReading):
    """What came of reading one stream."""

    def __init__(self, source: Source, limits: Limits) -> None:
        super().__init__(source, limits)
        self._latest: dict[tuple[str, str | None], _Execution] = {}
        self._executions: list[_Execution] = []
        self._faults: list[str] = []

    def take_all(self) -> None:
        """Take all packets in. Raises ReadError."""
        try:
            from subunit import ByteStreamToStreamResult  # an extra, for this format only
        except ImportError as error:
            what = f"is a Subunit stream, which needs one more library ({error.name})"
            raise ReadError(
                what, path=self.source.path, hint=f"install it: {install_command('subunit')}"
            ) from error
        with self.source.open() as stream:
            ByteStreamToStreamResult(stream, non_subunit_name="stdout").run(_Target(self))

    def take(
        self, test_id: str, status: str | None, route: str | None, tags: frozenset[str], at: datetime | None
    ) -> _Execution:
        """Return the execution that a packet tells of, with its status taken in."""
        execution = self._latest.get((test_id, route))
        is_again = (
            execution is not None
            and execution.status in _OUTCOME_OF_STATUS
            and status in ("inprogress", *_OUTCOME_OF_STATUS)
        )
        if execution is None or is_again:
            execution = self._latest[test_id, route] = _Execution(test_id)
            self._executions.append(execution)
        execution.status = status or execution.status
        execution.tags |= tags
        if status == "inprogress":
            execution.started = at
        elif status in _OUTCOME_OF_STATUS:
            execution.ended = at
        return execution

    def take_file(self, execution: _Execution, name: str, media_type: str, data: bytes) -> None:
        """Take a part of an attached file in, as far as it is kept."""
        if execution.id == _FAULT_ID and name == _FAULT_FILE:
            self._faults.append(as_text(data))
        _, kept = execution.files.setdefault(name, (media_type, bytearray()))
        if len(kept) < self.limits.evidence_bytes:
            kept += data

    def checks(self) -> Iterator[Check]:
        """Yield a check for each execution of a test that was more than listed."""
        for execution in self._executions:
            if execution.status not in ("", "exists") and execution.id != _FAULT_ID:
                yield self._check(execution)

    def _check(self, execution: _Execution) -> Check:
        # The last part of an id is the test; what stands in brackets may have dots.
        bare, bracket, rest = execution.id.partition("(")
        suite, _, name = bare.rpartition(".")
        name = self.name(f"{name}{bracket}{rest}") or self.name(execution.id)
        kind = self.source.kind or Kind.FUNCTIONAL
        path = (self.name(suite),) if suite else ()
        return Check(
            check_id(kind, path, name),
            kind,
            path,
            name,
            (self._attempt(execution),),
            tags=tuple(sorted(execution.tags)),
        )

    def _attempt(self, execution: _Execution) -> Attempt:
        ended = (Outcome.ERRORED, "It was begun, but has no end: the run may have been stopped.")
        outcome, why = _OUTCOME_OF_STATUS.get(execution.status, ended)
        texts = {name: as_text(bytes(data)) for name, data in execution.attached(texts=True)}
        traceback, reason = texts.pop("traceback", ""), texts.pop("reason", "")
        message = why or traceback.strip().rpartition("\n")[2]
        problem = Problem(outcome, message=self.text(message), detail=block(traceback, self.limits.detail_chars))
        return Attempt(
            outcome,
            _between(execution.started, execution.ended),
            execution.started,
            "" if outcome in BAD else self.text(reason or why),
            (problem,) if outcome in BAD else (),
            tuple(Output(self.name(name), block(text, self.limits.output_chars)) for name, text in texts.items()),
            evidence=tuple(
                Evidence(self.name(name), data=bytes(data)) for name, data in execution.attached(texts=False)
            ),
        )

    def notes(self) -> Iterator[ReadingNote]:
        """Yield notes on packets that can't be read, and on tests that are only listed."""
        if self._faults:
            what = f"has {plural(len(self._faults), 'packet')} that can't be read ({self.name(self._faults[0])})"
            yield self.note(what, results_missing=True)
        listed = sum(execution.status == "exists" for execution in self._executions)
        if listed:
            yield self.note(f"lists {plural(listed, 'test')} without a result", results_missing=True)


class _Target:
    """Gets the packets from the library, as its ``StreamResult`` does."""

    def __init__(self, reading: _Reading) -> None:
        self._reading = reading

    def startTestRun(self) -> None:  # noqa: N802  the library's name
        """Take no note of the beginning."""

    def stopTestRun(self) -> None:  # noqa: N802  the library's name
        """Take no note of the end."""

    def status(self, test_id: str | None = None, test_status: str | None = None, **packet: object) -> None:
        """Take in what a packet says of a test; what it says of none is output of the runner."""
        if test_id is None:
            return
        at, tags, route = packet.get("timestamp"), packet.get("test_tags"), packet.get("route_code")
        execution = self._reading.take(
            test_id,
            test_status,
            route if isinstance(route, str) else None,
            frozenset(map(str, tags)) if isinstance(tags, set | frozenset) else frozenset(),
            at if isinstance(at, datetime) else None,
        )
        name, data = packet.get("file_name"), packet.get("file_bytes")
        if isinstance(name, str) and isinstance(data, bytes | memoryview):
            self._reading.take_file(execution, name, str(packet.get("mime_type") or "text/plain"), bytes(data))


def _between(started: datetime | None, ended: datetime | None) -> float | None:
    return max(ended - started, timedelta()).total_seconds() if started and ended else None
