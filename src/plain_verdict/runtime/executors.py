"""Where work is done: in threads or processes here, or on a Dask cluster; through concurrent.futures."""

from collections import deque
from collections.abc import Callable, Iterable, Iterator
from contextlib import ExitStack
from types import TracebackType
from typing import TYPE_CHECKING

from plain_verdict.runtime.errors import UsageError
from plain_verdict.runtime.work import Lost, Made, Piece

if TYPE_CHECKING:
    from concurrent.futures import Future

    from plain_verdict.runtime.pools import Pool

_THREADS = 2  # polars uses the other cores by itself
_SCHEME = "dask://"


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
        self._pool: Pool | None = None
        self._width = 2 * processes + 1 if processes else _THREADS + 1

    def __enter__(self) -> "Engine":
        """Return the engine; at the end its threads, or the tie to its cluster, are given up."""
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        """Give up what was begun; what is still waited for as well, where something went wrong."""
        if error is not None and self._pool is not None and not self.name:
            self._pool.give_up()
            self._open.pop_all()
        self._open.__exit__(kind, error, trace)

    def _begun_pool(self) -> "Pool":
        """Return what does the work; it begins with the first piece."""
        if self._pool is None:
            from plain_verdict.runtime.pools import Pool  # Python's executors, for many or large results

            if self.name:
                from plain_verdict.runtime.cluster import executor_on_cluster  # an extra

                executor, self._width = executor_on_cluster(self.name, self.name.removeprefix(_SCHEME), self._open)
                self._pool = Pool(self._open, executor)
            else:
                self._pool = Pool(self._open, processes=self._processes, threads=_THREADS)
        return self._pool

    def each(self, work: Callable[[Piece], Made], pieces: Iterable[Piece]) -> Iterator[Made]:
        """Yield what the work makes of each piece. Raises what the work raises, and EngineError for a cluster."""
        for _, future in self._begun(work, pieces):
            yield self._begun_pool().result(future)

    def each_or_lost(self, work: Callable[[Piece], Made], pieces: Iterable[Piece]) -> Iterator[Made | Lost]:
        """Yield the same of pieces any of which may cost a worker its life: that one is tried once more by itself.

        Raises what the work raises, but for a cluster, where that costs its piece alone.
        """
        for piece, future in self._begun(work, pieces):
            made = self._begun_pool().made_or_lost(work, piece, future)
            yield made

    def _begun(
        self, work: Callable[[Piece], Made], pieces: Iterable[Piece]
    ) -> "Iterator[tuple[Piece, Future[Made]]]":
        """Yield each piece with what will come of it, while work on the next ones has begun."""
        waiting: deque[tuple[Piece, Future[Made]]] = deque()
        try:
            for piece in pieces:
                waiting.append((piece, self._begun_pool().submit(work, piece)))
                if len(waiting) >= self._width:
                    yield waiting.popleft()
            while waiting:
                yield waiting.popleft()
        finally:
            for _, future in waiting:  # whoever wanted them has given up
                future.cancel()


def check_engine(name: str) -> None:
    """Make sure that a name is that of an engine. Raises UsageError."""
    if name and not (name.startswith(_SCHEME) and len(name) > len(_SCHEME)):
        raise UsageError(
            f"{name!r} is not an engine", hint="write dask://HOST:PORT, or dask://local to try it here"
        )
