"""Work in threads or processes of this machine, or by an executor of a cluster; through concurrent.futures."""

import gc
import os
from collections.abc import Callable
from concurrent.futures import BrokenExecutor, Executor, Future, ProcessPoolExecutor, ThreadPoolExecutor
from contextlib import ExitStack
from multiprocessing import get_context

from plain_verdict.runtime.processes import end_with_parent
from plain_verdict.runtime.work import ON_CLUSTER, EngineError, Lost, Made, Piece
from plain_verdict.text.cleaning import single_line


class Pool:
    """Does work in so many processes or threads, or by an executor of a cluster."""

    def __init__(
        self, still_open: ExitStack, cluster: Executor | None = None, *, processes: int = 0, threads: int = 0
    ) -> None:
        self._open = still_open
        self._on_cluster = cluster is not None
        self._processes, self._threads = processes, threads
        self._executor = cluster

    def give_up(self) -> None:
        """Wait for nothing that was begun."""
        if self._executor is not None:
            self._executor.shutdown(wait=False, cancel_futures=True)

    def submit(self, work: Callable[[Piece], Made], piece: Piece) -> Future[Made]:
        """Begin work on a piece."""
        executor = self._executor = self._executor or self._begin()
        try:
            return executor.submit(work, piece)
        except BrokenExecutor:
            self._executor = self._begin()
            return self._executor.submit(work, piece)

    def made_or_lost(self, work: Callable[[Piece], Made], piece: Piece, future: Future[Made]) -> Made | Lost:
        """Return what came of a piece, which is tried once more by itself where it ended its process."""
        try:
            return self.result(future)
        except EngineError as error:  # a cluster has tried again by itself
            return Lost(f"can't be read on the cluster: {error}", ON_CLUSTER)
        except BrokenExecutor:
            self._executor = None  # all that it still had to do comes here, too
        try:
            with self._fork(1) as alone:
                return alone.submit(work, piece).result()
        except BrokenExecutor:
            return Lost("ended the process that read it, twice", "see whether there is memory enough for it")

    def result(self, future: Future[Made]) -> Made:
        """Return what came of a piece. Raises what the work raises, and EngineError for a cluster."""
        if not self._on_cluster:
            return future.result()
        try:
            return future.result()
        except Exception as error:  # workers and what they run on may fail in any way
            raise EngineError(single_line(f"{type(error).__name__}: {error}", 300)) from error

    def _begin(self) -> Executor:
        if self._processes:
            return self._open.enter_context(self._fork(self._processes))
        return self._open.enter_context(ThreadPoolExecutor(self._threads))

    @staticmethod
    def _fork(number: int) -> Executor:
        """Return so many processes, which see all that this one has. Every thread must have ended before."""
        fork = get_context("fork")
        return ProcessPoolExecutor(number, fork, initializer=_begin_helper, initargs=(os.getpid(),))


def _begin_helper(parent: int) -> None:
    end_with_parent(parent)
    gc.enable()  # the program does without; a helper reads file after file
