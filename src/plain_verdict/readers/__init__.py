"""Reads result files: tells their format by their content and hands each to the reader for it."""

from collections.abc import Callable, Iterator, Sequence
from functools import partial
from hashlib import blake2b
from io import BufferedReader
from pathlib import Path
from typing import TYPE_CHECKING, NamedTuple

import msgspec

from plain_verdict.errors import ReadError, UnknownFormat
from plain_verdict.inputs.archives import Unpacking, is_archive, members
from plain_verdict.inputs.gunzip import Gunzipped, first_bytes
from plain_verdict.inputs.progress import OnBytesRead, OnProgress, with_progress
from plain_verdict.inputs.source import RESULT_SUFFIXES, Source, shown_path
from plain_verdict.model import ResultFile, Run, Unread
from plain_verdict.readers.earl.reader import EarlReader
from plain_verdict.readers.har import HarReader
from plain_verdict.readers.interface import Head, Reader
from plain_verdict.readers.junit.reader import JunitReader
from plain_verdict.readers.oscal.reader import OscalReader
from plain_verdict.readers.record.reader import RecordReader
from plain_verdict.readers.samples.condensed import CondensedReader
from plain_verdict.readers.samples.options import IN_THREADS, SamplesOptions
from plain_verdict.readers.samples.reader import SamplesReader
from plain_verdict.readers.sarif.reader import SarifReader
from plain_verdict.readers.tap.reader import TapReader
from plain_verdict.readers.xccdf.reader import XccdfReader
from plain_verdict.readers.xml.text import HAS_DOCTYPE, HEAD_BYTES
from plain_verdict.settings.limits import Limits
from plain_verdict.settings.shapes import Shape
from plain_verdict.text.formatting import plural

if TYPE_CHECKING:
    from plain_verdict.readers.shape.reader import ShapeReader

READERS: tuple[Reader, ...] = (
    JunitReader(),
    RecordReader(),
    HarReader(),
    TapReader(),
    SarifReader(),
    XccdfReader(),
    EarlReader(),
    OscalReader(),
    CondensedReader(),
    SamplesReader(),
)
"""Every format, in the order in which they are tried; samples, which may look like much, are the last."""


def read_all(
    sources: Sequence[Source],
    limits: Limits,
    on_progress: OnProgress,
    shapes: Sequence[Shape] = (),
    samples: SamplesOptions = IN_THREADS,
) -> Run:
    """Return the run of every source; one that can't be read never keeps the others from being read.

    ``on_progress`` is told how many bytes of all are read, and which file it is. ``shapes`` are the team's own
    formats: those that name their files are tried before all others, the rest after them. ``samples``
    says how those of load runs are counted.
    """
    reading = _Reading(limits, readers_with(shapes, samples))
    before, total = 0, sum(source.size_bytes for source in sources)
    for source in sources:
        reading.add(source, partial(_FileProgress, on_progress, before, total))
        before += source.size_bytes
    reading.note_folders_without_results(sources)
    return Run(
        tuple(reading.files),
        tuple(reading.unread),
        tuple(reading.left_alone),
        shape_notes=tuple(_unused(shapes, reading.files)),
    )


class Readers(NamedTuple):
    """All readers in the order in which they are tried, and which of them read the team's own shapes."""

    in_order: tuple[Reader, ...] = READERS
    shapes: tuple["ShapeReader", ...] = ()


WITHOUT_SHAPES = Readers()


def readers_with(shapes: Sequence[Shape], samples: SamplesOptions = IN_THREADS) -> Readers:
    """Return the readers, with those of shapes, and with what is wanted of samples."""
    own = (*READERS[:-1], SamplesReader(samples))
    if not shapes:
        return Readers(own)
    from plain_verdict.readers.shape.reader import ShapeReader  # for teams that have shapes

    several = tuple(ShapeReader(shape, samples) for shape in shapes)
    named = tuple(reader for reader in several if reader.shape.files)
    others = tuple(reader for reader in several if not reader.shape.files)
    return Readers((*named, *own, *others), several)


