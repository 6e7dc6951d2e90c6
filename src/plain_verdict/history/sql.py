"""History in a database: a file of SQLite, or PostgreSQL for many pipelines. Both know the same few statements.

A run is one transaction. What its checks are called is kept in parts, each under the hash of what it holds, so that
runs with the same checks share them; outcomes and times are one compressed row a run.
"""

import zlib
from array import array
from collections.abc import Callable, Iterator, Mapping, Sequence
from datetime import datetime
from hashlib import blake2b
from itertools import groupby
from types import TracebackType
from typing import Any, Protocol, Self, TypeVar

import msgspec

from plain_verdict.history.alignment import outcomes_in, times_in
from plain_verdict.history.parts import Order, PartNames, check_index_of, joined, part_texts
from plain_verdict.model import Build, CheckIndex, KeptRun, Past, RunDetail, kept_run
from plain_verdict.runtime.errors import HistoryError

SCHEMA_VERSION = 2
_MIGRATIONS: tuple[tuple[str, ...], ...] = (
    (
        """CREATE TABLE pv_run (id TEXT PRIMARY KEY, series TEXT NOT NULL, moment DOUBLE PRECISION NOT NULL,
        about BLOB NOT NULL, checks BLOB NOT NULL)""",
        "CREATE INDEX pv_run_in_series ON pv_run (series, moment)",
        "CREATE TABLE pv_part (hash TEXT PRIMARY KEY, names BLOB NOT NULL)",
        """CREATE TABLE pv_run_part (run TEXT NOT NULL REFERENCES pv_run ON DELETE CASCADE, place INTEGER NOT NULL,
        hash TEXT NOT NULL REFERENCES pv_part, PRIMARY KEY (run, place))""",
        "CREATE INDEX pv_run_part_hash ON pv_run_part (hash)",
    ),
    (
        """CREATE TABLE pv_run_detail (run TEXT PRIMARY KEY REFERENCES pv_run ON DELETE CASCADE,
        detail BLOB NOT NULL)""",
    ),
)
"""What brings a store from each version to the next; the first makes it."""
_RUN_COLUMNS = "id, about, checks"
_AT_ONCE = 500  # values of one statement
_RUNS_AT_ONCE = 20  # whose outcomes and times are held
_PART_LEVEL = 6  # of zlib: as for digests

Row = Sequence[Any]
Result = TypeVar("Result")


class Connection(Protocol):
    """What the two databases have in common."""

    shown_address: str
    """What the database is called in messages: never with a password."""

    def execute(self, statement: str, values: Sequence[object] = ()) -> list[Row]:
        """Return the rows of a statement with ``?`` for each value. Raises HistoryError."""
        ...

    def execute_many(self, statement: str, rows: Sequence[Sequence[object]]) -> None:
        """Execute a statement for each of several values. Raises HistoryError."""
        ...

    def transact(self, job: Callable[[], Result], *, alone: bool = False) -> Result:
        """Do a job in a transaction, all of it or nothing; ``alone``: nobody else migrates meanwhile.

        It is done again where it lost against another transaction, or the server restarted. Raises HistoryError.
        """
        ...

    def has_table(self, name: str) -> bool:
        """Return whether there is a table."""
        ...

    def close(self) -> None:
        """Give the connection up."""
        ...


