"""The workers of a Dask cluster: of a scheduler that runs, or of one that is started here.

Nothing here waits for ever: workers are tried before they are used, what hangs is begun elsewhere, and losing the
cluster ends the run.
"""

import asyncio
import logging
import threading
import time
from collections.abc import Awaitable, Callable, Collection, Iterable, Iterator, Sequence
from concurrent.futures import CancelledError
from contextlib import ExitStack, suppress
from importlib import import_module
from inspect import signature
from typing import Any, Generic

from plain_verdict.runtime.errors import EngineFailed, UsageError
from plain_verdict.runtime.work import ON_CLUSTER, EngineError, Lost, Made, Piece
from plain_verdict.text.cleaning import single_line
from plain_verdict.text.formatting import format_duration, join_list
from plain_verdict.text.packages import install_command, quiet_libraries

_LOCAL, _LOCAL_WORKERS = "local", 2
_BEGIN_S = 14.0  # to connect, in half of it, and to try all workers
_LOCAL_S = 60.0  # for workers of this machine, which are yet to begin
_ANSWER_S = 4.0  # a scheduler that is there answers in less than one
_POLL_S, _LOOK_S = 0.2, 1.0
_FETCH_S = 20.0  # for a result to come from the worker that has it
_GONE_S = 15.0  # without a scheduler, or without a worker
_HUNG_S = 15.0  # without a sign of life of a worker: they give one each second
_MOST_LOSSES = 2  # of one piece
_VERSIONS_EXPRESSION = (
    "(lambda metadata: {'Python': '.'.join(__import__('platform').python_version_tuple()[:2])} | {shown:"
    " next((found.version for found in metadata.distributions(name=name)), '') for shown, name in"
    " (('plain-verdict', 'plain-verdict'), ('Dask', 'distributed'), ('msgspec', 'msgspec'))})"
    "(__import__('importlib.metadata', fromlist=['metadata']))"
)
"""What must be the same on all machines, as an expression: any worker can evaluate it."""
_NAMED_WORKERS = 5
_SILENT = "it does not answer"
_AGAIN_HINT = "start it again, or leave --engine out"
_START_HINT = "check that a scheduler runs there, and workers that have the same plain-verdict[cluster]"


class _Task(Generic[Piece, Made]):
    """A piece of work that was begun on a worker; it may be begun again on another one."""

    def __init__(self, cluster: "Cluster", work: Callable[[Piece], Made], piece: Piece) -> None:
        self._cluster = cluster
        self.work, self.piece = work, piece
        self.losses = 0
        self.why = ""
        self.done = threading.Event()
        self.future: Any = None

    def result(self) -> Made:
        """Return what came of it. Raises EngineError where two workers failed on it, and EngineFailed."""
        return self._cluster.result(self)

    def result_or_lost(self) -> Made | Lost:
        """Return what came of it, or why nothing did. Raises EngineFailed."""
        try:
            return self._cluster.result(self)
        except EngineError as error:
            return Lost(f"can't be read on the cluster: {error}", ON_CLUSTER)

    def cancel(self) -> None:
        """Take it back."""
        self._cluster.forget(self)


