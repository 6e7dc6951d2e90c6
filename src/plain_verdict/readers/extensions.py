"""Readers and mappings of installed packages: asked for files that no format of the program takes."""

import importlib.util
from collections.abc import Callable, Iterator, Sequence
from datetime import datetime
from functools import cache
from itertools import islice
from pathlib import Path
from typing import Any

import msgspec

from plain_verdict.extension.loading import (
    HOW_TO_DO_WITHOUT,
    Extension,
    calling,
    check_unique,
    failed,
    find_extensions,
    load,
)
from plain_verdict.inputs.source import Source
from plain_verdict.model import (
    BAD,
    Attempt,
    Check,
    Fact,
    Outcome,
    Problem,
    ReadingNote,
    ResultFile,
    Step,
    SuiteNotes,
    counting_last,
    gravest,
    steps_below,
)
from plain_verdict.model.ids import check_id
from plain_verdict.model.transform import Change, transform, transform_fields, with_fields
from plain_verdict.readers import READERS
from plain_verdict.readers.interface import NAMELESS, Head, Reader, too_many_checks
from plain_verdict.readers.mapping.checking import check_mapping
from plain_verdict.readers.mapping.reader import MappingReader
from plain_verdict.readers.mapping.steps import with_inner
from plain_verdict.readers.mapping.together import together
from plain_verdict.readers.mapping.values import cleaned
from plain_verdict.runtime.errors import ExtensionError, PlainVerdictError, ReadError
from plain_verdict.settings.limits import Limits
from plain_verdict.settings.loading import read_mappings
from plain_verdict.text.cleaning import block, single_line
from plain_verdict.text.formatting import join_list

_NOT_TAKEN = ("payloads", "scores", "reruns")
"""What a result file may hold besides, and an extension can't give: load samples, scores, its own attempts."""


class _Contents(msgspec.Struct, frozen=True):
    """What is taken of a file that an extension read; path, format and the like are the program's own to say."""

    checks: tuple[Check, ...]
    suites: tuple[SuiteNotes, ...]
    notes: tuple[ReadingNote, ...]
    title: str
    started: datetime | None
    ended: datetime | None


class ExtensionReader:
    """Reads files with the reader of an extension. What comes back is checked, cut and cleaned like all results."""

    roots: frozenset[str] = frozenset()

    def __init__(self, extension: Extension) -> None:
        """Load the reader. Raises ExtensionError."""
        self._extension = extension
        if extension.name in {reader.format for reader in READERS}:
            raise failed(extension, "has the name of a format of the program")
        found = load(extension, ("recognises", "read"))
        self._reader: Reader = found  # type: ignore[assignment]  # what it returns is checked where it is used
        self.format = extension.name

    def recognises(self, head: Head) -> bool:
        """Return whether the extension takes a file that begins like this. Raises ReadError."""
        try:
            with calling(self._extension):
                return bool(self._reader.recognises(head))
        except ExtensionError as error:
            raise ReadError(f"is not read: {error.what}", path=head.path, hint=error.hint) from error

    def read(self, source: Source, limits: Limits) -> ResultFile:
        """Return what the file holds. Raises ReadError."""
        try:
            with calling(self._extension):
                try:
                    file = self._reader.read(source, limits)
                    checks = tuple(islice(file.checks, limits.checks + 1))
                    left_out = [name for name in _NOT_TAKEN if getattr(file, name)]
                    times = (file.started, file.ended)
                    made = _Contents(checks, tuple(file.suites), tuple(file.notes), file.title, *times)
                except ReadError as error:  # in words of its own
                    raise ExtensionError(error.what, hint=error.hint) from error
            contents = self._checked(made)
        except ExtensionError as error:
            raise ReadError(error.what, path=source.path, hint=error.hint) from error
        if len(checks) > limits.checks:
            raise too_many_checks(limits, source.path)
        contents = transform(contents, _cleaning(limits))
        return ResultFile(
            checks=tuple(_completed(check, source, limits) for check in contents.checks),
            suites=contents.suites,
            notes=tuple(_notes(source, contents, left_out, limits)),
            started=contents.started,
            ended=contents.ended,
            title=single_line(contents.title, limits.name_chars),
            cases=len(checks),
        )

    def _checked(self, made: _Contents) -> _Contents:
        """Return what an extension made, every part of its declared type. Raises ExtensionError."""
        try:
            contents = msgspec.json.decode(msgspec.json.encode(made), type=_Contents)
        except (msgspec.MsgspecError, TypeError, ValueError) as error:
            raise failed(self._extension, f"made what is not a result ({error})") from error
        if not all(check.attempts for check in contents.checks):
            raise failed(self._extension, "made a check without an attempt")
        if any(took_s is not None and took_s < 0 for took_s in _times_s(contents)):
            raise failed(self._extension, "made a duration below 0")
        return contents


def _times_s(contents: _Contents) -> Iterator[float | None]:
    """Yield the durations of all attempts and steps, in seconds."""
    for check in contents.checks:
        for attempt in check.attempts:
            yield attempt.took_s
            yield from (step.took_s for step in steps_below(attempt))


