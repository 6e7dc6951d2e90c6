"""Where work is done: in threads or processes here, or on a Dask cluster; through concurrent.futures."""

import gc
import os
from collections import deque
from collections.abc import Awaitable, Callable, Iterable, Iterator
from contextlib import ExitStack
from importlib import import_module
from types import TracebackType
from typing import TYPE_CHECKING, Any, NamedTuple, TypeVar

from plain_verdict.runtime.errors import UsageError
from plain_verdict.runtime.processes import end_with_parent
from plain_verdict.text.cleaning import single_line
from plain_verdict.text.packages import quiet_libraries

if TYPE_CHECKING:
    from concurrent.futures import Executor, Future

Piece = TypeVar("Piece")
Made = TypeVar("Made")

_THREADS = 2
_SCHEME, _LOCAL = "dask://", "local"
_CLUSTER_PATIENCE_S = 8
_RETRIES = 3


class EngineError(Exception):
    """A piece of work could not be done on a cluster, and trying again did not help."""


ON_CLUSTER = "see that its workers have the same plain-verdict[cluster], or leave --engine out"
"""What to do where work fails there."""


class Lost(NamedTuple):
    """What comes of a piece of work whose worker was lost twice; ``why`` goes on from the piece's name."""

    why: str
    hint: str


class Engine:
    """Does pieces of work, a few at a time, and gives what came of each in their order.

    ``name`` is "" for this machine, ``dask://HOST:PORT`` for a scheduler that runs, ``dask://local`` for
    one that is started here. On this machine it takes threads, or so many ``processes``, which are forked from this
    one. It begins with the first piece. Raises UsageError where it can't.
    """

    def __init__(self, name: str = "", processes: int = 0) -> None:
        self.name = name
        self._processes = processes
        self._open = ExitStack()
        self._executor: Executor | None = None
        self._width = 2 * processes + 1 if processes else _THREADS + 1

    def __enter__(self) -> "Engine":
        """Return the engine; at the end its threads, or the tie to its cluster, are given up."""
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        """Give up what was begun; what is still waited for as well, where something went wrong."""
        if error is not None and self._executor is not None and not self.name:
            self._executor.shutdown(wait=False, cancel_futures=True)
            self._open.pop_all()
        self._open.__exit__(kind, error, trace)

    def each(self, work: Callable[[Piece], Made], pieces: Iterable[Piece]) -> Iterator[Made]:
        """Yield what the work makes of each piece. Raises what the work raises, and EngineError for a cluster."""
        for _, future in self._begun(work, pieces):
            yield self._result(future)

    def each_or_lost(self, work: Callable[[Piece], Made], pieces: Iterable[Piece]) -> Iterator[Made | Lost]:
        """Yield the same of pieces any of which may cost a worker its life: that one is tried once more by itself.

        Raises what the work raises, but for a cluster, where that costs its piece alone.
        """
        for piece, future in self._begun(work, pieces):
            made = self._made_or_lost(work, piece, future)
            yield made

    def _begun(
        self, work: Callable[[Piece], Made], pieces: Iterable[Piece]
    ) -> "Iterator[tuple[Piece, Future[Made]]]":
        """Yield each piece with what will come of it, while work on the next ones has begun."""
        waiting: deque[tuple[Piece, Future[Made]]] = deque()
        try:
            for piece in pieces:
                waiting.append((piece, self._submit(work, piece)))
                if len(waiting) >= self._width:
                    yield waiting.popleft()
            while waiting:
                yield waiting.popleft()
        finally:
            for _, future in waiting:  # whoever wanted them has given up
                future.cancel()

    def _submit(self, work: Callable[[Piece], Made], piece: Piece) -> "Future[Made]":
        from concurrent.futures import BrokenExecutor  # for many results only

        executor = self._executor = self._executor or self._begin()
        try:
            return executor.submit(work, piece)
        except BrokenExecutor:
            self._executor = self._begin()
            return self._executor.submit(work, piece)

    def _made_or_lost(self, work: Callable[[Piece], Made], piece: Piece, future: "Future[Made]") -> "Made | Lost":
        from concurrent.futures import BrokenExecutor  # for many results only

        try:
            return self._result(future)
        except EngineError as error:  # a cluster has tried again by itself
            return Lost(f"can't be read on the cluster: {error}", ON_CLUSTER)
        except BrokenExecutor:
            self._executor = None  # all that it still had to do comes here, too
        try:
            with self._fork(1) as alone:
                return alone.submit(work, piece).result()
        except BrokenExecutor:
            return Lost("ended the process that read it, twice", "see whether there is memory enough for it")

    def _result(self, future: "Future[Made]") -> Made:
        if not self.name:
            return future.result()
        try:
            return future.result()
        except Exception as error:  # workers and what they run on may fail in any way
            raise EngineError(single_line(f"{type(error).__name__}: {error}", 300)) from error

    def _begin(self) -> "Executor":
        if self.name:
            return self._on_cluster(self.name.removeprefix(_SCHEME))
        if self._processes:
            return self._open.enter_context(self._fork(self._processes))
        from concurrent.futures import ThreadPoolExecutor  # for load results only

        return self._open.enter_context(ThreadPoolExecutor(_THREADS))

    @staticmethod
    def _fork(number: int) -> "Executor":
        """Return so many processes, which see all that this one has. Every thread must have ended before."""
        from concurrent.futures import ProcessPoolExecutor  # for many results only
        from multiprocessing import get_context  # for many results only

        fork = get_context("fork")
        return ProcessPoolExecutor(number, fork, initializer=_begin_helper, initargs=(os.getpid(),))

    def _on_cluster(self, address: str) -> "Executor":
        quiet_libraries()
        try:
            from dask import config  # an extra

            dask: Any = import_module("distributed")  # its classes have no types
        except ImportError as error:
            hint = "install them: pip install 'plain-verdict[cluster]'"
            raise UsageError(f"--engine {self.name} needs more libraries ({error.name})", hint=hint) from error
        hint = "check that a scheduler runs there, and workers that have the same plain-verdict[cluster]"
        # What it has to say goes through the error below, not through its log.
        self._open.enter_context(config.set({"logging.distributed": "critical", "distributed.admin.log-length": 0}))
        try:
            if address == _LOCAL:
                # No server page: it would listen to the network.
                cluster = dask.LocalCluster(n_workers=_THREADS, threads_per_worker=1, dashboard_address=None)
                address = self._open.enter_context(cluster).scheduler_address
            import_module("asyncio").run(_knock(dask.comm.connect, address))
            client = self._open.enter_context(
                dask.Client(address, timeout=_CLUSTER_PATIENCE_S, set_as_default=False)
            )
            client.wait_for_workers(1, timeout=_CLUSTER_PATIENCE_S)
        except (OSError, TimeoutError, ValueError) as error:
            raise UsageError(
                f"--engine {self.name} can't be used: {str(error) or 'no answer'}", hint=hint
            ) from error
        self._width = 2 * sum(client.nthreads().values())
        executor: Executor = client.get_executor(retries=_RETRIES, pure=False)
        return executor


def _begin_helper(parent: int) -> None:
    end_with_parent(parent)
    gc.enable()  # the program does without; a helper reads file after file


async def _knock(connect: Callable[..., Awaitable[Any]], address: str) -> None:
    """Make sure that a scheduler answers: a client that finds none waits long. Raises OSError and ValueError."""
    import asyncio  # for clusters only

    comm = await asyncio.wait_for(connect(address, timeout=_CLUSTER_PATIENCE_S), _CLUSTER_PATIENCE_S + 1)
    await comm.close()


def check_engine(name: str) -> None:
    """Make sure that a name is that of an engine. Raises UsageError."""
    if name and not (name.startswith(_SCHEME) and len(name) > len(_SCHEME)):
        raise UsageError(
            f"{name!r} is not an engine", hint="write dask://HOST:PORT, or dask://local to try it here"
        )