class Cluster:
    """Does work on the workers that fit; adds to ``notes`` which are not used."""

    def __init__(self, name: str, address: str, patience_s: float, notes: list[str], still_open: ExitStack) -> None:
        """Connect. Raises UsageError where libraries are missing, EngineFailed where nothing can be used."""
        self._name, self._patience_s = name, patience_s
        self._notes = notes
        self._client = _connected(name, address, still_open)
        connected = time.monotonic()
        self._misfits: dict[str, str] = {}
        # Newer schedulers name only some of their workers unless they are asked for all.
        # Source: distributed, Scheduler.identity
        has_limit = "n_workers" in signature(import_module("distributed.scheduler").Scheduler.identity).parameters
        self._all = {"n_workers": -1} if has_limit else {}
        self._tried: set[str] = set()
        """Those that fit, also those that are gone by now."""
        self._signs: dict[str, tuple[float, float]] = {}
        self._pending: set[_Task[Any, Any]] = set()
        self._hung: set[str] = set()
        self._progressed = self._looked = self._scheduler_seen = self._worker_seen = time.monotonic()
        threads = self._try_workers(connected + (_LOCAL_S if address == _LOCAL else 0) + _BEGIN_S / 2)
        self.width = 2 * threads

    def submit(self, work: Callable[[Piece], Made], piece: Piece) -> "_Task[Piece, Made]":
        """Begin work on a piece."""
        task = _Task(self, work, piece)
        self._pending.add(task)
        self._begin(task)
        return task

    def result(self, task: "_Task[Piece, Made]") -> Made:
        """Return what came of a piece. Raises EngineError where two workers failed on it, else EngineFailed."""
        while True:
            while not task.done.wait(_POLL_S):
                self._look()
            if task.losses >= _MOST_LOSSES:
                self.forget(task)
                raise EngineError(task.why)
            try:
                made: Made = task.future.result(timeout=_FETCH_S)
            except CancelledError:
                # The connection to the scheduler was lost, and with it all that it had to do.
                self._restart(task, "the scheduler was lost")
            except Exception as error:  # noqa: BLE001  workers and what they run on may fail in any way
                if getattr(error, "last_worker", None) is not None:  # Dask itself has begun it on other workers
                    task.losses = _MOST_LOSSES
                    task.why = "the workers that read it ended, one after the other"
                else:
                    self._restart(task, single_line(f"{type(error).__name__}: {error}", 300))
            else:
                self.forget(task)
                return made

    def give_up(self) -> None:
        """Wait for nothing that was begun."""
        for task in list(self._pending):
            self.forget(task)

    def forget(self, task: "_Task[Any, Any]") -> None:
        """Take back a piece, or let go one that is done."""
        self._pending.discard(task)
        if task.future is not None and not task.future.done():
            _cancel(task.future)

    def _begin(self, task: "_Task[Any, Any]") -> None:
        """Begin a task, on workers that fit and give signs of life."""
        fitting = None
        if self._hung or self._misfits:
            # Where none is left it waits for those that were: never for one that does not fit.
            fitting = [address for address in self._signs if address in self._tried - self._hung]
            fitting = fitting or sorted(self._tried)
        argument = (
            self._scattered(task.piece, fitting) if getattr(task.piece, "carries_data", False) else task.piece
        )
        # Keys of our own: what has the same piece is begun anew all the same.
        try:
            future = self._client.submit(task.work, argument, pure=False, workers=fitting, retries=0)
        except Exception as error:  # of a client whose scheduler is gone
            raise self._failed("the scheduler is gone", _AGAIN_HINT) from error
        task.future = future

        def finished(_: object) -> None:
            if task.future is future:
                self._progressed = time.monotonic()
                task.done.set()

        future.add_done_callback(finished)

    def _scattered(self, piece: Any, workers: Sequence[str] | None) -> Any:
        """Return a piece as one of the workers has it: its data goes there once, not through the scheduler."""
        try:
            return self._client.scatter(piece, workers=workers, direct=True, hash=False, timeout=_FETCH_S)
        except Exception:  # noqa: BLE001  a network in which only the scheduler reaches the workers
            return piece

    def _restart(self, task: "_Task[Any, Any]", why: str) -> None:
        """Begin a task elsewhere, or note why it is lost. Raises EngineFailed."""
        before = task.future
        self._look()
        if task.future is not before:
            return  # that was done already, with all others
        task.losses += 1
        task.why = why
        if task.losses >= _MOST_LOSSES:
            task.done.set()
            return
        task.future = None
        task.done.clear()
        _cancel(before)
        self._begin(task)

    def _look(self) -> None:
        """Look how the cluster is, once a second. Raises EngineFailed where it is gone."""
        now = time.monotonic()
        if now - self._looked < _LOOK_S:
            return
        self._looked = now
        workers = self._workers()
        if workers is None:
            if self._client.status == "closed" or now - self._scheduler_seen > _GONE_S:
                raise self._failed("the scheduler is gone", _AGAIN_HINT)
            return
        self._scheduler_seen = time.monotonic()
        self._note_signs(workers)
        self._take_from_hung()
        if time.monotonic() - self._progressed > self._patience_s:
            self._progressed = time.monotonic()
            self._restart_all(f"nothing came of it within {format_duration(self._patience_s)}")

    def _restart_all(self, why: str, keys: Collection[str] | None = None) -> None:
        """Begin elsewhere all that is not done, or of it the tasks with these keys."""
        for task in list(self._pending):
            is_meant = keys is None or (task.future is not None and str(task.future.key) in keys)
            if is_meant and not task.done.is_set():
                self._restart(task, why)

    def _note_signs(self, workers: dict[str, float]) -> None:
        """Note which workers gave a sign of life since the last look, by the scheduler's clock."""
        self._try_new([address for address in workers if address not in self._tried])
        now = time.monotonic()
        self._signs = {
            address: before if (before := self._signs.get(address)) and before[0] == seen else (seen, now)
            for address, seen in workers.items()
            if address not in self._misfits
        }

    def _workers(self) -> dict[str, float] | None:
        """Return the workers, with when the scheduler heard from each; None where it does not answer."""
        if self._client.status != "running":
            return None
        try:
            identity = self._client.sync(self._client.scheduler.identity, **self._all, callback_timeout=_ANSWER_S)
        except Exception:  # noqa: BLE001  of a connection that breaks, in many ways
            return None
        return {
            address: float(about["last_seen"])
            for address, about in identity["workers"].items()
            if address not in self._misfits
        }

    def _take_from_hung(self) -> None:
        """Begin elsewhere what workers have that give no sign of life. Raises EngineFailed where none does."""
        now, limit_s = time.monotonic(), min(_HUNG_S, self._patience_s)
        self._hung = {address for address, (_, since) in self._signs.items() if now - since > limit_s}
        if len(self._hung) < len(self._signs):
            self._worker_seen = now
        elif self._hung or now - self._worker_seen > _GONE_S:
            raise self._failed("all its workers are gone", _AGAIN_HINT)
        if not self._hung:
            return
        try:
            found = self._client.sync(
                self._client.scheduler.processing, workers=list(self._hung), callback_timeout=_ANSWER_S
            )
        except Exception:  # noqa: BLE001  as above
            return
        keys = {str(key) for worker_keys in found.values() for key in worker_keys}
        self._restart_all("the worker that read it hangs", keys)

    def _try_workers(self, until: float) -> int:
        """Find out which workers have what this machine has; return how many threads those have."""
        threads: dict[str, int] = dict(self._client.nthreads())
        local: dict[str, str] = eval(_VERSIONS_EXPRESSION)  # noqa: S307  an expression of our own
        if scheduler := self._misfit_of_scheduler(local):
            raise self._failed(scheduler, _START_HINT)
        self._note_misfits(self._differences(list(threads), local, until), may_be_silent=False)
        fitting = {address: number for address, number in threads.items() if address not in self._misfits}
        if not fitting:
            why = join_list(list(dict.fromkeys(self._misfits.values()))[:3]) or "no worker answers"
            raise self._failed(f"no worker can be used: {why}", _START_HINT)
        self._signs = {address: (0.0, time.monotonic()) for address in fitting}
        return sum(fitting.values())

    def _try_new(self, addresses: Sequence[str]) -> None:
        """Find out whether workers fit that came after the others, as one does that was started again."""
        if addresses:
            local: dict[str, str] = eval(_VERSIONS_EXPRESSION)  # noqa: S307  as above
            self._note_misfits(self._differences(addresses, local, time.monotonic() + _LOOK_S), may_be_silent=True)

    def _note_misfits(self, found: Iterable[tuple[str, str]], *, may_be_silent: bool) -> None:
        """Note which workers fit, and which don't; one that ``may_be_silent`` is tried again later."""
        for address, why in found:
            if not why:
                self._tried.add(address)
                continue
            if why == _SILENT and may_be_silent:
                continue
            self._misfits[address] = why
            if len(self._misfits) <= _NAMED_WORKERS:
                self._notes.append(f"The worker {address} is not used: {why}.")
            elif len(self._misfits) == _NAMED_WORKERS + 1:
                self._notes.append("More workers of the cluster are not used.")

    def _differences(
        self, addresses: Sequence[str], local: dict[str, str], until: float
    ) -> Iterator[tuple[str, str]]:
        """Yield each worker with what differs there: all are asked at once, and if one is silent each by itself."""
        answers = self._ask(addresses, max(_LOOK_S, (until - time.monotonic()) / 2))
        for address in addresses:
            left_s = max(_LOOK_S, until - time.monotonic())
            answer = (answers or self._ask([address], left_s) or {}).get(address)
            yield address, _difference(answer, local)

    def _ask(self, addresses: Sequence[str], within_s: float) -> dict[str, object] | None:
        """Return what workers say of their versions, whatever else they do just now; None where one is silent."""
        try:
            answers: dict[str, object] = self._client.run(
                eval, _VERSIONS_EXPRESSION, workers=list(addresses), on_error="return", callback_timeout=within_s
            )
        except Exception:  # noqa: BLE001  as above
            return None
        return answers

    def _misfit_of_scheduler(self, local: dict[str, str]) -> str:
        """Return in what the scheduler differs; "" in nothing that matters to it."""
        try:
            there = self._client.sync(self._client.scheduler.versions, callback_timeout=_ANSWER_S)
        except Exception as error:  # noqa: BLE001  as above
            return f"its scheduler does not say what it is ({type(error).__name__})"
        dask = str(there["packages"].get("distributed"))
        return "" if dask == local["Dask"] else f"its scheduler has Dask {dask}, and {local['Dask']} is here"

    def _failed(self, what: str, hint: str) -> EngineFailed:
        return EngineFailed(f"--engine {self._name} can't be used: {what}", hint=hint)


