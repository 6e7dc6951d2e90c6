"""History in a file of SQLite: one writer at a time, and readers next to it (write-ahead log)."""

import contextlib
import sqlite3
from collections.abc import Callable, Iterator, Sequence
from pathlib import Path

from plain_verdict.history.sql import Result, Row
from plain_verdict.runtime.errors import HistoryError

_LOCK_PATIENCE_S = 30.0
"""How long a run waits until another has stored its own."""
_IN_WORDS = (
    ("file is not a database", "is not a history: it is a file of another kind", "name another file"),
    ("database is locked", f"is locked by another program for over {_LOCK_PATIENCE_S:.0f} s", "try again later"),
    ("readonly database", "is read-only", "make it writable, or name another file"),
    ("unable to open", "can't be opened", "check the folder and its permissions"),
    ("disk is full", "can't grow: the disk is full", "free some space"),
    ("disk image is malformed", "is damaged", "use a copy of it, or name another file"),
)


class SqliteConnection:
    """A file of SQLite."""

    def __init__(self, path: Path) -> None:
        self.shown_address = str(path)
        with self._explained():
            if path.is_dir():
                raise HistoryError("is a folder", path=self.shown_address, hint="name a file, like history.db")
            self._connection = sqlite3.connect(path, timeout=_LOCK_PATIENCE_S, isolation_level=None)
        try:
            with self._explained():
                self._connection.execute("PRAGMA foreign_keys = ON")
                if self._connection.execute("PRAGMA journal_mode").fetchone()[0] != "wal":
                    self._connection.execute("PRAGMA journal_mode = WAL")
                # With a write-ahead log a transaction is whole or not there, also after a kill.
                # Source: sqlite.org, PRAGMA synchronous
                self._connection.execute("PRAGMA synchronous = NORMAL")
        except BaseException:
            self._connection.close()
            raise

    @contextlib.contextmanager
    def _explained(self) -> Iterator[None]:
        """Say in our own words what the database complains of."""
        try:
            yield
        except sqlite3.Error as error:
            message = str(error)
            for words, what, hint in _IN_WORDS:
                if words in message:
                    raise HistoryError(what, path=self.shown_address, hint=hint) from error
            raise HistoryError(
                f"can't be used ({message})", path=self.shown_address, hint="name another file"
            ) from error
        except UnicodeError as error:  # of SQLite's message: it quotes what is damaged
            raise HistoryError(
                "is damaged", path=self.shown_address, hint="use a copy of it, or name another file"
            ) from error

    def execute(self, statement: str, values: Sequence[object] = ()) -> list[Row]:
        """Return the rows of a statement. Raises HistoryError."""
        with self._explained():
            return self._connection.execute(statement, values).fetchall()

    def execute_many(self, statement: str, rows: Sequence[Sequence[object]]) -> None:
        """Execute a statement for each of several values. Raises HistoryError."""
        with self._explained():
            self._connection.executemany(statement, rows)

    def transact(self, job: Callable[[], Result], *, alone: bool = False) -> Result:
        """Do a job in a transaction; there is only one that writes anyway. Raises HistoryError."""
        del alone
        self.execute("BEGIN IMMEDIATE")
        try:
            result = job()
        except BaseException:
            with contextlib.suppress(HistoryError):
                self.execute("ROLLBACK")
            raise
        self.execute("COMMIT")
        return result

    def has_table(self, name: str) -> bool:
        """Return whether there is a table."""
        return bool(self.execute("SELECT 1 FROM sqlite_master WHERE type = 'table' AND name = ?", (name,)))

    def close(self) -> None:
        """Give the connection up."""
        self._connection.close()