def _unused(shapes: Sequence[Shape], files: Sequence[ResultFile]) -> Iterator[str]:
    """Yield a sentence for each shape that no file is of."""
    used = {file.format for file in files}
    for shape in shapes:
        if shape.name not in used:
            wanted = (
                f"files like {', '.join(shape.files)}"
                if shape.files
                else f"files that hold {', '.join(shape.needs)}"
            )
            yield f"The shape “{shape.name}” fits no file: it is for {wanted}."


class _FileProgress:
    """Tells how far the reading of all files is while one of them is read."""

    def __init__(self, on_progress: OnProgress, before: int, total: int, path: str) -> None:
        self._on_progress = on_progress
        self._before, self._total = before, total
        self._path = path
        self._done = 0
        self._rows = ""

    def on_bytes(self, done: int) -> None:
        """Tell that so many bytes of the file are read."""
        self._done = done
        self._tell()

    def on_rows(self, rows: int) -> None:
        """Tell that so many of its rows are read."""
        self._rows = f", {plural(rows, 'row')}"
        self._tell()

    def _tell(self) -> None:
        done = min(self._before + self._done, self._total)
        self._on_progress(done, self._total, f"{self._path}{self._rows}")


class _Reading:
    """What came of reading so far."""

    def __init__(self, limits: Limits, readers: Readers) -> None:
        self._readers = readers
        self.files: list[ResultFile] = []
        self.unread: list[Unread] = []
        self.left_alone: list[Unread] = []
        self._limits = limits
        self._unpacking = Unpacking(limits)
        self._fruitful: set[str] = set()

    def add(self, source: Source, on_file: Callable[[str], _FileProgress]) -> None:
        """Read a source, or each file in it where it is an archive."""
        results = len(self.files) + len(self.unread)
        try:
            for part in _parts(source, self._unpacking, self._readers):
                progress = on_file(part.path)
                told = msgspec.structs.replace(part, on_rows=progress.on_rows)
                try:
                    self.files.append(read_source(told, self._limits, progress.on_bytes, self._readers))
                except ReadError as error:
                    self._note(part, error)
        except ReadError as error:
            self._note(source, error)
        if len(self.files) + len(self.unread) > results:
            self._fruitful.update(source.given)

    def _note(self, source: Source, error: ReadError) -> None:
        trouble = Unread(error.path or source.path, error.what, error.where, error.hint, source.file)
        is_none = isinstance(error, UnknownFormat) and not source.explicit
        (self.left_alone if is_none else self.unread).append(trouble)

    def note_folders_without_results(self, sources: Sequence[Source]) -> None:
        """Note the folders that the user named and that gave nothing."""
        for folder in dict.fromkeys(folder for source in sources for folder in source.given):
            if folder not in self._fruitful:
                hint = "check that the run wrote its results there"
                self.unread.append(Unread(shown_path(folder), "holds no result file", hint=hint))


def _parts(source: Source, unpacking: Unpacking, readers: Readers) -> Iterator[Source]:
    """Yield the source itself, or what it holds where it is an archive. Raises ReadError."""
    try:
        with source.open() as stream:
            head = stream.read(512)
    except OSError:
        yield source  # reading it says what is wrong
        return
    if not is_archive(head):
        yield source
        return
    streamed = _as_samples(source, readers)
    if streamed is not None:
        yield streamed
        return
    found = False
    for part in members(source, unpacking):
        found = True
        # A single compressed file was named as much as if it were not compressed.
        yield msgspec.structs.replace(part, explicit=source.explicit) if part.path == source.path else part
    if not found:
        raise ReadError("is an archive without any file", path=source.path, hint="check how it was made")


