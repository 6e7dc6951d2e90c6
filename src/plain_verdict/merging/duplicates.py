"""Notes where a record and another result file tell of one run, so that its checks count twice."""

from collections import Counter
from itertools import combinations

import msgspec

from plain_verdict.model import ReadingNote, ResultFile, in_order
from plain_verdict.text.formatting import plural

_MOST_COMPARED = 40  # files of one name: all pairs are compared
_ALIKE = 0.8  # of the smaller file's checks


def with_duplicates_noted(files: tuple[ResultFile, ...]) -> tuple[ResultFile, ...]:
    """Return the files, those of two formats that hold the same checks of the same time with a note."""
    if len({file.format for file in files}) < 2 or len(files) > _MOST_COMPARED:
        return files
    names = [Counter((check.suite, check.name) for check in file.checks) for file in files]
    noted = list(files)
    for first, other in combinations(range(len(files)), 2):
        if files[first].format == files[other].format or not _overlap(files[first], files[other]):
            continue
        same = (names[first] & names[other]).total()
        if same and same >= _ALIKE * min(names[first].total(), names[other].total()):
            what = (
                f"holds {plural(same, 'check')} that {files[first].path} holds as well, of the same time; if both"
                " tell of one run, its checks count twice: give only one of them"
            )
            note = ReadingNote(files[other].path, what)
            noted[other] = msgspec.structs.replace(noted[other], notes=(*noted[other].notes, note))
    return tuple(noted)


def _overlap(file: ResultFile, other: ResultFile) -> bool:
    """Return whether both ran at the same time; also where the times that they name have no zone, or another."""
    if not (file.started and file.ended and other.started and other.ended):
        return False
    if (file.started.tzinfo is None) != (other.started.tzinfo is None):
        spans = [
            (each.started.replace(tzinfo=None), each.ended.replace(tzinfo=None))  # type: ignore[union-attr]  # both are there
            for each in (file, other)
        ]
        return spans[0][0] <= spans[1][1] and spans[1][0] <= spans[0][1]
    return in_order(file.started) <= in_order(other.ended) and in_order(other.started) <= in_order(file.ended)