def _difference(there: object, local: dict[str, str]) -> str:
    """Return in what a worker differs by its answer, in words; "" in nothing."""
    if there is None:
        return _SILENT
    if not isinstance(there, dict):
        return single_line(f"it fails with {type(there).__name__}: {there}", 200)
    differing = [
        f"{name} is {found} there, {wanted} here"
        if (found := there.get(name, ""))
        else f"{name} is not installed there"
        for name, wanted in local.items()
        if there.get(name) != wanted
    ]
    return join_list(differing[:2])


def _connected(name: str, address: str, still_open: ExitStack) -> Any:
    """Return a client of the scheduler. Raises UsageError and EngineFailed."""
    quiet_libraries()
    try:
        config: Any = import_module("dask.config")
        dask: Any = import_module("distributed")  # its classes have no types
    except ImportError as error:
        hint = f"install them: {install_command('cluster')}"
        raise UsageError(f"--engine {name} needs more libraries ({error.name})", hint=hint) from error
    within_s = _BEGIN_S / 2  # from here on: loading Dask may take longer on a busy machine
    # What it has to say goes through the error below, not through its log.
    level = "critical" if logging.root.manager.disable else "info"
    still_open.enter_context(config.set({"logging.distributed": level, "distributed.admin.log-length": 0}))
    try:
        if address == _LOCAL:
            # No server page: it would listen to the network.
            cluster = dask.LocalCluster(n_workers=_LOCAL_WORKERS, threads_per_worker=1, dashboard_address=None)
            address = still_open.enter_context(cluster).scheduler_address
            within_s += _LOCAL_S
        # Certificates are named by Dask's own variables: DASK_DISTRIBUTED__COMM__TLS__CA_FILE and its neighbours.
        security = dask.Security(require_encryption=address.startswith("tls://"))
        asyncio.run(_knock(dask.comm.connect, address, within_s, security.get_connection_args("client")))
        client = dask.Client(address, timeout=_ANSWER_S, set_as_default=False, security=security)
        still_open.callback(_close, client)
        client.wait_for_workers(1, timeout=within_s)
    except TypeError as error:
        if not address.startswith("tls://"):
            raise
        hint = "set DASK_DISTRIBUTED__COMM__TLS__CA_FILE, …__CLIENT__CERT and …__CLIENT__KEY"
        what = f"--engine {name} can't be used: no certificate of this program is named"
        raise EngineFailed(what, hint=hint) from error
    except (OSError, TimeoutError, ValueError, RuntimeError) as error:
        why = single_line(str(error), 200) or "no answer"
        raise EngineFailed(f"--engine {name} can't be used: {why}", hint=_START_HINT) from error
    return client


def _cancel(future: Any) -> None:
    """Take work back, also where the scheduler does not answer any more."""
    with suppress(Exception):
        future.cancel()


def _close(client: Any) -> None:
    """Give a client up, also where its scheduler does not answer any more."""
    with suppress(Exception):
        client.close(timeout=2)


async def _knock(
    connect: Callable[..., Awaitable[Any]], address: str, left_s: float, connection_args: dict[str, object]
) -> None:
    """Make sure that a scheduler answers: a client that finds none waits long. Raises OSError and ValueError."""
    comm = await asyncio.wait_for(connect(address, timeout=left_s, **connection_args), left_s + 1)
    await comm.close()
