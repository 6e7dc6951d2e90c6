"""Helper processes: they end with the program that started them, and may be given only so much time."""

import os
import signal
import threading
import time
from collections.abc import Callable
from typing import TYPE_CHECKING, Generic, TypeVar

if TYPE_CHECKING:
    from multiprocessing.connection import Connection

Result = TypeVar("Result")

_LOOK_S = 0.3  # between two looks whether the parent is still there


def end_with_parent(parent: int) -> None:
    """Make this process end when its parent does, however that ends; and leave signals' handling to the parent.

    ``parent`` is the parent's number as the parent knows it: by the time this runs, it may be gone.
    """
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    for name in ("SIGTERM", "SIGHUP"):
        if hasattr(signal, name):
            signal.signal(getattr(signal, name), signal.SIG_DFL)

    def watch() -> None:
        while os.getppid() == parent:
            time.sleep(_LOOK_S)
        os._exit(1)

    threading.Thread(target=watch, daemon=True).start()


class BackgroundTask(Generic[Result]):
    """Work that another process does once it is started; ``result`` waits for it, or does it if it never was.

    The other process sees all that this one has. A fork copies no thread, so there is none where other threads run:
    they may hold locks.
    """

    def __init__(self, work: Callable[[], Result]) -> None:
        self._work = work
        self._receive: Connection | None = None

    def start(self) -> None:
        """Begin in its own process."""
        import multiprocessing  # takes longer to import than a small report has

        context = multiprocessing.get_context("fork")
        self._receive, send = context.Pipe(duplex=False)
        self._child = context.Process(target=_send, args=(self._work, send, os.getpid()), daemon=True)
        self._child.start()
        send.close()

    def result(self, patience_s: float | None = None, *, again: bool = True) -> Result:
        """Return what the work gave; if the other process was lost, the work is done here, unless not ``again``.

        Raises TimeoutError where it takes longer than ``patience_s``; then it is ended. Raises ChildProcessError
        where it was lost and must not be done again, as it would take this process along.
        """
        if self._receive is None:
            return self._work()
        if patience_s is not None and not self._receive.poll(patience_s):
            self._child.kill()
            raise TimeoutError
        try:
            result: Result = self._receive.recv()
        except (EOFError, OSError) as error:  # lost before it sent something, or while it did
            if not again:
                raise ChildProcessError from error
            return self._work()
        self._child.join()
        return result


def _send(work: Callable[[], Result], send: "Connection", parent: int) -> None:
    end_with_parent(parent)
    send.send(work())


def can_fork(*, alone: bool = False) -> bool:
    """Return whether a process can be forked, and helps: where there is a second processor, or if ``alone``."""
    return hasattr(os, "fork") and (alone or processors() > 1) and threading.active_count() == 1


def processors() -> int:
    """Return how many processors this program may use."""
    return len(os.sched_getaffinity(0)) if hasattr(os, "sched_getaffinity") else os.cpu_count() or 1
