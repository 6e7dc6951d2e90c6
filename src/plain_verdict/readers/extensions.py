"""Readers and mappings of installed packages: asked for files that no format of the program takes."""

import importlib.util
from collections.abc import Iterator
from datetime import datetime
from functools import cache
from itertools import islice
from pathlib import Path

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
from plain_verdict.model import Check, ReadingNote, ResultFile, SuiteNotes
from plain_verdict.model.ids import check_id
from plain_verdict.model.transform import Change, transform
from plain_verdict.readers import READERS
from plain_verdict.readers.interface import Head, Reader, too_many_checks
from plain_verdict.readers.mapping.checking import check_mapping
from plain_verdict.readers.mapping.reader import MappingReader
from plain_verdict.runtime.errors import ExtensionError, PlainVerdictError, ReadError
from plain_verdict.settings.limits import Limits
from plain_verdict.settings.loading import read_mappings
from plain_verdict.text.cleaning import block, single_line


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
        found = load(extension)
        if not (hasattr(found, "recognises") and hasattr(found, "read")):
            raise failed(extension, "is not a reader: it lacks recognises or read")
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
                except ReadError as error:  # in words of its own
                    raise ExtensionError(error.what, hint=error.hint) from error
            contents = self._checked(file, checks)
        except ExtensionError as error:
            raise ReadError(error.what, path=source.path, hint=error.hint) from error
        if len(checks) > limits.checks:
            raise too_many_checks(limits, source.path)
        cleaned = transform(contents, Change(text=lambda text: block(text, limits.output_chars)))
        notes = [msgspec.structs.replace(note, path=source.path) for note in cleaned.notes[: limits.notes]]
        return ResultFile(
            checks=tuple(_named(check, source, limits) for check in cleaned.checks),
            suites=cleaned.suites,
            notes=(*notes, *_empty(source, cleaned)),
            started=cleaned.started,
            ended=cleaned.ended,
            title=single_line(cleaned.title, limits.name_chars),
            cases=len(checks),
        )

    def _checked(self, file: ResultFile, checks: tuple[Check, ...]) -> _Contents:
        """Return what an extension made, every part of its declared type. Raises ExtensionError."""
        try:
            found = _Contents(checks, tuple(file.suites), tuple(file.notes), file.title, file.started, file.ended)
            contents = msgspec.json.decode(msgspec.json.encode(found), type=_Contents)
            if not all(check.attempts for check in contents.checks):
                raise failed(self._extension, "made a check without an attempt")
            return contents
        except (msgspec.ValidationError, msgspec.EncodeError, TypeError, AttributeError, ValueError) as error:
            raise failed(self._extension, f"made what is not a result ({error})") from error


def _named(check: Check, source: Source, limits: Limits) -> Check:
    """Return a check with names of one line each, and with the id that they give it."""
    suite = tuple(single_line(part, limits.name_chars) for part in check.suite)
    name = single_line(check.name, limits.name_chars)
    kind = source.kind or check.kind
    id_ = check_id(kind, suite, name, check.parameters)
    return msgspec.structs.replace(check, id=id_, kind=kind, suite=suite, name=name)


def _empty(source: Source, contents: _Contents) -> Iterator[ReadingNote]:
    if not contents.checks and not any(note.results_missing for note in contents.notes):
        yield ReadingNote(source.path, "holds no check", results_missing=True)


class ExtensionReaders:
    """The readers of all extensions, and of their mappings."""

    format = "extension"
    roots: frozenset[str] = frozenset()

    def recognises(self, head: Head) -> bool:
        """Return whether one of them takes a file. Raises ReadError where one fails."""
        return self.reader_for(head) is not None

    def reader_for(self, head: Head) -> Reader | None:
        """Return the first that takes a file. Raises ReadError where one fails."""
        readers, _ = _loaded((*find_extensions("readers"), *find_extensions("mappings")))
        return next((reader for reader in readers if reader.recognises(head)), None)

    @property
    def trouble(self) -> tuple[ExtensionError, ...]:
        """Return why some can't be used."""
        return _loaded((*find_extensions("readers"), *find_extensions("mappings")))[1]

    def read(self, source: Source, limits: Limits) -> ResultFile:  # noqa: ARG002  as all readers
        """Refuse: the reader that takes a file reads it."""
        raise ReadError("is read by an extension that is not there any more", path=source.path)


@cache
def _loaded(extensions: tuple[Extension, ...]) -> tuple[tuple[Reader, ...], tuple[ExtensionError, ...]]:
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
