"""The pipeline in its steps: arguments, files, run."""

from collections import Counter, defaultdict
from collections.abc import Callable, Sequence

import msgspec

from plain_verdict.model import Check, ResultFile, Run, distinct_id
from plain_verdict.readers import Reading, read_all
from plain_verdict.readers.gather import gather
from plain_verdict.settings import DEFAULT_LIMITS, Limits

Watch = Callable[[int, int], None]
"""Told how many of all files are read."""


def make_run(arguments: Sequence[str], watch: Watch = lambda *_: None, limits: Limits = DEFAULT_LIMITS) -> Run:
    """Return the run that the files, folders and patterns in ``arguments`` make up."""
    gathered = gather(arguments)
    reading = read_all(gathered.sources, limits, watch)
    return assemble(msgspec.structs.replace(reading, unread=gathered.unread + reading.unread))


def assemble(reading: Reading) -> Run:
    """Return the run of what was read, every check with an id of its own."""
    files = _with_distinct_ids(_with_attempts_together(reading.files))
    checks = tuple(check for file in files for check in file.checks)
    return Run(files, checks, reading.unread, reading.left_alone)


def _with_attempts_together(files: tuple[ResultFile, ...]) -> tuple[ResultFile, ...]:
    """Bring numbered attempts at one check together where several processes recorded them."""
    homes: dict[str, list[Check]] = defaultdict(list)
    for file in files:
        for check in file.checks:
            if all(attempt.number for attempt in check.attempts):
                homes[check.id].append(check)
    merged: dict[str, Check] = {}
    for id_, parts in homes.items():
        attempts = sorted((one for part in parts for one in part.attempts), key=lambda one: one.number)
        if len(parts) > 1 and len({one.number for one in attempts}) == len(attempts):
            latest = max(parts, key=lambda part: part.last.number)
            merged[id_] = msgspec.structs.replace(latest, attempts=tuple(attempts))
    if not merged:
        return files

    def kept(check: Check) -> Check | None:
        whole = merged.get(check.id)
        # The merged check stands in the file of its last attempt.
        return check if whole is None else whole if check.last is whole.last else None

    return tuple(
        msgspec.structs.replace(file, checks=tuple(filter(None, map(kept, file.checks)))) for file in files
    )


def _with_distinct_ids(files: tuple[ResultFile, ...]) -> tuple[ResultFile, ...]:
    """Tell apart checks of the same id: one name in two files, or at two places of one source file.

    The same check in two files stays two checks: a pass in one must never hide a failure in the other.
    """
    uses = Counter(check.id for file in files for check in file.checks)
    shared = {id_ for id_, number in uses.items() if number > 1}
    if not shared:
        return files

    def apart(check: Check, path: str) -> Check:
        if check.id not in shared:
            return check
        return msgspec.structs.replace(check, id=distinct_id(check, f"{path}\x1f{check.place or ''}"))

    return tuple(
        msgspec.structs.replace(file, checks=tuple(apart(check, file.path) for check in file.checks))
        for file in files
    )
