"""Looks at what arrived: the same file twice, files left over from an earlier run, files that are missing."""

from collections.abc import Sequence
from datetime import datetime, timedelta
from fnmatch import fnmatchcase

import msgspec

from plain_verdict.model import ReadingNote, ResultFile, Run, Unread, in_order
from plain_verdict.model.transform import with_fields
from plain_verdict.runtime.errors import UsageError
from plain_verdict.text.formatting import format_day, format_duration, format_time_of_day, plural
from plain_verdict.text.patterns import pattern

_AGE = pattern(r"\s*(\d{1,5}(?:\.\d{1,3})?)\s*(s|min|h|d)\s*")
_UNITS_S = {"s": 1, "min": 60, "h": 3600, "d": 86400}
_CLOCKS_DIFFER = timedelta(hours=26)
"""Between the machines of a run at most, with the zones that they do not name."""
DEFAULT_STALE_AFTER = timedelta(hours=12)


class Expected(msgspec.Struct, frozen=True):
    """What must arrive, and how old it may be.

    ``newer_than`` leaves older files out; None takes all. ``now`` is the moment past which nothing can have run;
    None where nobody knows.
    """

    patterns: tuple[str, ...] = ()
    files: int | None = None
    stale_after: timedelta = DEFAULT_STALE_AFTER
    newer_than: datetime | None = None
    now: datetime | None = None


def read_age(text: str) -> timedelta:
    """Return an age like ``6h``, ``90 min`` or ``2d``. Raises UsageError."""
    found = _AGE.fullmatch(text)
    if not found:
        raise UsageError(f"{text[:40]!r} is not an age", hint="write it like 90min, 6h or 2d")
    return timedelta(seconds=float(found[1]) * _UNITS_S[found[2]])


def read_newer_than(text: str, now: datetime) -> datetime | None:
    """Return the moment that an age or an ISO 8601 date means; None for "". Raises UsageError."""
    if not text:
        return None
    try:
        moment = datetime.fromisoformat(text)
    except ValueError:
        return now - read_age(text)
    return moment.astimezone() if moment.tzinfo is None else moment


class StillCounts:
    """Tells of each file, as it is read, whether ``check_completeness`` counts it: no double, and not too old."""

    def __init__(self, newer_than: datetime | None = None) -> None:
        self._newer_than = newer_than
        self._seen: set[tuple[str, int]] = set()

    def __call__(self, file: ResultFile) -> bool:
        """Return whether the file counts; to be asked once for each, in their order."""
        key = (file.digest, file.go)
        if file.digest and key in self._seen:
            return False
        self._seen.add(key)
        return self._newer_than is None or _is_new(file, self._newer_than)


def _is_new(file: ResultFile, newer_than: datetime) -> bool:
    ended = _ended(file)
    return ended is None or ended >= newer_than


def check_completeness(run: Run, expected: Expected) -> Run:
    """Return the run without doubles and files that are too old, with notes on all that is odd."""
    files = _without_doubles(run.files)
    files, left_out = _new_enough(files, expected.newer_than)
    files = _stale_noted(_future_noted(files, expected.now), expected.stale_after)
    missing = (*_missing(files, expected), *_left_out_note(left_out))
    return with_fields(run, files=tuple(files), unread=run.unread + missing)


def _without_doubles(files: Sequence[ResultFile]) -> list[ResultFile]:
    first: dict[tuple[str, int], int] = {}
    kept: list[ResultFile] = []
    for file in files:
        if file.digest and (file.digest, file.go) in first:
            at = first[file.digest, file.go]
            note = ReadingNote(file.path, f"is identical to {kept[at].path} and counts once")
            kept[at] = msgspec.structs.replace(kept[at], notes=(*kept[at].notes, note))
        else:
            first[file.digest, file.go] = len(kept)
            kept.append(file)
    return kept


def _ended(file: ResultFile) -> datetime | None:
    moment = file.ended or file.started
    return in_order(moment) if moment else None


def _new_enough(
    files: list[ResultFile], newer_than: datetime | None
) -> tuple[list[ResultFile], list[tuple[ResultFile, datetime]]]:
    if newer_than is None:
        return files, []
    kept: list[ResultFile] = []
    left_out: list[tuple[ResultFile, datetime]] = []
    for file in files:
        ended = _ended(file)
        if ended is None or _is_new(file, newer_than):
            kept.append(file)
        else:
            left_out.append((file, ended))
    return kept, left_out


def _left_out_note(left_out: list[tuple[ResultFile, datetime]]) -> tuple[Unread, ...]:
    return tuple(
        Unread(
            file.path,
            f"was left out: its results are from {format_day(ended)}, {format_time_of_day(ended)}",
            excluded_by_user=True,
        )
        for file, ended in left_out
    )


def _future_noted(files: list[ResultFile], now: datetime | None) -> list[ResultFile]:
    """Return the files, those that say they ran in the future with a note: what they tell is of another run."""

    def noted(file: ResultFile) -> ResultFile:
        moment = file.started or file.ended
        if not (now and moment and in_order(moment) - in_order(now) > _CLOCKS_DIFFER):
            return file
        what = f"says that it ran on {format_day(moment)}, which is in the future"
        note = ReadingNote(file.path, what, results_missing=True)
        return msgspec.structs.replace(file, notes=(*file.notes, note))

    return list(map(noted, files))


def _stale_noted(files: list[ResultFile], stale_after: timedelta) -> list[ResultFile]:
    """Return the files, those much older than the newest with a note: they may be left over from another run."""
    ends = [ended for file in files if (ended := _ended(file))]
    newest = max(ends, default=None)
    noted = []
    for file in files:
        ended = _ended(file)
        if ended and newest and newest - ended > stale_after:
            older = format_duration((newest - ended).total_seconds())
            what = f"is {older} older than the newest results and may be left over from an earlier run"
            noted.append(msgspec.structs.replace(file, notes=(*file.notes, ReadingNote(file.path, what))))
        else:
            noted.append(file)
    return noted


def _missing(files: Sequence[ResultFile], expected: Expected) -> tuple[Unread, ...]:
    missing = [
        Unread(pattern, "was expected, but no such file arrived", hint="check the job that should have written it")
        for pattern in expected.patterns
        if not any(fnmatchcase(file.path, pattern) or fnmatchcase(file.path, f"*/{pattern}") for file in files)
    ]
    if expected.files is not None and len(files) < expected.files:
        what = f"{plural(expected.files, 'result file')} {'was' if expected.files == 1 else 'were'} expected"
        missing.append(Unread("the run", f"is incomplete: {what}, but {len(files):,} arrived"))
    return tuple(missing)
