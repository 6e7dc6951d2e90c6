"""Does a long piece of work in a process of its own, where the system can fork; it sees all that this one has."""

import os
import threading
from collections.abc import Callable
from typing import TYPE_CHECKING, Generic, TypeVar

if TYPE_CHECKING:
    from multiprocessing.connection import Connection

Result = TypeVar("Result")


class Aside(Generic[Result]):
    """Work that is done aside; ``result`` waits for it. Without fork it is done when it is asked for.

    A fork copies no thread, so there is none where other threads run: they may hold locks.
    """

    def __init__(self, work: Callable[[], Result], *, worth_it: bool) -> None:
        self._work = work
        self._receive: Connection | None = None
        if worth_it and _can_fork():
            import multiprocessing

            context = multiprocessing.get_context("fork")
            self._receive, send = context.Pipe(duplex=False)
            self._child = context.Process(target=_send, args=(work, send), daemon=True)
            self._child.start()
            send.close()

    def result(self) -> Result:
        """Return what the work gave; if the other process was lost, the work is done here."""
        if self._receive is None:
            return self._work()
        try:
            result: Result = self._receive.recv()
        except EOFError:
            return self._work()
        self._child.join()
        return result


def _send(work: Callable[[], Result], send: "Connection") -> None:
    send.send(work())


def _can_fork() -> bool:
    processors = len(os.sched_getaffinity(0)) if hasattr(os, "sched_getaffinity") else os.cpu_count() or 1
    return hasattr(os, "fork") and processors > 1 and threading.active_count() == 1
