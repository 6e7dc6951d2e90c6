"""Attempts at one check: where the format numbers them, or the user names the results of a rerun."""

from collections import Counter, defaultdict
from collections.abc import Callable, Sequence
from pathlib import Path

import msgspec

from plain_verdict.model import (
    Attempt,
    Check,
    Checks,
    Evidence,
    Fact,
    ReadingNote,
    ResultFile,
    Step,
    as_columns,
    counting_last,
)
from plain_verdict.text.formatting import plural

Key = tuple[str, tuple[Fact, ...]]
SourceLocation = tuple[int, int]
"""Of a check: the number of its file, and its number in it."""


def _are_distinct(numbers: Sequence[int]) -> bool:
    return all(numbers) and len(set(numbers)) == len(numbers)


def with_numbered_attempts(files: tuple[ResultFile, ...]) -> tuple[ResultFile, ...]:
    """Return the files with attempts that their format numbers brought together in the file of the last one.

    Only where all of a check's attempts have a number, each another one.
    """
    locations: dict[Key, list[SourceLocation]] = defaultdict(list)
    for number, file in enumerate(files):
        for at, check in as_columns(file.checks).numbered():
            if check.attempts[-1].number:
                locations[check.id, check.variant].append((number, at))
    joining = _Joining(files)
    for check_locations in locations.values():
        numbers = [attempt.number for location in check_locations for attempt in joining.check(location).attempts]
        goes = {files[number].go for number, _ in check_locations}
        if len(check_locations) > 1 and _are_distinct(numbers) and len(goes) == 1:
            check_locations.sort(key=lambda location: joining.check(location).last.number)
            joining.join(check_locations, in_order=_by_number)
    return joining.files()


def _by_go(files: tuple[ResultFile, ...]) -> dict[int, dict[Key, list[SourceLocation]]]:
    by_go: dict[int, dict[Key, list[SourceLocation]]] = defaultdict(lambda: defaultdict(list))
    for number, file in enumerate(files):
        for at, check in enumerate(file.checks):
            by_go[file.go][check.id, check.variant].append((number, at))
    return by_go


def with_retries(files: tuple[ResultFile, ...]) -> tuple[ResultFile, ...]:
    """Return the files with the checks of each retry as attempts at those of the goes before it.

    A check that could be the retry of several, or one of several retries, is none: a pass must not hide another's
    failure.
    """
    if not any(file.go for file in files):
        return files
    joining = _Joining(files)
    by_go = _by_go(files)
    before = by_go.pop(0, {})
    unclear: Counter[int] = Counter()
    new: Counter[int] = Counter()
    for go in sorted(by_go):
        for key, locations in by_go[go].items():
            earlier = before.get(key, [])
            if len(earlier) == len(locations) == 1:
                joining.join([*earlier, *locations], in_order=_as_they_went)
                before[key] = locations
                continue
            for number, _ in locations:
                (unclear if earlier else new)[number] += 1
            before[key] = [*earlier, *locations]
    for number, many in unclear.items():
        joining.note(
            number,
            f"has {plural(many, 'check')} that could each be the rerun of several checks, so all of them count",
        )
    for number, many in new.items():
        joining.note(number, f"is a rerun with {plural(many, 'check')} that did not run before")
    return joining.files()


class _Joining:
    """Files while checks of theirs are joined."""

    def __init__(self, files: tuple[ResultFile, ...]) -> None:
        self._files = files
        self._joined: dict[SourceLocation, Check | None] = {}
        self._notes: dict[int, list[ReadingNote]] = defaultdict(list)
        self._reruns: dict[int, list[str]] = defaultdict(list)

    def check(self, location: SourceLocation) -> Check:
        """Return the check at a place, joined with others if it was."""
        number, at = location
        return self._joined.get(location) or self._files[number].checks[at]

    def join(self, locations: Sequence[SourceLocation], in_order: Callable[[list[Attempt]], list[Attempt]]) -> None:
        """Make the checks attempts at one, in an order; it stands where the last of the places is."""
        last = locations[-1]
        attempts: list[Attempt] = []
        for location in locations:
            moved = self._files[location[0]].folder if location[0] != last[0] else ""
            attempts += [_found_from(moved, attempt) for attempt in self.check(location).attempts]
        whole = msgspec.structs.replace(self.check(last), attempts=counting_last(in_order(attempts)))
        self._joined |= dict.fromkeys(locations)
        self._joined[last] = whole
        self._reruns[last[0]].append(whole.title)

    def note(self, number: int, what: str) -> None:
        """Note something about a file."""
        self._notes[number].append(ReadingNote(self._files[number].path, what))

    def files(self) -> tuple[ResultFile, ...]:
        """Return the files with what was joined and noted."""
        changed = {number for number, _ in self._joined} | self._notes.keys()
        return tuple(self._file(number) if number in changed else file for number, file in enumerate(self._files))

    def _file(self, number: int) -> ResultFile:
        file = self._files[number]
        checks = [self._joined.get((number, at), check) for at, check in enumerate(file.checks)]
        return msgspec.structs.replace(
            file,
            checks=Checks.of(check for check in checks if check is not None),
            notes=(*file.notes, *self._notes[number]),
            reruns=(*file.reruns, *self._reruns[number]),
        )


def _by_number(attempts: list[Attempt]) -> list[Attempt]:
    return sorted(attempts, key=lambda attempt: attempt.number)


def _as_they_went(attempts: list[Attempt]) -> list[Attempt]:
    """Return the attempts numbered anew: each go counts its own from 1, and a later go's is later all the same."""
    return [msgspec.structs.replace(attempt, number=number) for number, attempt in enumerate(attempts, 1)]


def _found_from(folder: str, attempt: Attempt) -> Attempt:
    """Return an attempt whose evidence is found from the folder that its own result file stands in."""
    return _moved_attempt(attempt, folder) if folder else attempt


def _moved_attempt(attempt: Attempt, folder: str) -> Attempt:
    evidence, steps = _moved(attempt.evidence, folder), _moved_steps(attempt.steps, folder)
    return msgspec.structs.replace(attempt, evidence=evidence, steps=steps)


def _moved_steps(steps: tuple[Step, ...], folder: str) -> tuple[Step, ...]:
    return tuple(
        msgspec.structs.replace(
            step, evidence=_moved(step.evidence, folder), steps=_moved_steps(step.steps, folder)
        )
        for step in steps
    )


def _moved(evidence: tuple[Evidence, ...], folder: str) -> tuple[Evidence, ...]:
    return tuple(
        msgspec.structs.replace(piece, path=str(Path(folder, piece.path)))
        if piece.path and "\x00" not in piece.path
        else piece
        for piece in evidence
    )