def _as_samples(source: Source, readers: Readers) -> Source | None:
    """Return a gzip file of samples as what it holds, which may be too much to unpack; None for all others."""
    with source.open() as stream:
        start = first_bytes(stream.read(HEAD_BYTES), HEAD_BYTES)
    damages: list[str] = []
    unpacked = msgspec.structs.replace(
        source,
        open=lambda: BufferedReader(Gunzipped(source.open(), damages.append)),
        damage=lambda: damages[-1] if damages else "",
    )
    head = Head(start, unpacked)
    own: list[Reader] = [reader for reader in readers.shapes if reader.shape.samples]
    own.append(SamplesReader())
    return unpacked if any(reader.recognises(head) for reader in own) else None


def read_source(
    source: Source, limits: Limits, on_bytes_read: OnBytesRead, readers: Readers = WITHOUT_SHAPES
) -> ResultFile:
    """Return what the file holds. Raises ReadError."""
    try:
        with source.open() as stream:
            head = Head(stream.read(HEAD_BYTES), source)
            reader = next((reader for reader in readers.in_order if reader.recognises(head)), None)
            if reader is None:
                raise _unknown(head, source, readers)
            digest = blake2b(head.data, digest_size=16)
            while chunk := stream.read(HEAD_BYTES):
                digest.update(chunk)
        file = reader.read(with_progress(source, on_bytes_read), limits)
        return msgspec.structs.replace(
            file,
            path=source.path,
            format=reader.format,
            size_bytes=source.size_bytes,
            folder=source.folder,
            digest=digest.hexdigest(),
            go=source.go,
        )
    except OSError as error:
        raise ReadError(
            f"can't be opened ({error.strerror or error})",
            path=source.path,
            hint="check the path and its permissions",
        ) from error


def knows(path: Path) -> bool:
    """Return whether a file begins like one that a reader takes."""
    try:
        with path.open("rb") as stream:
            head = Head(stream.read(HEAD_BYTES))
    except OSError:
        return False
    return any(reader.recognises(head) for reader in READERS)


def _unknown(head: Head, source: Source, readers: Readers) -> ReadError:
    """Return the error that says why this is no result file, and of no shape of the team."""
    error = _no_known_format(head, source)
    lacking = [f"the shape “{reader.format}” does not fit: {reader.missing_in(head)}" for reader in readers.shapes]
    error.hint = "; ".join((*lacking[:3], error.hint)) if head.text else error.hint
    return error


def _no_known_format(head: Head, source: Source) -> ReadError:
    if not head.text:
        return _empty(head, source)
    if head.xml.doctype or head.text.startswith("<"):
        return _other_xml(head, source)
    roots = sorted(root for reader in READERS for root in reader.roots)
    inside = next((root for root in roots if f"<{root}" in head.text.lower()), "")
    if inside:
        return ReadError(
            f"has other text before its <{inside}>",
            path=source.path,
            hint="have the runner write its results into a file of their own",
        )
    start = head.text.split("\n", 1)[0][:24].replace("\t", " ")
    shown = f"begins with “{start}”" if start.isprintable() else "is not text"
    return UnknownFormat(f"is not a result file: it {shown}", path=source.path, hint=_what_is_read())


def _what_is_read() -> str:
    *others, last = (reader.told_by for reader in READERS)
    return f"read are {', '.join(others)}, and {last}"


def _empty(head: Head, source: Source) -> ReadError:
    what = "is empty" if not head.data else "holds nothing but blank space"
    expected = source.path.lower().endswith(RESULT_SUFFIXES)
    hint = "the run may have been stopped before it wrote results; run it again"
    return (ReadError if expected else UnknownFormat)(what, path=source.path, hint=hint)


def _other_xml(head: Head, source: Source) -> ReadError:
    if head.xml.doctype:
        ours = any(head.xml.doctype in reader.roots for reader in READERS)
        return (ReadError if ours else UnknownFormat)(
            HAS_DOCTYPE,
            path=source.path,
            hint="have the runner write its results without one",
        )
    if head.xml.root:
        what = f"has the root element <{head.xml.root[:60]}>, which is none of a result file"
        return UnknownFormat(what, path=source.path, hint=_what_is_read())
    return ReadError(
        "is XML that ends before its first element",
        path=source.path,
        hint="the run may have been stopped while it wrote; run it again",
    )
