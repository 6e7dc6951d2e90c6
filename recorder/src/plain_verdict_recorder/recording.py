"""Writes records: our own result format, line by line, from any Python program. Standard library only.

    from plain_verdict_recorder import Recorder

    record = Recorder("results/desk.verdict.jsonl")
    with record.check("Day return can be paid", suite=["Booking", "Checkout"]):
        with record.step("Choose the 09:40"):
            record.keep(browser.get_screenshot_as_png(), "sailings.png")

The format is described in docs/record.md. Every line is one append to the file, so what was written before a
crash counts, and threads, tasks and forked processes can share a recorder. A recorder never breaks what it records:
its own trouble becomes one warning, and then it is silent.
"""

import contextvars
import itertools
import os
import sys
import threading
import time
from contextlib import ContextDecorator

from plain_verdict_recorder.lines import (
    VERSION,
    Difference,
    Line,
    Unmet,
    about_evidence,
    as_text,
    encode,
    evidence_bytes,
    problem_of,
    safe_name,
)

TYPE_CHECKING = False  # the typing module takes longer to import than all of this
if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence
    from types import TracebackType
    from typing import Protocol, Self, TypeVar

    class Saves(Protocol):
        """A picture object, like an image of Pillow's."""

        def save(self, file: object, format: str) -> object: ...  # noqa: A002  the name that picture objects have

    Client = TypeVar("Client")
    Kept = bytes | str | os.PathLike[str] | Saves

__all__ = ["Recorder"]

SUFFIX = ".verdict.jsonl"
_REQUEST_KEYS, _RESPONSE_KEYS = ("method", "url"), ("status", "reason")
_WORKER_CHARS = 60
_BINARY = getattr(os, "O_BINARY", 0)  # Windows would write CR LF


class Node(ContextDecorator):
    """A check or a step that is being recorded; a context manager, and for steps a decorator."""

    def __init__(self, recorder: "Recorder", what: str, name: str, fields: "Mapping[str, object]") -> None:
        self.id = ""
        self.check: Node = self
        self.unmet: list[str] = []
        self.pending: dict[int, object] = {}
        self._recorder = recorder
        self._what = what
        self._name = name
        self._fields = fields
        self._token: contextvars.Token[Node | None] | None = None

    def _recreate_cm(self) -> "Node":
        return Node(self._recorder, self._what, self._name, self._fields)

    def __enter__(self) -> "Self":
        fields = dict(self._fields)
        if self._what == "step" and "in" not in fields:
            around = self._recorder.node()
            fields["in"] = around.id if around else ""
            self.check = around.check if around else self
        self.id = self._recorder.begin(self._what, self._name, **fields)
        self._token = self._recorder.enter(self)
        return self

    def leave(self) -> None:
        """Make what is around this node the innermost again, without ending it."""
        if self._token is not None:
            self._recorder.leave(self, self._token)

    def __exit__(
        self,
        kind: "type[BaseException] | None",
        error: "BaseException | None",
        trace: "TracebackType | None",
    ) -> None:
        self._recorder.note_unanswered(self, error)
        self.leave()
        if error is None:
            unmet = self._what == "check" and self.unmet
            self._recorder.finish(self.id, "failed" if unmet else "passed")
            return
        outcome, reason, problem = problem_of(error)
        # The innermost step and the check tell the problem; steps between them only that they did not pass.
        is_known = self._what == "step" and self._recorder.reported is error
        self._recorder.reported = error
        self._recorder.finish(self.id, outcome, reason, [] if is_known or problem is None else [problem])


def _plain(fields: "Line") -> "Line":
    """Return the keys of an exchange line from plain values."""
    line = {key: value for key, value in fields.items() if key not in (*_REQUEST_KEYS, *_RESPONSE_KEYS)}
    for part, keys in (("request", _REQUEST_KEYS), ("response", _RESPONSE_KEYS)):
        given = {key: fields[key] for key in keys if key in fields}
        if given:
            whole = line.get(part)
            line[part] = {**(whole if isinstance(whole, dict) else {}), **given}
    return line


