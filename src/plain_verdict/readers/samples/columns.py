"""Tells the columns of samples by the words of their header, and how times are written by the first values."""

import re
from collections.abc import Callable, Mapping, Sequence
from datetime import datetime
from enum import StrEnum
from functools import lru_cache
from math import isfinite
from typing import NamedTuple

from plain_verdict.model import epoch_s
from plain_verdict.readers.samples.units import MILLISECONDS_US, SECONDS_US, Unit, unit_in_turn
from plain_verdict.settings.mappings import Moment
from plain_verdict.text.moments import read_moment
from plain_verdict.text.names import SECONDS, UNITS, split_identifier, unit_in
from plain_verdict.text.numbers import read_number


class Role(StrEnum):
    """What a column of samples holds."""

    STARTED = "time"
    TOOK = "duration"
    LABEL = "request"
    METHOD = "method"
    STATUS = "status"
    SUCCESS = "success"
    BYTES = "bytes"
    MESSAGE = "message"
    USERS = "users"


# The likeliest names first, in the words that many clients share; compared without case and signs between words.
NAMES: dict[Role, tuple[str, ...]] = {
    Role.TOOK: (
        *("elapsed", "duration", "response time", "time taken", "time total", "total time", "took", "latency"),
        *("request time", "request duration", "response duration", "dauer", "varighet", "durée"),
    ),
    Role.STARTED: (
        *(
            "time stamp",
            "timestamp",
            "start time",
            "started",
            "start",
            "begin",
            "date time",
            "date",
            "time",
            "at",
            "ts",
        ),
        "seconds",
    ),
    Role.LABEL: (
        *(
            "label",
            "request name",
            "request",
            "name",
            "transaction",
            "operation",
            "endpoint",
            "url",
            "path",
            "uri",
            "route",
        ),
    ),
    Role.METHOD: ("method", "http method", "verb"),
    Role.STATUS: ("status code", "response code", "http code", "http status", "status", "code"),
    Role.SUCCESS: ("success", "ok", "passed", "succeeded", "is ok"),
    Role.BYTES: (
        *("bytes", "received bytes", "size download", "response size", "response length", "size", "received"),
    ),
    Role.MESSAGE: ("error message", "error", "exception", "message", "reason"),
    Role.USERS: ("users", "threads", "concurrency", "connections"),
}
_STATISTICS = frozenset(
    (
        *("mean", "average", "avg", "median", "stddev", "stdev", "percentile", "quantile", "minimum", "maximum"),
        *("min", "max", "rps", "tps", "throughput", "requests/s", "req/s", "failures/s"),
    )
)
_PERCENTILE_NAME = re.compile(r"p(?:50|75|90|95|98|99|99\.9|999)|\d{2}(?:\.\d+)?\s*(?:%|th)")
_LEAST_STATISTICS = 2  # columns such as p95 and average: then it is a summary, not samples
_BY_LAST_WORD = (Role.MESSAGE, Role.USERS)
"""Roles whose names may have other words before them, like “active users”."""
_MOST_SECONDS = 200  # a time above it can't be in seconds: nobody waits three minutes
_SMALL_UNITS = ("ns", "us", "ms", "s")
_EPOCHS = ((1e17, "nanoseconds", 1e-3), (1e14, "microseconds", 1.0), (1e11, "milliseconds", 1e3))
GOOD = frozenset(("true", "yes", "ok", "1", "pass", "passed", "success", "succeeded", "t", "y"))
BAD = frozenset(("false", "no", "ko", "0", "fail", "failed", "failure", "error", "f", "n"))


