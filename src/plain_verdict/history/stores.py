"""Opens a store by its address: the path of a file, or that of a database."""

from pathlib import Path

from plain_verdict.history.interface import Store
from plain_verdict.history.postgresql import SCHEMES, check_address


def is_database(address: str) -> bool:
    """Return whether an address is that of a database server."""
    return address.partition("://")[0] in SCHEMES and "://" in address


def check_store(address: str) -> None:
    """Make sure that an address makes sense. Raises UsageError."""
    if is_database(address):
        check_address(address)


def open_store(address: str) -> Store:
    """Return the store of an address; a file that is not there is made. Raises HistoryError."""
    from plain_verdict.history.sql import SqlStore  # where there is a store at all

    if is_database(address):
        from plain_verdict.history.postgresql import PostgresqlConnection  # an extra, for such a store

        return SqlStore(PostgresqlConnection(address))
    from plain_verdict.history.sqlite import SqliteConnection  # for runs that have such a store

    return SqlStore(SqliteConnection(Path(address).absolute()))
