"""Reads files in another process or on another machine: what goes there, what comes back.

Plain checks come back as columns, which are cheap to send, the others as JSON, which keeps the zones of times. What
was read here and what was read elsewhere is the same.
"""

import io
import threading
import zlib
from array import array
from collections.abc import Callable
from functools import lru_cache
from pathlib import Path
from typing import BinaryIO

import msgspec

from plain_verdict.inputs.archives import Unpacking, is_archive
from plain_verdict.inputs.shared_files import Seen, Unseen, not_as_seen
from plain_verdict.inputs.source import Source
from plain_verdict.model import Check, Checks, Kind, PlainChecks, ResultFile
from plain_verdict.readers import (
    Formats,
    Readers,
    find_reader,
    is_known,
    patience_s,
    read_with,
    readable,
    readers_with,
)
from plain_verdict.readers.jobs import jobs_of
from plain_verdict.readers.samples.options import IN_THREADS, SamplesOptions
from plain_verdict.runtime.errors import ReadError
from plain_verdict.runtime.executors import Engine
from plain_verdict.runtime.guard import guarded
from plain_verdict.runtime.work import WIRE_LEVEL
from plain_verdict.settings.limits import Limits


class Piece(msgspec.Struct, frozen=True):
    """A source that can be sent: by its path, or with its bytes where another machine can't see it.

    ``seen`` is the file as it is here: another machine makes sure that it sees the same. ``packed``: an archive.
    ``fetch`` fetches it there instead, from where it lies.
    """

    path: str
    file: str
    size_bytes: int
    explicit: bool
    given: tuple[str, ...]
    go: int
    kind: Kind | None
    written_s: float | None
    data: bytes | None = None
    seen: Seen | None = None
    packed: bool = False
    fetch: Callable[[], bytes] | None = None

    def source(self) -> Source:
        """Return the source that it is of."""
        of_file = (self.size_bytes, self.explicit, self.file, self.given)
        return Source(self.path, self._open, *of_file, go=self.go, kind=self.kind, written_s=self.written_s)

    def _open(self) -> BinaryIO:
        return Path(self.file).open("rb") if self.data is None else io.BytesIO(self.data)


class SamplesWanted(msgspec.Struct, frozen=True):
    """What is wanted of samples, as ``SamplesOptions`` has it, without the engine."""

    metrics: tuple[str, ...]
    leave_out_s: float


WHOLE_BYTES = 64_000_000
"""Of a file of samples that one worker counts; a larger one is counted in parts, by all of them."""


class Batch(msgspec.Struct, frozen=True):
    """Several pieces that are read one after the other: small ones would cost more to send than to read."""

    pieces: tuple[Piece, ...]
    limits: Limits
    formats: Formats
    samples: SamplesWanted | None = None
    """How samples are counted there; None: they are counted where the batch comes from."""
    unknown_stay: bool = False
    """Files of no known format are left to whoever sent the batch: it has extensions."""

    @property
    def carries_data(self) -> bool:
        """Return whether files themselves are sent, not only their names."""
        return any(piece.data is not None for piece in self.pieces)


class SentFile(msgspec.Struct, frozen=True):
    """A file that was read. ``rest`` is the file without checks; they are as ``Checks`` keeps them.

    ``plain`` is in MessagePack, ``detailed`` is JSON, ``before`` are integers of 64 bits. All are deflated (zlib,
    RFC 1950) where they go to another machine.
    """

    rest: ResultFile
    is_deflated: bool
    plain: bytes
    before: bytes
    detailed: bytes

    def file(self) -> ResultFile:
        """Return the file as it was read."""
        plain = _plain().decode(self._content(self.plain))
        detailed = _detailed().decode(self._content(self.detailed))
        before = array("q")
        before.frombytes(self._content(self.before))
        # All checks of a suite share its path, as they do where they are read.
        suites = {part.suite: part.suite for part in plain}
        for check in detailed:
            msgspec.structs.force_setattr(check, "suite", suites.setdefault(check.suite, check.suite))
        return msgspec.structs.replace(self.rest, checks=Checks(detailed, before, plain))

    def _content(self, column: bytes) -> bytes:
        return zlib.decompress(column) if self.is_deflated else column


