"""The pipeline in its steps: arguments, files, run."""

from collections import Counter
from collections.abc import Callable, Sequence

import msgspec

from plain_verdict.model import Check, ResultFile, Run, distinct_id
from plain_verdict.readers import Reading, read_all
from plain_verdict.readers.gather import gather
from plain_verdict.readers.interface import Source
from plain_verdict.settings import DEFAULT_LIMITS, Limits

Watch = Callable[[Source, int, int], None]
"""Told of each source before it is read: the source, its number from 1, how many there are."""


def make_run(arguments: Sequence[str], watch: Watch = lambda *_: None, limits: Limits = DEFAULT_LIMITS) -> Run:
    """Return the run that the files, folders and patterns in ``arguments`` make up."""
    gathered = gather(arguments)
    total = len(gathered.sources)
    numbers = iter(range(1, total + 1))
    reading = read_all(gathered.sources, limits, lambda source: watch(source, next(numbers), total))
    return assemble(msgspec.structs.replace(reading, unread=gathered.unread + reading.unread))


def assemble(reading: Reading) -> Run:
    """Return the run of what was read, every check with an id of its own."""
    files = _with_distinct_ids(reading.files)
    checks = tuple(check for file in files for check in file.checks)
    return Run(files, checks, reading.unread, reading.left_alone)


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