def _cleaning(limits: Limits) -> Change:
    """Return what makes the texts of results plain and cuts them: names to a line, the others to lines."""

    def step(found: Step) -> Step:
        return msgspec.structs.replace(
            transform_fields(found, change), name=single_line(found.name, limits.name_chars)
        )

    def problem(found: Problem) -> Problem:
        message = block(found.message, limits.message_chars)
        return msgspec.structs.replace(transform_fields(found, change), message=message)

    def fact(found: Fact) -> Fact:
        return cleaned((found,), limits.message_chars)[0]

    whole: dict[type[msgspec.Struct], Callable[[Any], msgspec.Struct]] = {Fact: fact, Problem: problem, Step: step}
    change = Change(text=lambda text: block(text, limits.output_chars), whole=whole)
    return change


def _completed(check: Check, source: Source, limits: Limits) -> Check:
    """Return a check with names of a line each, the id that they give it, and the attempt that counts last."""
    suite = tuple(single_line(part, limits.name_chars) for part in check.suite)
    name = single_line(check.name, limits.name_chars) or NAMELESS
    kind = source.kind or check.kind
    return msgspec.structs.replace(
        check,
        id=check_id(kind, suite, name, check.parameters),
        kind=kind,
        suite=suite,
        name=name,
        attempts=counting_last([_with_worse(attempt) for attempt in check.attempts]),
    )


def _with_worse(attempt: Attempt) -> Attempt:
    """Return an attempt that says it passed, or was skipped, with a worse outcome where what is in it has one."""
    steps = tuple(steps_below(attempt))
    expectations = [*attempt.expectations, *(met for step in steps for met in step.expectations)]
    outcome, reason = with_inner(attempt.outcome, attempt.reason, steps, expectations, has_outcome=True)
    bad = [problem.outcome for problem in attempt.problems if problem.outcome in BAD]
    if bad and outcome in (Outcome.PASSED, Outcome.SKIPPED):
        outcome, reason = gravest(bad), f"The file says {attempt.outcome.value}, but has a problem."
    return with_fields(attempt, outcome=outcome, reason=reason)


def _notes(source: Source, contents: _Contents, left_out: Sequence[str], limits: Limits) -> Iterator[ReadingNote]:
    """Yield what an extension noted, that results are missing first, and what is missing without a note of it."""
    noted = sorted(contents.notes, key=lambda note: not note.results_missing)
    yield from (msgspec.structs.replace(note, path=source.path) for note in noted[: limits.notes])
    if left_out:
        what = f"has {join_list(left_out)}, which an extension can't give: they are left out"
        yield ReadingNote(source.path, what, results_missing=True)
    elif not (contents.checks or (noted and noted[0].results_missing)):
        yield ReadingNote(source.path, "holds no check", results_missing=True)


class ExtensionReaders:
    """The readers of all extensions, and of their mappings."""

    format = "extension"
    roots: frozenset[str] = frozenset()

    def recognises(self, head: Head) -> bool:
        """Return whether one of them takes a file. Raises ReadError where one fails."""
        return self.reader_for(head) is not None

    def reader_for(self, head: Head) -> Reader | None:
        """Return the first that takes a file, or that of all mappings that do. Raises ReadError where one fails."""
        readers, _ = self._loaded()
        reader = next((reader for reader in readers if reader.recognises(head)), None)
        if not isinstance(reader, MappingReader):
            return reader
        return together([other for other in readers if isinstance(other, MappingReader) and other.recognises(head)])

    @property
    def trouble(self) -> tuple[ExtensionError, ...]:
        """Return why some can't be used."""
        return self._loaded()[1]

    @staticmethod
    def _loaded() -> tuple[tuple[Reader, ...], tuple[ExtensionError, ...]]:
        return _load_all((*find_extensions("readers"), *find_extensions("mappings")))

    def read(self, source: Source, limits: Limits) -> ResultFile:  # noqa: ARG002  as all readers
        """Refuse: the reader that takes a file reads it."""
        raise ReadError("is read by an extension that is not there any more", path=source.path)


@cache
def _load_all(extensions: tuple[Extension, ...]) -> tuple[tuple[Reader, ...], tuple[ExtensionError, ...]]:
    """Return the readers that can be used, and why others can't."""
    readers: list[Reader] = []
    trouble: list[ExtensionError] = []
    for extension in extensions:
        try:
            readers += _mappings_of(extension) if extension.kind == "mappings" else [ExtensionReader(extension)]
        except ExtensionError as error:
            trouble.append(error)
    return tuple(readers), tuple(trouble)


def _mappings_of(extension: Extension) -> Iterator[Reader]:
    """Yield the readers of the mappings that an extension holds as files: no code runs. Raises ExtensionError.

    Its value names a folder of TOML files in its package: ``plain_verdict_quay.mappings``.
    """
    check_unique(extension)
    top, _, rest = extension.value.partition(".")
    roots = [str(Path(extension.folder, top))]
    if not Path(roots[0]).is_dir():  # a package that is edited where it is written
        specification = importlib.util.find_spec(top)
        roots = list(specification.submodule_search_locations or ()) if specification else []
    files = [file for root in roots for file in sorted(Path(root, *rest.split(".")).glob("*.toml"))]
    if not files:
        raise failed(extension, f"holds no mapping: {extension.value} is not a folder with TOML files")
    for file in files:
        try:
            yield from map(MappingReader, read_mappings(str(file), check_mapping))
        except PlainVerdictError as error:
            where = f", {error.where}" if error.where else ""
            raise ExtensionError(
                f"{extension.title}: {file.name}{where} {error.what}", hint=HOW_TO_DO_WITHOUT
            ) from error