class SqlStore:
    """Keeps runs in a database."""

    def __init__(self, connection: Connection) -> None:
        self._connection = connection
        self._known_parts: dict[str, CheckIndex] = {}
        self._known_indexes: dict[tuple[int, ...], CheckIndex] = {}
        try:
            self._bring_up_to_date()
        except BaseException:
            connection.close()
            raise

    def __enter__(self) -> Self:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self._connection.close()

    def _bring_up_to_date(self) -> None:
        """Make the tables, or bring those of an older version forward, in one transaction."""
        if self._version() != SCHEMA_VERSION:
            self._connection.transact(self._migrate, alone=True)

    def _migrate(self) -> None:
        version = self._version()
        if version == 0:
            self._connection.execute("CREATE TABLE pv_version (version INTEGER NOT NULL)")
            self._connection.execute("INSERT INTO pv_version VALUES (0)")
        for statements in _MIGRATIONS[version:]:
            for statement in statements:
                self._connection.execute(statement)
        self._connection.execute("UPDATE pv_version SET version = ?", (SCHEMA_VERSION,))

    def _version(self) -> int:
        """Return the version of the tables, 0 where there are none. Raises HistoryError for one that is newer."""
        if not self._connection.has_table("pv_version"):
            return 0
        rows = self._connection.execute("SELECT version FROM pv_version")
        version = rows[0][0] if len(rows) == 1 else None
        if not isinstance(version, int) or version < 0:
            raise HistoryError(
                "does not say of which version its tables are: it was damaged, or made by something else",
                path=self._connection.shown_address,
                hint="use another store, or bring this one back from a copy",
            )
        if version > SCHEMA_VERSION:
            versions = f"its tables are of version {version}, this one knows {SCHEMA_VERSION}"
            raise HistoryError(
                f"was made by a newer version ({versions})",
                path=self._connection.shown_address,
                hint="use the newer version, or another store",
            )
        return version

    def runs_before(self, series: str, moment: datetime, most: int) -> list[KeptRun]:
        """Return the last runs of a series before a moment, the oldest first."""
        rows = self._connection.execute(
            f"SELECT {_RUN_COLUMNS} FROM pv_run WHERE series = ? AND moment < ? ORDER BY moment DESC, id LIMIT ?",  # noqa: S608  names of our own
            (series, moment.timestamp(), most),
        )
        return self._in_common_order(rows[::-1])

    def builds(self) -> list[Build]:
        """Return all runs without their checks, the oldest first."""
        rows = self._connection.execute("SELECT about FROM pv_run ORDER BY moment, id")
        return [self._build(row[0]) for row in rows]

    def builds_between(self, first: datetime, last: datetime) -> list[Build]:
        """Return the runs of all series from one moment to another, without their checks, the oldest first."""
        # The index on the series does not serve here; moments of a month are few rows beside all.
        rows = self._connection.execute(
            "SELECT about FROM pv_run WHERE moment >= ? AND moment <= ? ORDER BY moment, id",
            (first.timestamp(), last.timestamp()),
        )
        return [self._build(row[0]) for row in rows]

    def run(self, id_: str) -> KeptRun | None:
        """Return one run, with its detail."""
        rows = self._connection.execute(f"SELECT {_RUN_COLUMNS} FROM pv_run WHERE id = ?", (id_,))  # noqa: S608  as above
        run = next(self._runs(rows), None)
        return msgspec.structs.replace(run, detail=self._detail(id_)) if run else None

    def _detail(self, id_: str) -> RunDetail | None:
        rows = self._connection.execute("SELECT detail FROM pv_run_detail WHERE run = ?", (id_,))
        try:
            return msgspec.json.decode(zlib.decompress(rows[0][0]), type=RunDetail) if rows else None
        except (ValueError, zlib.error, msgspec.MsgspecError) as error:
            raise self._broken(f"the detail of its run {id_} can't be read ({error})") from error

    def runs(self, ids: Sequence[str]) -> Iterator[KeptRun]:
        """Yield some runs, those of the same checks with one roster; those that are gone are left out."""
        for at in range(0, len(ids), _RUNS_AT_ONCE):
            lot = ids[at : at + _RUNS_AT_ONCE]
            rows = self._in_lots(f"SELECT {_RUN_COLUMNS} FROM pv_run WHERE id IN ({{}})", lot)  # noqa: S608  as above
            found = {run.build.id: run for run in self._runs(rows)}
            yield from (found[id_] for id_ in lot if id_ in found)

    def _runs(self, rows: Sequence[Row]) -> Iterator[KeptRun]:
        for (id_, about, checks), parts in zip(rows, self._parts_of(rows), strict=True):
            key = tuple(map(id, parts))  # parts are kept as long as the store is open
            index = self._known_indexes.get(key) or joined(parts)
            self._known_indexes[key] = index
            outcomes, times = self._checks(id_, checks, len(index.ids))
            yield kept_run(self._build(about), index, outcomes, times)

    def _in_common_order(self, rows: Sequence[Row]) -> list[KeptRun]:
        """Return runs by one roster, that of the last; what only others have stands after it.

        Most parts are the same in all, and need no look.
        """
        parts = self._parts_of(rows)
        if not parts:
            return []
        orders = [Order(parts[-1], part) for part in parts]
        others = {id_: name for order in orders for id_, name in order.others()}
        last = joined(parts[-1])
        index = CheckIndex(
            (*last.ids, *others),
            PartNames([last, CheckIndex(tuple(others), tuple(others.values()))]),
            len(last.ids),
        )
        runs = []
        for (id_, about, checks), order in zip(rows, orders, strict=True):
            outcomes, times = self._checks(id_, checks, order.checks)
            extra = order.extra_outcomes(outcomes)
            letters = "".join([extra.get(other, Past.ABSENT) for other in others])
            found = array("I", times_in(order.pieces, times))
            if found:
                found.extend([0] * len(others))
            runs.append(kept_run(self._build(about), index, outcomes_in(order.pieces, outcomes) + letters, found))
        return runs

    def _parts_of(self, rows: Sequence[Row]) -> list[list[CheckIndex]]:
        """Return the roster of each run in parts; those that are the same are one object."""
        hashes = self._hashes([row[0] for row in rows])
        parts = self._parts({hash_ for part_hashes in hashes.values() for hash_ in part_hashes})
        return [[parts[hash_] for hash_ in hashes.get(row[0], ())] for row in rows]

    def _checks(self, id_: str, packed: bytes, number: int) -> tuple[str, "array[int]"]:
        """Return the outcomes and times of a run of so many checks."""
        try:
            data = zlib.decompress(packed)
            outcomes, times = data[:number].decode("ascii"), array("I")
            times.frombytes(data[number:])
        except (ValueError, zlib.error) as error:
            raise self._broken(f"its run {id_} can't be read ({error})") from error
        if len(outcomes) != number or len(times) != number:
            raise self._broken(f"its run {id_} is not whole")
        return outcomes, times

    def _hashes(self, ids: Sequence[str]) -> dict[str, tuple[str, ...]]:
        """Return the parts of each run, in their order."""
        rows = self._in_lots("SELECT run, place, hash FROM pv_run_part WHERE run IN ({})", ids)
        rows.sort(key=lambda row: (row[0], row[1]))
        return {run: tuple(row[2] for row in run_rows) for run, run_rows in groupby(rows, key=lambda row: row[0])}

    def _parts(self, hashes: set[str]) -> dict[str, CheckIndex]:
        unknown = sorted(hashes - self._known_parts.keys())
        rows = self._in_lots("SELECT hash, names FROM pv_part WHERE hash IN ({})", unknown)
        try:
            self._known_parts |= {row[0]: check_index_of(zlib.decompress(row[1])) for row in rows}
        except (ValueError, zlib.error) as error:
            raise self._broken(f"a part of it can't be read ({error})") from error
        return self._known_parts

    def _in_lots(self, statement: str, values: Sequence[str]) -> list[Row]:
        """Return the rows of a statement for some values at a time."""
        rows: list[Row] = []
        for at in range(0, len(values), _AT_ONCE):
            lot = values[at : at + _AT_ONCE]
            rows += self._connection.execute(statement.format(", ".join("?" * len(lot))), lot)
        return rows

    def _build(self, about: bytes) -> Build:
        try:
            return msgspec.json.decode(about, type=Build)
        except msgspec.MsgspecError as error:
            raise self._broken(f"one of its runs can't be read ({error})") from error

    def _broken(self, what: str) -> HistoryError:
        return HistoryError(
            f"is damaged: {what}", path=self._connection.shown_address, hint="use a copy of it, or another"
        )

    def add(self, run: KeptRun) -> bool:
        """Keep a run with all that belongs to it, or nothing; return False where it is kept already."""
        # What would be stored takes long to make, so it is asked first whether it is there.
        if self._connection.transact(lambda: self._renew(run)):
            return False
        texts = {blake2b(text, digest_size=16).hexdigest(): text for text in part_texts(run.check_index)}
        times = run.times or [0] * len(run.outcomes)
        checks = zlib.compress(run.outcomes.encode() + array("I", times).tobytes(), _PART_LEVEL)
        return self._connection.transact(lambda: self._add(run, texts, checks))

    def _add(self, run: KeptRun, texts: Mapping[str, bytes], checks: bytes) -> bool:
        """Keep a run within a transaction; ``texts`` are its parts by their hashes, in order."""
        if self._renew(run):
            return False
        build = run.build
        known_parts = {row[0] for row in self._in_lots("SELECT hash FROM pv_part WHERE hash IN ({})", list(texts))}
        # In the order of their hashes, so that two runs that add the same wait for each other one way only.
        new = [(hash_, zlib.compress(texts[hash_], _PART_LEVEL)) for hash_ in sorted(texts.keys() - known_parts)]
        self._connection.execute_many("INSERT INTO pv_part VALUES (?, ?) ON CONFLICT DO NOTHING", new)
        added = self._connection.execute(
            "INSERT INTO pv_run VALUES (?, ?, ?, ?, ?) ON CONFLICT DO NOTHING RETURNING id",
            (build.id, build.series, build.moment.timestamp(), msgspec.json.encode(build), checks),
        )
        if not added:
            return False
        part_rows = [(build.id, position, hash_) for position, hash_ in enumerate(texts)]
        self._connection.execute_many("INSERT INTO pv_run_part VALUES (?, ?, ?)", part_rows)
        self._keep_detail(run)
        return True

    def _renew(self, run: KeptRun) -> bool:
        """Keep what is newer on a run that is kept: its verdict, its page. Return whether it is kept."""
        build = run.build
        known = self._connection.execute("SELECT about FROM pv_run WHERE id = ?", (build.id,))
        if not known:
            return False
        build = msgspec.structs.replace(build, build=self._build(known[0][0]).build)  # it keeps its key
        self._connection.execute("UPDATE pv_run SET about = ? WHERE id = ?", (msgspec.json.encode(build), build.id))
        self._keep_detail(run)
        return True

    def _keep_detail(self, run: KeptRun) -> None:
        if run.detail:
            # In a table of its own rows: lists of builds need not read it.
            packed = zlib.compress(msgspec.json.encode(run.detail), _PART_LEVEL)
            self._connection.execute(
                "INSERT INTO pv_run_detail VALUES (?, ?) ON CONFLICT (run) DO UPDATE SET detail = excluded.detail",
                (run.build.id, packed),
            )

    def forget(self, before: datetime) -> int:
        """Remove the runs before a moment; return how many."""
        return self._connection.transact(lambda: self._forget(before))

    def _forget(self, before: datetime) -> int:
        gone = self._connection.execute("DELETE FROM pv_run WHERE moment < ? RETURNING id", (before.timestamp(),))
        if gone:
            self._connection.execute(
                "DELETE FROM pv_part WHERE NOT EXISTS"
                " (SELECT 1 FROM pv_run_part WHERE pv_run_part.hash = pv_part.hash)"
            )
        return len(gone)
