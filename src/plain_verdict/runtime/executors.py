"""Where work is done: in threads or processes here, or on a Dask cluster; through concurrent.futures."""

from collections import deque
from collections.abc import Callable, Iterable, Iterator
from contextlib import ExitStack
from types import TracebackType
from typing import TYPE_CHECKING, NamedTuple

from plain_verdict.runtime.errors import UsageError
from plain_verdict.runtime.work import Begun, Lost, Made, Piece

if TYPE_CHECKING:
    from plain_verdict.runtime.cluster import Cluster
    from plain_verdict.runtime.pools import Pool

PATIENCE_S = 180.0
_THREADS = 2  # polars uses the other cores by itself
_SCHEME, _TLS = "dask://", "tls://"


class EngineOptions(NamedTuple):
    """Which engine does work, and for how long a cluster may give nothing back; see ``Engine``."""

    name: str = ""
    patience_s: float = PATIENCE_S


class Engine:
    """Does pieces of work, a few at a time, and gives what came of each in their order.

    ``name`` is "" for this machine, ``dask://HOST:PORT`` or ``tls://HOST:PORT`` for a scheduler that runs,
    ``dask://local`` for one that is started here. On this machine it takes threads, or so many ``processes``, which
    are started from this one. It begins with the first piece. Raises UsageError and EngineFailed where it can't;
    a cluster of which nothing comes for ``patience_s`` has failed.
    """

    def __init__(self, name: str = "", processes: int = 0, patience_s: float = PATIENCE_S) -> None:
        self.name = name
        self.notes: list[str] = []
        """What a user should know of how the work was done; it is the same work."""
        self._patience_s = patience_s
        self._processes = processes
        self._open = ExitStack()
        self._pool: Pool | Cluster | None = None
        self._width = 2 * processes + 1 if processes else _THREADS + 1

    def __enter__(self) -> "Engine":
        """Return the engine; at the end its threads, or the tie to its cluster, are given up."""
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        """Give up what was begun; what is still waited for as well, where something went wrong."""
        if self._pool is not None:
            if error is not None:
                self._pool.give_up()
            # An interrupt waits for nobody: helpers and workers end with this program.
            if error is not None and (not self.name or not isinstance(error, Exception)):
                self._open.pop_all()
        self._open.__exit__(kind, error, trace)

    def _begun_pool(self) -> "Pool | Cluster":
        """Return what does the work; it begins with the first piece."""
        if self._pool is None:
            if self.name:
                from plain_verdict.runtime.cluster import Cluster  # an extra

                address = self.name.removeprefix(_SCHEME)
                self._pool = Cluster(self.name, address, self._patience_s, self.notes, self._open)
                self._width = self._pool.width
            else:
                from plain_verdict.runtime.pools import Pool  # Python's executors, for many or large results

                self._pool = Pool(self._open, processes=self._processes, threads=_THREADS)
        return self._pool

    @property
    def width(self) -> int:
        """Return how many pieces of work are begun at once."""
        self._begun_pool()
        return self._width

    def each(self, work: Callable[[Piece], Made], pieces: Iterable[Piece]) -> Iterator[Made]:
        """Yield what the work makes of each piece. Raises what the work raises, and EngineError for a cluster."""
        for begun in self._in_turn(work, pieces):
            yield begun.result()

    def each_or_lost(self, work: Callable[[Piece], Made], pieces: Iterable[Piece]) -> Iterator[Made | Lost]:
        """Yield the same of pieces any of which may cost workers their lives: that one is tried once more.

        Raises what the work raises, but for a cluster, where that costs its piece alone.
        """
        for begun in self._in_turn(work, pieces):
            yield begun.result_or_lost()

    def each_or_local(self, work: Callable[[Piece], Made], pieces: Iterable[Piece]) -> Iterator[Made]:
        """Yield the same; a piece that cost workers their lives is worked on in this process."""
        waiting: deque[Piece] = deque()

        def noted() -> Iterator[Piece]:
            for piece in pieces:
                waiting.append(piece)
                yield piece

        for made in self.each_or_lost(work, noted()):
            piece = waiting.popleft()
            yield work(piece) if isinstance(made, Lost) else made

    def _in_turn(self, work: Callable[[Piece], Made], pieces: Iterable[Piece]) -> Iterator[Begun[Made]]:
        """Yield each piece of work in its turn, while work on the next ones has begun."""
        waiting: deque[Begun[Made]] = deque()
        try:
            for piece in pieces:
                waiting.append(self._begun_pool().submit(work, piece))
                if len(waiting) >= self._width:
                    yield waiting.popleft()
            while waiting:
                yield waiting.popleft()
        finally:
            for begun in waiting:  # whoever wanted them has given up
                begun.cancel()


def check_engine(name: str) -> None:
    """Make sure that a name is that of an engine. Raises UsageError."""
    if name and not any(name.startswith(scheme) and len(name) > len(scheme) for scheme in (_SCHEME, _TLS)):
        hint = "write dask://HOST:PORT or tls://HOST:PORT, or dask://local to try it here"
        raise UsageError(f"{name!r} is not an engine", hint=hint)
