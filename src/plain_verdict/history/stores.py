"""Opens a store by its address: the path of a file, or that of a database."""

import contextlib
from collections.abc import Callable, Iterator
from pathlib import Path
from types import TracebackType
from typing import Self

from plain_verdict.history.interface import Store
from plain_verdict.history.postgresql import SCHEMES, PostgresqlConnection, check_address
from plain_verdict.history.sql import SqlStore
from plain_verdict.runtime.errors import HistoryError

OpenStore = Callable[[str], contextlib.AbstractContextManager[Store]]
"""Opens the store of an address, for as long as the context lasts. Raises HistoryError."""


def is_database(address: str) -> bool:
    """Return whether an address is that of a database server."""
    return address.partition("://")[0] in SCHEMES and "://" in address


def check_store(address: str) -> None:
    """Make sure that an address makes sense. Raises UsageError."""
    if is_database(address):
        check_address(address)


def open_store(address: str) -> Store:
    """Return the store of an address; a file that is not there is made. Raises HistoryError."""
    if is_database(address):
        return SqlStore(PostgresqlConnection(address))
    from plain_verdict.history.sqlite import SqliteConnection  # for runs that have such a store

    return SqlStore(SqliteConnection(Path(address).absolute()))


class SharedStore:
    """A store that is opened once for a report, when it is read, and is still open when the run is added."""

    def __init__(self) -> None:
        self._store: Store | None = None

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        if self._store is not None:
            self._store.__exit__(kind, error, trace)

    @contextlib.contextmanager
    def open(self, address: str) -> Iterator[Store]:
        """Give the store. Raises HistoryError; what failed once is opened anew the next time."""
        if self._store is None:
            self._store = open_store(address)
        try:
            yield self._store
        except HistoryError:
            # Its connection may be gone: the next use opens another.
            store, self._store = self._store, None
            with contextlib.suppress(HistoryError):
                store.__exit__(None, None, None)
            raise
