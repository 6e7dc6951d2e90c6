"""History in PostgreSQL, which many pipelines share.

The password comes from the environment or a passfile, as for every program of PostgreSQL (libpq), and stands in no
message of ours.
"""

import contextlib
import random
import time
from collections.abc import Callable, Iterator, Sequence
from typing import TYPE_CHECKING
from urllib.parse import urlsplit

from plain_verdict.history.sql import Result, Row
from plain_verdict.runtime.errors import HistoryError, UsageError
from plain_verdict.text.addresses import host_and_path, secret_parameters, without_password
from plain_verdict.text.packages import install_command

if TYPE_CHECKING:
    import psycopg

SCHEMES = ("postgresql", "postgres")
# Many pipelines end at once, and a server that is busy answers late: a run that is not stored is a gap for ever.
_CONNECT_S = 20
_PATIENCE_MS = 30_000  # for a lock: a migration by another pipeline takes seconds
_RETRY_S = 10.0  # a restart takes seconds
_FIRST_PAUSE_S, _LONGEST_PAUSE_S = 0.1, 1.0
# Source: PostgreSQL, appendix A: foreign_key_violation (a part that another run forgot), serialization_failure,
# deadlock_detected, too_many_connections, admin_shutdown, crash_shutdown, cannot_connect_now; class 08: connection.
_TEMPORARY_STATES = ("23503", "40001", "40P01", "53300", "57P01", "57P02", "57P03", "08")
_TEMPORARY_WORDS = (
    *(
        "Connection refused",
        "Connection reset by peer",
        "Broken pipe",
        "Temporary failure in name resolution",
        "the database system is",
        "too many clients",
        "too many connections",
        "remaining connection slots",
    ),
    *("SSL SYSCALL error", "SSL connection has been closed", "could not receive data", "could not send"),
    *("server closed the connection", "terminating connection", "connection is lost", "connection is closed"),
)
"""Of an error without a state: libpq gives none where no connection was made."""
_LOCK = 0x706C61696E  # of those that make or migrate tables: a number of our own


def check_address(address: str) -> None:
    """Make sure that an address makes sense and holds no password. Raises UsageError."""
    try:
        parts = urlsplit(address)
        password = parts.password
        _ = parts.port
        named = secret_parameters(address)
    except ValueError as error:
        raise UsageError("is not an address of PostgreSQL", path=host_and_path(address), hint=_EXAMPLE) from error
    if password is not None or any(name.casefold() != "passfile" for name in named):
        raise UsageError(
            "holds a password, where anybody who sees the settings reads it",
            path=host_and_path(address),
            hint="give it as PGPASSWORD, or in a passfile that PGPASSFILE names",
        )


_EXAMPLE = "write it like postgresql://user@host/database"


class PostgresqlConnection:
    """A database of PostgreSQL."""

    def __init__(self, address: str) -> None:
        self._address = address
        self.shown_address = host_and_path(address)
        try:
            import psycopg  # an optional package, for teams that have such a store
        except ImportError as error:
            what = "needs a package that is not installed"
            raise HistoryError(what, path=self.shown_address, hint=install_command("postgresql")) from error
        self._psycopg = psycopg
        self._in_transaction = False
        self._connection = self._repeated(self._connect)

    def _connect(self) -> "psycopg.Connection[Row]":
        return self._psycopg.connect(
            self._address,
            autocommit=True,
            connect_timeout=_CONNECT_S,
            application_name="plain-verdict",
            options=f"-c lock_timeout={_PATIENCE_MS} -c statement_timeout={2 * _PATIENCE_MS}",
        )

    def _repeated(self, job: Callable[[], Result]) -> Result:
        """Do a job, and again for some seconds where what went wrong passes by itself. Raises HistoryError."""
        until, pause_s = time.monotonic() + _RETRY_S, _FIRST_PAUSE_S
        while True:
            with self._explained():
                try:
                    return job()
                except self._psycopg.Error as error:
                    if not _is_temporary(error) or time.monotonic() > until:
                        raise
            # By chance, so that those that stood in each other's way do not meet again.
            time.sleep(pause_s * random.uniform(0.5, 1.5))  # noqa: S311  nothing secret
            pause_s = min(2 * pause_s, _LONGEST_PAUSE_S)

    def _connected(self) -> "psycopg.Connection[Row]":
        if self._connection.closed:
            self._connection = self._connect()
        return self._connection

    @contextlib.contextmanager
    def _explained(self) -> Iterator[None]:
        """Say in one line what the database complains of."""
        try:
            yield
        except self._psycopg.Error as error:
            # Several addresses of a host are tried, and each fails in its own line.
            first_line = next(iter(str(error).strip().splitlines()), type(error).__name__)
            hint = "check the address, and PGPASSWORD or the passfile"
            message = without_password(first_line.replace(self._address, self.shown_address))
            raise HistoryError(f"can't be used ({message})", path=self.shown_address, hint=hint) from error

    def execute(self, statement: str, values: Sequence[object] = ()) -> list[Row]:
        """Return the rows of a statement. Raises HistoryError, or within a transaction an error of psycopg."""

        def rows() -> list[Row]:
            with self._connected().cursor(binary=True) as cursor:
                cursor.execute(_in_its_words(statement), list(values) or None)
                return list(cursor.fetchall()) if cursor.description else []

        return rows() if self._in_transaction else self._repeated(rows)

    def execute_many(self, statement: str, rows: Sequence[Sequence[object]]) -> None:
        """Execute a statement for each of several values, within a transaction."""
        with self._connection.cursor() as cursor:
            cursor.executemany(_in_its_words(statement), rows)

    def transact(self, job: Callable[[], Result], *, alone: bool = False) -> Result:
        """Do a job in a transaction. Raises HistoryError."""

        def whole() -> Result:
            self._in_transaction = True
            try:
                with self._connected().transaction():
                    if alone:
                        self._connection.execute("SELECT pg_advisory_xact_lock(%s)", (_LOCK,))
                    return job()
            finally:
                self._in_transaction = False

        return self._repeated(whole)

    def has_table(self, name: str) -> bool:
        """Return whether there is a table.

        The catalogue is read: ``to_regclass`` answers from a cache, which does not know of a table that another
        pipeline made while this one waited for the lock.
        """
        visible = "SELECT 1 FROM pg_catalog.pg_class WHERE relname = ? AND pg_catalog.pg_table_is_visible(oid)"
        return bool(self.execute(visible, (name,)))

    def close(self) -> None:
        """Give the connection up."""
        self._connection.close()


def _is_temporary(error: "psycopg.Error") -> bool:
    """Return whether the same may go well a moment later."""
    if error.sqlstate:
        return error.sqlstate.startswith(_TEMPORARY_STATES)
    return any(words in str(error) for words in _TEMPORARY_WORDS)


def _in_its_words(statement: str) -> bytes:
    """Return a statement of ours as PostgreSQL has it."""
    return statement.replace("?", "%s").replace("BLOB", "BYTEA").encode()