class Recorder:
    """Writes one record; ``path`` is a file (``.verdict.jsonl``), or a folder where each process has its own.

    ``strict`` lets its own trouble out as the OSError that it is, for programs that record and do nothing else.
    """

    def __init__(self, path: "str | os.PathLike[str]", *, worker: str = "", strict: bool = False) -> None:
        name = os.fspath(path)
        # Process ids come again, in containers above all; two runs must not share ids or a file.
        unique = f"{time.time_ns() // 1000 % 16**9:x}"
        if not name.endswith(SUFFIX):
            name = os.path.join(
                name, f"{safe_name(worker[:_WORKER_CHARS] or 'record')}-{os.getpid()}-{unique}{SUFFIX}"
            )
        self.path = name
        self.worker = worker
        self.reported: BaseException | None = None
        self.lost: BaseException | None = None
        self._unmet: list[str] = []
        self._file = -1
        self._broken = False
        self._strict = strict
        self._unique = unique
        self._lock = threading.Lock()
        self._numbers = itertools.count(1)
        self._current: contextvars.ContextVar[Node | None] = contextvars.ContextVar(
            "plain_verdict_node", default=None
        )
        self._open: list[Node] = []

    # What a test uses

    def check(
        self,
        name: str,
        *,
        suite: "Sequence[str]" = (),
        parameters: "Mapping[str, object] | None" = None,
        **about: object,
    ) -> Node:
        """Return a check, to use with ``with``; ``about`` takes the keys of a check line, like tags."""
        about["parameters"] = {str(key): str(value) for key, value in (parameters or {}).items()}
        return Node(self, "check", name, {"suite": list(suite), **about})

    def step(self, name: str) -> Node:
        """Return a step of what is being recorded, to use with ``with`` or as a decorator."""
        return Node(self, "step", name, {})

    def keep(
        self, evidence: "Kept", name: str = "", *, caption: str = "", role: str = "", began: float | None = None
    ) -> None:
        """Keep evidence: bytes, the path of a file, or a picture object with ``save`` or ``savefig``.

        ``role`` is ``expected``, ``actual`` or ``difference`` for pictures that belong together, ``poster`` for the
        frame that stands for a video; any other is left out. ``began`` is when a video begins, in epoch seconds.
        """
        self.attach(self.node_id(), evidence, name, caption, **about_evidence(role, began))

    def log(self, text: str, level: str = "info") -> None:
        """Note a line in the step or check that is being recorded."""
        self.note(self.node_id(), text, level)

    def fact(self, key: str, value: object) -> None:
        """Note a fact about the run."""
        self.write({"what": "fact", "key": str(key), "value": str(value)})

    def metric(self, name: str, value: float, unit: str = "") -> None:
        """Note a number of your own about the run, like ``metric("first paint", 840, "ms")``, once or often."""
        line: Line = {"what": "metric", "name": str(name), "value": float(value), "unit": str(unit)}
        self.write({**line, "at": time.time()})

    def compare(self, *, expected: object, actual: object, message: str = "") -> None:
        """Raise an AssertionError that carries both values, where they differ."""
        if expected != actual:
            raise Difference(expected, actual, message)

    def exchange(self, response: object = None, *, history: bool = True, **fields: object) -> None:
        """Note a request and what came back: the response of an HTTP client, or plain values.

        Plain values are the keys of an exchange line: ``request``, ``response``, ``took_s``; or for short
        ``method``, ``url``, ``status``. Redirects that the client followed are noted before, in their order, unless
        ``history`` is off.
        """
        from plain_verdict_recorder.http import exchange_of_response  # for exchanges only

        if response is None:
            self.put_exchange(self.node_id(), _plain(fields))
            return
        try:
            before = (getattr(response, "history", None) or ()) if history else ()
            lines = [exchange_of_response(each) for each in (*before, response)]
        except Exception as error:  # noqa: BLE001  whatever its mapping, the test must go on
            self._give_up(error, for_good=False)
            return
        lines[-1].update(fields)
        for line in lines:
            self.put_exchange(self.node_id(), line)

    def watch(self, client: "Client") -> "Client":
        """Note every exchange of an HTTP client, by the hooks that it offers; return the client."""
        from plain_verdict_recorder.client_hooks import watch  # for watched clients only

        watch(self, client)
        return client

    def expect(
        self,
        subject: str,
        *,
        expected: object = None,
        actual: object = None,
        holds: "bool | None" = None,
        message: str = "",
    ) -> bool:
        """Note an expectation, and go on; the check fails at its end if one is not met.

        It is met where both values are equal, or where ``holds`` reports it: then ``expected`` is words.
        Return whether it is met.
        """
        met = expected == actual if holds is None else bool(holds)
        line: Line = {"what": "expectation", "in": self.node_id(), "subject": subject}
        line["outcome"] = "passed" if met else "failed"
        line |= {"expected": as_text(expected), "actual": as_text(actual)}
        if message:
            line["message"] = message
        self.write(line)
        if not met:
            node = self.node()
            is_status = subject.lower() == "status"
            found = f"Answered {as_text(actual)}" if is_status else f"{subject} is {as_text(actual)}"
            failure_message = message or (subject if actual is None else f"{found}, expected {as_text(expected)}")
            (node.check.unmet if node else self._unmet).append(failure_message)
        return met

    def settle(self) -> None:
        """Raise an AssertionError if an expectation of the check was not met; what was not met counts once."""
        node = self.node()
        unmet = node.check.unmet if node else self._unmet
        __tracebackhide__ = True
        messages, unmet[:] = list(unmet), []
        if messages:
            raise Unmet(messages)

    # What tools for other runners use

    def put_exchange(self, id_: str, line: "Line") -> None:
        """Note an exchange in what has this id; ``line`` holds its keys."""
        self.write({"what": "exchange", "in": id_, "at": time.time(), **line})

    def await_answer(self, request: object) -> None:
        """Take note that a request is under way; one that nothing answers is given when its check or step ends."""
        node = self.node()
        if node is not None:
            node.pending[id(request)] = request

    def answered(self, request: object) -> None:
        """Take note that a request was answered."""
        for node in (self.node(), *reversed(self._open)):
            if node is not None and node.pending.pop(id(request), None) is not None:
                return

    def note_unanswered(self, node: Node, error: "BaseException | None") -> None:
        """Note what nothing answered in a node: requests under way, and the one that an error is about."""
        if error is None and not node.pending:
            return
        from plain_verdict_recorder.http import exchange_without_answer, request_of  # for exchanges only

        lost = request_of(error) if error is not None and self.lost is not error else None
        unanswered = [request for request in node.pending.values() if request is not lost]
        node.pending.clear()
        for request in unanswered:
            self.put_exchange(node.id, exchange_without_answer(request, None, "nothing came back"))
        if lost is not None:
            self.lost = error
            self.put_exchange(node.id, exchange_without_answer(lost, error))

    def begin(self, what: str, name: str, **fields: object) -> str:
        """Begin a check or step and return its id."""
        # A forked process counts on from the same number, so its id is in it.
        id_ = f"{os.getpid():x}-{self._unique}-{next(self._numbers):x}"
        line: Line = {"what": what, "id": id_, "name": str(name), "at": time.time(), **fields}
        if what == "check" and self.worker:
            line.setdefault("worker", self.worker)
        self.write(line)
        return id_

    def finish(self, id_: str, outcome: str, reason: str = "", problems: "Sequence[Line]" = ()) -> None:
        """End what has this id."""
        line: Line = {"what": "end", "id": id_, "outcome": outcome, "at": time.time()}
        if reason:
            line["reason"] = reason
        if problems:
            line["problems"] = list(problems)
        self.write(line)

    def note(self, id_: str, text: str, level: str = "info") -> None:
        """Note a line in what has this id."""
        self.write({"what": "log", "in": id_, "text": str(text), "level": level, "at": time.time()})

    def attach(self, id_: str, evidence: "Kept", name: str = "", caption: str = "", **about: object) -> None:
        """Keep evidence for what has this id, as a file beside the record; ``about`` from ``about_evidence``."""
        if self._broken:
            return
        try:
            path, name = evidence_bytes(evidence, name, self.path)
        except Exception as error:  # noqa: BLE001  whatever a picture object raises, the test must go on
            self._give_up(error, for_good=False)
            return
        line: Line = {"what": "evidence", "in": id_, "name": name, "path": path, "caption": caption}
        self.write({**line, **about, "at": time.time()})

    def node_id(self) -> str:
        """Return the id of the innermost step or check that is being recorded, or ""."""
        node = self.node()
        return node.id if node is not None else ""

    def enter(self, node: Node) -> "contextvars.Token[Node | None]":
        """Make a node the innermost one of this thread or task."""
        with self._lock:
            self._open.append(node)
        return self._current.set(node)

    def leave(self, node: Node, token: "contextvars.Token[Node | None]") -> None:
        """Make the node around this one the innermost again."""
        with self._lock:
            if node in self._open:
                self._open.remove(node)
        try:
            self._current.reset(token)
        except ValueError:  # left in another task than it was entered in
            self._current.set(None)

    def node(self) -> "Node | None":
        """Return the innermost step or check that is being recorded."""
        node = self._current.get()
        if node is None and self._open:
            # A thread that was started inside a check knows nothing of it; the innermost one is the best guess.
            return self._open[-1]
        return node

    def write(self, line: "Line") -> None:
        """Append one line; trouble becomes one warning."""
        if self._broken:
            return
        try:
            data = encode(line)
            if self._file < 0:
                self._start()
            os.write(self._file, data)
        except OSError as error:
            self._give_up(error, for_good=True)

    def _start(self) -> None:
        with self._lock:
            if self._file >= 0:
                return
            os.makedirs(os.path.dirname(self.path) or ".", exist_ok=True)
            file = os.open(self.path, os.O_WRONLY | os.O_CREAT | os.O_APPEND | _BINARY, 0o666)
            if os.fstat(file).st_size == 0:
                os.write(
                    file,
                    encode({"what": "record", "version": VERSION, "zone": time.strftime("%z"), "at": time.time()}),
                )
            self._file = file

    def _give_up(self, error: Exception, *, for_good: bool) -> None:
        if self._strict:
            raise error
        self._broken = self._broken or for_good
        what = "nothing more is recorded" if for_good else "one thing is not recorded"
        text = f"plain-verdict: {what}: {error}"
        try:
            import warnings  # for trouble only

            warnings.warn(text, stacklevel=3)
        except Warning:  # warnings are errors here; a record must not break the test
            sys.stderr.write(text + "\n")
