"""Reads result files: tells their format by their content and hands each to the reader for it."""

from collections.abc import Iterator, Sequence
from hashlib import blake2b
from pathlib import Path

import msgspec

from plain_verdict.errors import ReadError, UnknownFormat
from plain_verdict.model import ResultFile, Unread
from plain_verdict.readers.archives import Unpacking, is_archive, members
from plain_verdict.readers.interface import RESULT_SUFFIXES, Head, Reader, Source
from plain_verdict.readers.junit import JunitReader
from plain_verdict.readers.record import RecordReader
from plain_verdict.readers.watched import Tell, Watch, watched
from plain_verdict.readers.xml_text import HEAD_BYTES, head_text, root_of
from plain_verdict.settings import Limits
from plain_verdict.text import one_line

READERS: tuple[Reader, ...] = (JunitReader(), RecordReader())
"""Every format, in the order in which they are tried."""


class Reading(msgspec.Struct, frozen=True):
    """What came of reading the inputs."""

    files: tuple[ResultFile, ...]
    unread: tuple[Unread, ...]
    left_alone: tuple[Unread, ...]


def read_all(sources: Sequence[Source], limits: Limits, watch: Watch) -> Reading:
    """Read every source; one that can't be read never keeps the others from being read.

    ``watch`` is told how many bytes of all are read, and which file it is.
    """
    files: list[ResultFile] = []
    unread: list[Unread] = []
    left_alone: list[Unread] = []

    def note(source: Source, error: ReadError) -> None:
        trouble = Unread(error.path or source.path, error.what, error.where, error.hint, source.file)
        (unread if source.explicit or not isinstance(error, UnknownFormat) else left_alone).append(trouble)

    before, total = 0, sum(source.size_bytes for source in sources)
    unpacking = Unpacking(limits)
    fruitful: set[str] = set()
    for source in sources:
        results = len(files) + len(unread)
        try:
            for part in _parts(source, unpacking):
                try:
                    files.append(read_source(part, limits, _telling(watch, before, total, part.path)))
                except ReadError as error:
                    note(part, error)
        except ReadError as error:
            note(source, error)
        if len(files) + len(unread) > results:
            fruitful.update(source.given)
        before += source.size_bytes
    for given in dict.fromkeys(folder for source in sources for folder in source.given):
        if given not in fruitful:
            what = "holds no result file"
            unread.append(Unread(one_line(given, 400), what, hint="check that the run wrote its results there"))
    return Reading(tuple(files), tuple(unread), tuple(left_alone))


def _telling(watch: Watch, before: int, total: int, path: str) -> Tell:
    return lambda done: watch(min(before + done, total), total, path)


def _parts(source: Source, unpacking: Unpacking) -> Iterator[Source]:
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
    found = False
    for part in members(source, unpacking):
        found = True
        # A single compressed file was named as much as if it were not compressed.
        yield msgspec.structs.replace(part, explicit=source.explicit) if part.path == source.path else part
    if not found:
        raise ReadError("is an archive without any file", path=source.path, hint="check how it was made")


def read_source(source: Source, limits: Limits, tell: Tell) -> ResultFile:
    """Return what the file holds; ``tell`` is told how many of its bytes are read. Raises ReadError."""
    try:
        with source.open() as stream:
            head = _head(stream.read(HEAD_BYTES))
            reader = next((reader for reader in READERS if reader.recognises(head)), None)
            if reader is None:
                raise _unknown(head, source)
            digest = blake2b(head.data, digest_size=16)
            while chunk := stream.read(HEAD_BYTES):
                digest.update(chunk)
        return msgspec.structs.replace(reader.read(watched(source, tell), limits), digest=digest.hexdigest())
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
            head = _head(stream.read(HEAD_BYTES))
    except OSError:
        return False
    return any(reader.recognises(head) for reader in READERS)


def _head(data: bytes) -> Head:
    text = head_text(data)
    root, doctype = root_of(text)
    return Head(data, text, root, doctype)


def _unknown(head: Head, source: Source) -> ReadError:
    """Return the error that says why this is no result file."""
    roots = sorted(root for reader in READERS for root in reader.roots)
    hint = "read are " + ", and ".join(reader.told_by for reader in READERS)
    if not head.text:
        what = "is empty" if not head.data else "holds nothing but blank space"
        kind = ReadError if source.path.lower().endswith(RESULT_SUFFIXES) else UnknownFormat
        return kind(
            what, path=source.path, hint="the run may have been stopped before it wrote results; run it again"
        )
    if head.doctype:
        kind = ReadError if head.doctype in roots else UnknownFormat
        return kind(
            "has a DOCTYPE, which is refused: it can pull in other files or grow without end",
            path=source.path,
            hint="have the runner write its results without one",
        )
    if head.root:
        return UnknownFormat(
            f"has the root element <{head.root[:60]}>, which is none of a result file",
            path=source.path,
            hint=hint,
        )
    if head.text.startswith("<"):
        return ReadError(
            "is XML that ends before its first element",
            path=source.path,
            hint="the run may have been stopped while it wrote; run it again",
        )
    inside = next((root for root in roots if f"<{root}" in head.text.lower()), "")
    if inside:
        return ReadError(
            f"has other text before its <{inside}>",
            path=source.path,
            hint="have the runner write its results into a file of their own",
        )
    start = head.text.split("\n", 1)[0][:24]
    shown = f"begins with “{start}”" if start.isprintable() else "is not text"
    return UnknownFormat(f"is not a result file: it {shown}", path=source.path, hint=hint)
