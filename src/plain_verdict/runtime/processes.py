"""Helper processes: they end with the program that started them, and may be given only so much time."""

import os
import signal
import sys
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import suppress
from typing import TYPE_CHECKING, Generic, TypeVar

if TYPE_CHECKING:
    from multiprocessing.connection import Connection
    from multiprocessing.process import BaseProcess

Result = TypeVar("Result")

_LOOK_S = 0.3  # between two looks whether the parent is still there
_NUMBER_BYTES = 2
_MOST_PIECES = 2_000  # whose numbers every pipe holds: a page of memory is the least
START = "spawn" if sys.platform in ("win32", "darwin") else "fork"
"""How helpers begin. Windows has no fork, and the libraries of macOS do not survive one.

Source: Python, "multiprocessing", section "Contexts and start methods".
"""


class _Spawning:
    """Whether helpers may begin that import the main module anew: where it is this program, which expects that."""

    allowed = False


def allow_spawning() -> None:
    """Let helpers begin where there is no fork, too."""
    _Spawning.allowed = True


def end_with_parent(parent: int) -> None:
    """Make this process end when its parent does, however that ends; and leave signals' handling to the parent.

    ``parent`` is the parent's number as the parent knows it: by the time this runs, it may be gone.
    """
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    for name in ("SIGTERM", "SIGHUP"):
        if hasattr(signal, name):
            signal.signal(getattr(signal, name), signal.SIG_DFL)

    def watch() -> None:
        if sys.platform == "win32":  # where a process keeps the number of a parent that is gone
            _wait_for_parent()
        while sys.platform != "win32" and os.getppid() == parent:
            time.sleep(_LOOK_S)
        os._exit(1)

    threading.Thread(target=watch, daemon=True).start()


def _wait_for_parent() -> None:
    """Return once the process is gone that began this one."""
    from multiprocessing import parent_process  # it is imported already in a helper

    parent = parent_process()
    if parent is not None:
        parent.join()


class BackgroundTask(Generic[Result]):
    """Work that another process does once it is started; ``result`` waits for it, or does it if it never was.

    The other process sees all that this one has. A fork copies no thread, so there is none where other threads run:
    they may hold locks.
    """

    _child: "BaseProcess"

    def __init__(self, work: Callable[[], Result]) -> None:
        self._work = work
        self._receive: Connection | None = None

    def start(self) -> None:
        """Begin in its own process; where there is no fork, ``result`` does the work."""
        if sys.platform == "win32":
            return
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


class SharedWork(Generic[Result]):
    """Pieces of work that this process and its helpers take from one pile, each whenever it is free.

    The pile is a pipe that holds the numbers of the pieces: a read of so few bytes takes one whole number, which no
    other process gets. Source: POSIX.1-2017, read(): "I/O is intended to be atomic to ordinary files and pipes".
    """

    def __init__(self, work: Callable[[int], Result], number: int) -> None:
        self._work, self._number = work, number
        self._pile = -1
        self._helpers: list[BackgroundTask[dict[int, Result]]] = []

    def start(self) -> None:
        """Begin in a helper for each other processor; where there is none, ``results`` does the work."""
        helpers = min(helpers_wanted(), self._number) - 1
        if helpers < 1 or self._number > _MOST_PIECES:
            return
        self._pile, put = os.pipe()
        os.write(put, b"".join(piece.to_bytes(_NUMBER_BYTES, "big") for piece in range(self._number)))
        # Without an end to write to, a read ends once the pile is empty.
        os.close(put)
        self._helpers = [BackgroundTask(self._take) for _ in range(helpers)]
        for helper in self._helpers:
            helper.start()

    def results(self) -> Iterator[Result]:
        """Yield what came of each piece, in order; what a helper took with it when it was lost is done here."""
        made = self._take() if self._helpers else {}
        for helper in self._helpers:
            with suppress(ChildProcessError):
                made.update(helper.result(again=False))
        if self._helpers:
            os.close(self._pile)
        self._helpers = []
        yield from (made.pop(piece) if piece in made else self._work(piece) for piece in range(self._number))

    def _take(self) -> dict[int, Result]:
        """Return what came of the pieces that this process took, until none is left."""
        made = {}
        while number := os.read(self._pile, _NUMBER_BYTES):
            piece = int.from_bytes(number, "big")
            made[piece] = self._work(piece)
        return made


def _send(work: Callable[[], Result], send: "Connection", parent: int) -> None:
    end_with_parent(parent)
    send.send(work())


def start_method() -> str:
    """Return how helpers begin, as ``multiprocessing`` calls it."""
    return START


def can_fork(*, alone: bool = False) -> bool:
    """Return whether a process can be forked, and helps: where there is a second processor, or if ``alone``."""
    return START == "fork" and (alone or processors() > 1) and threading.active_count() == 1


def can_start_helpers() -> bool:
    """Return whether processes can be started that are given all that they need, and help."""
    return can_fork() or (START == "spawn" and _Spawning.allowed and processors() > 1)


def helpers_wanted() -> int:
    """Return how many helpers do much work soonest: more than eight wait for the disk and for each other."""
    return min(processors(), 8)


def processors() -> int:
    """Return how many processors this program may use."""
    return len(os.sched_getaffinity(0)) if hasattr(os, "sched_getaffinity") else os.cpu_count() or 1
