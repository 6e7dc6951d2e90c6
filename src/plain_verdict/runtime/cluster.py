"""The executor of a Dask cluster: of a scheduler that runs, or of one that is started here."""

import asyncio
from collections.abc import Awaitable, Callable
from concurrent.futures import Executor
from contextlib import ExitStack
from importlib import import_module
from typing import Any

from plain_verdict.runtime.errors import UsageError
from plain_verdict.text.packages import quiet_libraries

_LOCAL, _LOCAL_WORKERS = "local", 2
_CLUSTER_PATIENCE_S = 8  # a scheduler that is there answers in less than one
_RETRIES = 3  # Dask's own, on other workers


def executor_on_cluster(name: str, address: str, still_open: ExitStack) -> tuple[Executor, int]:
    """Return the executor of a cluster, and how many pieces it takes at once. Raises UsageError where it can't."""
    quiet_libraries()
    try:
        config: Any = import_module("dask.config")
        dask: Any = import_module("distributed")  # its classes have no types
    except ImportError as error:
        hint = "install them: pip install 'plain-verdict[cluster]'"
        raise UsageError(f"--engine {name} needs more libraries ({error.name})", hint=hint) from error
    # What it has to say goes through the error below, not through its log.
    still_open.enter_context(config.set({"logging.distributed": "critical", "distributed.admin.log-length": 0}))
    try:
        if address == _LOCAL:
            # No server page: it would listen to the network.
            cluster = dask.LocalCluster(n_workers=_LOCAL_WORKERS, threads_per_worker=1, dashboard_address=None)
            address = still_open.enter_context(cluster).scheduler_address
        asyncio.run(_knock(dask.comm.connect, address))
        client = still_open.enter_context(dask.Client(address, timeout=_CLUSTER_PATIENCE_S, set_as_default=False))
        client.wait_for_workers(1, timeout=_CLUSTER_PATIENCE_S)
    except (OSError, TimeoutError, ValueError) as error:
        hint = "check that a scheduler runs there, and workers that have the same plain-verdict[cluster]"
        raise UsageError(f"--engine {name} can't be used: {str(error) or 'no answer'}", hint=hint) from error
    executor: Executor = client.get_executor(retries=_RETRIES, pure=False)
    return executor, 2 * sum(client.nthreads().values())


async def _knock(connect: Callable[..., Awaitable[Any]], address: str) -> None:
    """Make sure that a scheduler answers: a client that finds none waits long. Raises OSError and ValueError."""
    comm = await asyncio.wait_for(connect(address, timeout=_CLUSTER_PATIENCE_S), _CLUSTER_PATIENCE_S + 1)
    await comm.close()
