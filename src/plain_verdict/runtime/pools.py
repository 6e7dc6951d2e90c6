"""Work in threads or processes of this machine, through concurrent.futures."""

import gc
import os
from collections.abc import Callable
from concurrent.futures import BrokenExecutor, Executor, Future, ProcessPoolExecutor, ThreadPoolExecutor
from contextlib import ExitStack
from multiprocessing import get_context
from typing import Generic

from plain_verdict.runtime.processes import end_with_parent, start_method
from plain_verdict.runtime.work import Lost, Made, Piece


class Pool:
    """Does work in so many processes or threads."""

    def __init__(self, still_open: ExitStack, *, processes: int = 0, threads: int = 0) -> None:
        self._open = still_open
        self._processes, self._threads = processes, threads
        self._executor: Executor | None = None

    def give_up(self) -> None:
        """Wait for nothing that was begun."""
        if self._executor is not None:
            self._executor.shutdown(wait=False, cancel_futures=True)

    def submit(self, work: Callable[[Piece], Made], piece: Piece) -> "_Begun[Piece, Made]":
        """Begin work on a piece."""
        executor = self._executor = self._executor or self._begin()
        try:
            future = executor.submit(work, piece)
        except BrokenExecutor:
            self._executor = self._begin()
            future = self._executor.submit(work, piece)
        return _Begun(self, work, piece, future)

    def alone(self, work: Callable[[Piece], Made], piece: Piece) -> Made:
        """Return what comes of a piece in a process for it; all that the others still had to do comes here, too."""
        self._executor = None
        with self._start(1) as alone:
            return alone.submit(work, piece).result()

    def _begin(self) -> Executor:
        if self._processes:
            return self._open.enter_context(self._start(self._processes))
        return self._open.enter_context(ThreadPoolExecutor(self._threads))

    @staticmethod
    def _start(number: int) -> Executor:
        """Return so many processes. Every thread must have ended before: where they are forked, none is copied."""
        context = get_context(start_method())
        return ProcessPoolExecutor(number, context, initializer=_begin_helper, initargs=(os.getpid(),))


def _begin_helper(parent: int) -> None:
    end_with_parent(parent)
    gc.enable()  # the program does without; a helper reads file after file


class _Begun(Generic[Piece, Made]):
    """A piece of work that was given to a pool."""

    def __init__(self, pool: Pool, work: Callable[[Piece], Made], piece: Piece, future: Future[Made]) -> None:
        self._pool = pool
        self._work, self._piece = work, piece
        self._future = future

    def result(self) -> Made:
        """Return what came of it. Raises what the work raises."""
        return self._future.result()

    def result_or_lost(self) -> Made | Lost:
        """Return what came of it; it is tried once more by itself where it ended its process."""
        try:
            return self._future.result()
        except BrokenExecutor:
            pass
        try:
            return self._pool.alone(self._work, self._piece)
        except BrokenExecutor:
            return Lost("ended the process that read it, twice", "see whether there is memory enough for it")

    def cancel(self) -> object:
        """Take it back."""
        return self._future.cancel()