class Columns(NamedTuple):
    """Which columns are what, by their places from 0; how many microseconds one of their units is.

    ``time_us`` 0.0 means that moments are written as text: as ``moment`` says, or ISO 8601. ``unit_notes`` say
    how the units were found. ``good`` and ``bad`` are words in the column of success. ``metrics`` are other
    columns with numbers of the team: name, position, unit.
    """

    names: tuple[str, ...]
    positions: dict[Role, int]
    time_us: float
    took_us: float
    decimal: str
    unit_notes: tuple[str, ...]
    moment: Moment | None = None
    good: frozenset[str] = GOOD
    bad: frozenset[str] = BAD
    metrics: tuple[tuple[str, int, str], ...] = ()
    took_is_guessed: bool = False
    """Whether durations may be in seconds as well as in milliseconds, as far as the beginning of the file tells."""

    def moment_us(self, text: str) -> float:
        """Return a moment in microseconds since 1970, NaN for none; one without a zone counts as UTC."""
        if self.time_us:
            number = read_number(text)
            return float("nan") if number is None else number * self.time_us
        moment = _reader_of(self.moment)(text)
        return float("nan") if moment is None else float(round(epoch_s(moment) * 1e6))

    def success_of(self, text: str) -> bool | None:
        """Return whether a word says that a request went well; None for one that says neither."""
        word = text.strip().casefold()
        return True if word in self.good else False if word in self.bad else None


@lru_cache(maxsize=8)
def _reader_of(moment: Moment | None) -> Callable[[str], datetime | None]:
    if moment is None:
        return read_moment
    from plain_verdict.readers.mapping.times import moment_reader  # for mappings

    return moment_reader(moment)


def _bare(name: str) -> str:
    """Return the words of a column's name without units."""
    words = split_identifier(name)
    return " ".join([word for word in words if UNITS.get(word) not in _SMALL_UNITS] or words)


def columns_by_role(header: Sequence[str], row: Sequence[str] = ()) -> dict[Role, int]:
    """Return the place of each role that a header names; a column has one role, and the likeliest name wins.

    Where a row is given, the time is the first of the columns named so that holds one.
    """
    free = {at: _bare(name) for at, name in enumerate(header)}
    columns: dict[Role, int] = {}
    times = {at for at, cell in enumerate(row) if _is_time(cell.strip())}
    for role in NAMES:
        found = _candidates(role, header, free)
        if role is Role.STARTED:
            found.sort(key=lambda at: at not in times)
        if found:
            columns[role] = found[0]
            del free[found[0]]
    unit_alone = next((at for at in free if _is_unit_alone(header[at])), None)
    if Role.TOOK not in columns and unit_alone is not None:
        columns[Role.TOOK] = unit_alone
    return columns


def _candidates(role: Role, header: Sequence[str], free: Mapping[int, str]) -> list[int]:
    """Return the columns, of those that are free, that may have a role: the likeliest first."""
    names = NAMES[role]
    # A value deeper in, like “timings.duration”.
    inner = {at: _bare(header[at].rpartition(".")[2]) for at in free if "." in header[at]}
    found = [*_named(names, free), *_named(names, inner)]
    if role in _BY_LAST_WORD:
        found += [at for name in names for at, name_there in free.items() if name_there.endswith(f" {name}")]
    return found


def _named(names: Sequence[str], columns: Mapping[int, str]) -> list[int]:
    """Return the columns that have one of the names, those of the first name first."""
    return [at for name in names for at, name_there in columns.items() if name_there == name]


def _is_unit_alone(name: str) -> bool:
    """Return whether a column is called by a unit of time, like ``ms``."""
    return all(UNITS.get(word) in _SMALL_UNITS for word in split_identifier(name) or [""])


def is_summary(header: Sequence[str]) -> bool:
    """Return whether a header names statistics: its rows are not requests, but what somebody counted of many."""
    words = [set(split_identifier(name)) | {name.strip().casefold()} for name in header]
    return (
        sum(bool(word & _STATISTICS or any(map(_PERCENTILE_NAME.fullmatch, word))) for word in words)
        >= _LEAST_STATISTICS
    )


def looks_like_samples(header: Sequence[str], row: Sequence[str]) -> bool:
    """Return whether a header and a row are those of samples: a time, a duration, and what it was or gave."""
    columns = columns_by_role(header, row)
    if not {Role.STARTED, Role.TOOK} <= columns.keys() or len(columns) < 3:
        return False
    if not row:
        return True
    cell = {role: row[at].strip() if at < len(row) else "" for role, at in columns.items()}
    status = cell.get(Role.STATUS, "")
    # A table of checks has durations, too: its status is a word of a check's.
    is_status = not status or status.isdigit() or Role.SUCCESS in columns or " " in status
    return _is_time(cell[Role.STARTED]) and is_status and read_number(cell[Role.TOOK]) is not None