class Member(msgspec.Struct, frozen=True):
    """What came of a file in an archive: how it is named and was found, as ``Source`` has it."""

    path: str
    size_bytes: int
    explicit: bool
    passed_over: str
    result: SentFile | ReadError


class Members(msgspec.Struct, frozen=True):
    """What came of an archive: its files, and why it could not be read to its end; how much was unpacked."""

    members: tuple[Member, ...]
    trouble: ReadError | None
    files: int
    size_bytes: int


Result = SentFile | ReadError | Members | Unseen | None
"""What comes of a piece; None: samples, which are counted where they are, block by block, and what stays."""


@lru_cache(1)
def _plain() -> "msgspec.msgpack.Decoder[list[PlainChecks]]":
    return msgspec.msgpack.Decoder(list[PlainChecks])


@lru_cache(1)
def _detailed() -> "msgspec.json.Decoder[list[Check]]":
    return msgspec.json.Decoder(list[Check])


def send(file: ResultFile, *, is_far: bool = False) -> SentFile:
    """Return a file in the form in which it is sent, to another machine or to another process of this one."""
    checks = Checks.of(file.checks)
    columns = [
        msgspec.msgpack.encode(checks.plain),
        checks.before.tobytes(),
        msgspec.json.encode(checks.detailed),
    ]
    if is_far:
        columns = [zlib.compress(column, WIRE_LEVEL) for column in columns]
    return SentFile(msgspec.structs.replace(file, checks=()), is_far, *columns)


def read_batch(batch: Batch) -> list[Result]:
    """Return what came of each piece."""
    readers = _readers(batch.formats, batch.samples)
    return [_read_piece(piece, batch, readers) for piece in batch.pieces]


def _read_piece(piece: Piece, batch: Batch, readers: Readers) -> Result:
    if piece.fetch:
        try:
            data = piece.fetch()
        except ReadError:
            return Unseen(is_there=False)  # who sent it here may have other rights
        fetched = msgspec.structs.replace(piece, data=data, size_bytes=len(data), packed=is_archive(data[:512]))
        if not fetched.packed:
            return _read(fetched.source(), batch, readers, counted=True)
        piece = fetched
    unseen = not_as_seen(piece.file, piece.seen) if piece.seen else None
    if unseen:
        return unseen
    if piece.packed:
        return _read_members(piece.source(), batch, readers)
    counted = bool(batch.samples) and piece.size_bytes <= WHOLE_BYTES
    return _read(piece.source(), batch, readers, counted=counted)


def _read(source: Source, batch: Batch, readers: Readers, *, counted: bool) -> SentFile | ReadError | None:
    """Return what came of a source; None for samples that are not ``counted`` here, and what stays."""
    try:
        with guarded(source.path, patience_s(source)), readable(source):
            if batch.unknown_stay and not is_known(source, readers):
                return None
            reader = find_reader(source, readers)
            if readers.counts(reader) and not counted:
                return None
            return send(read_with(reader, source, batch.limits, _ignore_progress), is_far=batch.samples is not None)
    except ReadError as error:
        return error


def _read_members(source: Source, batch: Batch, readers: Readers) -> Members | None:
    """Return what came of all that an archive holds; None where some of it is left to whoever sent it."""
    unpacking = Unpacking(batch.limits)
    members: list[Member] = []
    trouble = None
    try:
        with guarded(source.path):
            for job in jobs_of(source, unpacking, readers):
                read = job.read
                result = _read(read, batch, readers, counted=True)
                if result is None and batch.unknown_stay:
                    return None
                if result is not None:
                    members.append(Member(read.path, read.size_bytes, read.explicit, read.passed_over, result))
    except ReadError as error:
        trouble = error
    return Members(tuple(members), trouble, *unpacking.used)


def _ignore_progress(_bytes: int) -> None:
    """Take no note of how far it is: whole files are reported."""


class _Kept(threading.local):
    """The readers of the last formats: a worker is asked for the same ones again and again, in several threads."""

    wanted: tuple[Formats, SamplesWanted | None] | None = None
    readers: Readers


_kept = _Kept()


def _readers(formats: Formats, samples: SamplesWanted | None) -> Readers:
    if _kept.wanted != (formats, samples):
        options = SamplesOptions(Engine(), samples.metrics, samples.leave_out_s) if samples else IN_THREADS
        _kept.wanted, _kept.readers = (formats, samples), readers_with(formats, options)
    return _kept.readers
