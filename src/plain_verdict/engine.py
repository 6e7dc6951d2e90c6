"""Where pieces of work are done: in threads here, or on a Dask cluster, through executors (concurrent.futures)."""

from collections import deque
from collections.abc import Awaitable, Callable, Iterable, Iterator
from contextlib import ExitStack
from importlib import import_module
from types import TracebackType
from typing import TYPE_CHECKING, Any, TypeVar

from plain_verdict.errors import UsageError
from plain_verdict.text.cleaning import one_line

if TYPE_CHECKING:
    from concurrent.futures import Executor, Future

Piece = TypeVar("Piece")
Made = TypeVar("Made")

_THREADS = 2
_SCHEME, _LOCAL = "dask://", "local"
_PATIENCE_S = 8
_RETRIES = 3


class EngineError(Exception):
    """A piece of work could not be done on a cluster, and trying again did not help."""


class Engine:
    """Does pieces of work, a few at a time, and gives what came of each in their order.

    ``name`` is "" for threads of this process, ``dask://HOST:PORT`` for a scheduler that runs, ``dask://local`` for
    one that is started here. It begins with the first piece. Raises UsageError where it can't.
    """

    def __init__(self, name: str = "") -> None:
        self._name = name
        self._open = ExitStack()
        self._executor: Executor | None = None
        self._width = _THREADS + 1

    def __enter__(self) -> "Engine":
        """Return the engine; at the end its threads, or the tie to its cluster, are given up."""
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        """Give up what was begun."""
        self._open.__exit__(kind, error, trace)

    def each(self, work: Callable[[Piece], Made], pieces: Iterable[Piece]) -> Iterator[Made]:
        """Yield what the work makes of each piece. Raises what the work raises, and EngineError for a cluster."""
        executor = self._executor = self._executor or self._begin()
        waiting: deque[Future[Made]] = deque()
        for piece in pieces:
            waiting.append(executor.submit(work, piece))
            if len(waiting) >= self._width:
                yield self._result(waiting.popleft())
        while waiting:
            yield self._result(waiting.popleft())

    def _result(self, future: "Future[Made]") -> Made:
        if not self._name:
            return future.result()
        try:
            return future.result()
        except Exception as error:  # workers and what they run on may fail in any way
            raise EngineError(one_line(f"{type(error).__name__}: {error}", 300)) from error

    def _begin(self) -> "Executor":
        if self._name:
            return self._on_cluster(self._name.removeprefix(_SCHEME))
        from concurrent.futures import ThreadPoolExecutor  # for load results only

        return self._open.enter_context(ThreadPoolExecutor(_THREADS))

    def _on_cluster(self, address: str) -> "Executor":
        try:
            from dask import config

            dask: Any = import_module("distributed")  # its classes have no types
        except ImportError as error:
            hint = "install them: pip install 'plain-verdict[cluster]'"
            raise UsageError(f"--engine {self._name} needs more libraries ({error.name})", hint=hint) from error
        hint = "check that a scheduler runs there, and workers that have the same plain-verdict[cluster]"
        # What it has to say goes through the error below, not through its log.
        self._open.enter_context(config.set({"logging.distributed": "critical", "distributed.admin.log-length": 0}))
        try:
            if address == _LOCAL:
                # No page of its own: it would listen to the network.
                cluster = dask.LocalCluster(n_workers=_THREADS, threads_per_worker=1, dashboard_address=None)
                address = self._open.enter_context(cluster).scheduler_address
            import_module("asyncio").run(_knock(dask.comm.connect, address))
            client = self._open.enter_context(dask.Client(address, timeout=_PATIENCE_S, set_as_default=False))
            client.wait_for_workers(1, timeout=_PATIENCE_S)
        except (OSError, TimeoutError, ValueError) as error:
            raise UsageError(
                f"--engine {self._name} can't be used: {str(error) or 'no answer'}", hint=hint
            ) from error
        self._width = 2 * sum(client.nthreads().values())
        executor: Executor = client.get_executor(retries=_RETRIES, pure=False)
        return executor


async def _knock(connect: Callable[..., Awaitable[Any]], address: str) -> None:
    """Make sure that a scheduler answers: a client that finds none waits long. Raises OSError and ValueError."""
    import asyncio  # for clusters only

    comm = await asyncio.wait_for(connect(address, timeout=_PATIENCE_S), _PATIENCE_S + 1)
    await comm.close()


def check_engine(name: str) -> None:
    """Make sure that a name is that of an engine. Raises UsageError."""
    if name and not (name.startswith(_SCHEME) and len(name) > len(_SCHEME)):
        raise UsageError(f"{name!r} is no engine", hint="write dask://HOST:PORT, or dask://local to try it here")