def _is_time(text: str) -> bool:
    return read_number(text) is not None or read_moment(text) is not None


def columns_of(header: Sequence[str], rows: Sequence[Sequence[str]]) -> Columns:
    """Return the columns and units of samples that begin like this. Raises ValueError where one is missing."""
    by_role = columns_by_role(header, rows[0] if rows else ())
    missing = [role.value for role in (Role.STARTED, Role.TOOK) if role not in by_role]
    if missing:
        names = ", ".join(name for name in header[:20] if name)
        raise ValueError(f"has no column of {' and of '.join(missing)} among {names}")
    durations = _cells(rows, by_role[Role.TOOK])
    decimal = "," if any("," in text for text in durations) else "."
    time_us, unit_note = time_unit(header[by_role[Role.STARTED]], _cells(rows, by_role[Role.STARTED]))
    took = took_unit(header[by_role[Role.TOOK]], durations)
    columns = Columns(tuple(header), by_role, time_us, took.microseconds, decimal, (unit_note, took.note))
    return columns if took.is_proven else with_unit(columns, rows)


def _cells(rows: Sequence[Sequence[str]], position: int) -> list[str]:
    """Return what stands in a column; a row that is cut short or empty there has nothing."""
    return [cell for row in rows if position < len(row) and (cell := row[position].strip())]


def with_unit(columns: Columns, rows: Sequence[Sequence[str]]) -> Columns:
    """Return columns with the unit of the durations that the rows prove, or told to be guessed."""
    pairs = []
    for row in rows:
        started, took = (row[columns.positions[role]].strip() for role in (Role.STARTED, Role.TOOK))
        moment_us, number = columns.moment_us(started), read_number(took, columns.decimal)
        if isfinite(moment_us) and number is not None:
            pairs.append((moment_us, number))
    found = unit_in_turn([started for started, _ in pairs], [took for _, took in pairs])
    if not found:
        return columns._replace(took_is_guessed=True)
    word = "seconds" if found == SECONDS_US else "milliseconds"
    note = f"“{columns.names[columns.positions[Role.TOOK]]}” in {word}, because requests then follow each other"
    return columns._replace(took_us=found, unit_notes=(columns.unit_notes[0], note))


def time_unit(name: str, texts: Sequence[str]) -> tuple[float, str]:
    """Return how many microseconds a unit of the times is, 0 for moments as text; and how that was told."""
    numbers = [number for text in texts if (number := read_number(text)) is not None]
    if len(numbers) < len(texts) or not numbers:
        moments = filter(None, map(read_moment, texts))
        zoneless = any(moment.tzinfo is None for moment in moments)
        return 0.0, f"“{name}” as moments{', in UTC because they name no zone' if zoneless else ''}"
    largest = max(numbers)
    for least, unit, microseconds in _EPOCHS:
        if largest >= least:
            return microseconds, f"“{name}” as {unit} since 1970"
    whole = all(number.is_integer() for number in numbers)
    return 1e6, f"“{name}” as {'whole ' if whole else ''}seconds since 1970"


def took_unit(name: str, texts: Sequence[str]) -> Unit:
    """Return the unit of the durations: by the name, or else as the values look."""
    named = unit_in(name)
    if named in _SMALL_UNITS:
        return Unit(SECONDS[named] * 1e6, f"“{name}” in {named}")
    numbers = [number for text in texts if (number := read_number(text)) is not None]
    if all(number.is_integer() for number in numbers):
        return Unit(MILLISECONDS_US, f"“{name}” in milliseconds, because its values are whole numbers")
    if max(numbers) < _MOST_SECONDS:
        return Unit(SECONDS_US, f"“{name}” in seconds, because its values are small decimals", is_proven=False)
    return Unit(MILLISECONDS_US, f"“{name}” in milliseconds, because of its values", is_proven=False)


def metric_columns(names: Sequence[str], wanted: Sequence[str]) -> list[tuple[str, int, str]]:
    """Return name, place and unit of the columns that hold numbers of the team's own; those not there are none."""
    known = {name.strip().casefold() for name in wanted}
    return [
        (" ".join(name.split()), at, unit_in(name) or "")
        for at, name in enumerate(names)
        if name.strip().casefold() in known
    ]
