"""Reads files in another process or on another machine: what goes there, what comes back.

Most checks have nothing but a name, an outcome and a time: they come back as columns, which are cheap to send, the
others as JSON, which keeps the zones of times. What was read here and what was read elsewhere is the same.
"""

import io
import threading
import zlib
from array import array
from collections.abc import Callable, Iterator
from functools import lru_cache
from itertools import compress
from math import nan
from operator import not_
from pathlib import Path
from typing import BinaryIO

import msgspec

from plain_verdict.inputs.archives import Unpacking, is_archive
from plain_verdict.inputs.shared_files import Seen, Unseen, not_as_seen
from plain_verdict.inputs.source import Source
from plain_verdict.model import Check, Kind, ResultFile, passed_in
from plain_verdict.readers import Formats, Readers, find_reader, patience_s, read_with, readable, readers_with
from plain_verdict.readers.jobs import jobs_of
from plain_verdict.readers.samples.options import IN_THREADS, SamplesOptions
from plain_verdict.runtime.errors import ReadError
from plain_verdict.runtime.executors import Engine
from plain_verdict.runtime.guard import guarded
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
    data: bytes | None = None
    seen: Seen | None = None
    packed: bool = False
    fetch: Callable[[], bytes] | None = None

    def source(self) -> Source:
        """Return the source that it is of."""
        of_file = (self.size_bytes, self.explicit, self.file, self.given)
        return Source(self.path, self._open, *of_file, go=self.go, kind=self.kind)

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

    @property
    def carries_data(self) -> bool:
        """Return whether files themselves are sent, not only their names."""
        return any(piece.data is not None for piece in self.pieces)


_WIRE_LEVEL = 1  # of zlib: more costs workers more than a network does
Group = tuple[Kind, tuple[str, ...]]
"""The kind and the suite of checks."""


class SentFile(msgspec.Struct, frozen=True):
    """A file that was read. ``rest`` is the file without checks; the others are by check, in their order.

    Of ids, names and times there are as many as plain checks, as ``plain`` says: texts with a line end between
    them, and floats of 64 bits, not a number for none. ``group_of`` are integers of 32 bits, ``others`` is JSON.
    All are deflated (zlib, RFC 1950) where they go to another machine.
    """

    rest: ResultFile
    groups: tuple[Group, ...]
    is_deflated: bool
    group_of: bytes
    plain: bytes
    ids: bytes
    names: bytes
    took_s: bytes
    others: bytes

    def file(self) -> ResultFile:
        """Return the file as it was read."""
        return msgspec.structs.replace(self.rest, checks=tuple(self._checks()))

    def _content(self, column: bytes) -> bytes:
        return zlib.decompress(column) if self.is_deflated else column

    def _checks(self) -> Iterator[Check]:
        others = iter(_others().decode(self._content(self.others)))
        ids, names = (self._content(column).decode("utf-8", "surrogatepass") for column in (self.ids, self.names))
        times, group_of = array("d"), array("I")
        times.frombytes(self._content(self.took_s))
        group_of.frombytes(self._content(self.group_of))
        plain = zip(ids.split("\n"), names.split("\n"), times, strict=False)
        for is_plain, number in zip(self._content(self.plain), group_of, strict=True):
            group = self.groups[number]
            if is_plain:
                id_, name, took_s = next(plain)
                yield _plain(id_, group, name, took_s if took_s == took_s else None)  # noqa: PLR0124  not a number
            else:
                other = next(others)
                # All checks of a suite share its path, as they do where they are read.
                msgspec.structs.force_setattr(other, "suite", group[1])
                yield other


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
"""What comes of a piece; None: samples, which are counted where they are, block by block."""


@lru_cache(1)
def _others() -> "msgspec.json.Decoder[list[Check]]":
    return msgspec.json.Decoder(list[Check])


def send(file: ResultFile, *, is_far: bool = False) -> SentFile:
    """Return a file in the form in which it is sent, to another machine or to another process of this one."""
    groups: dict[Group, int] = {}
    group_of = [groups.setdefault((check.kind, check.suite), len(groups)) for check in file.checks]
    is_plain = [_is_plain(check) for check in file.checks]
    plain = list(compress(file.checks, is_plain))
    times = [check.attempts[-1].took_s for check in plain]
    columns = [
        array("I", group_of).tobytes(),
        bytes(is_plain),
        "\n".join([check.id for check in plain]).encode("utf-8", "surrogatepass"),
        "\n".join([check.name for check in plain]).encode("utf-8", "surrogatepass"),
        array("d", [nan if took_s is None else took_s for took_s in times]).tobytes(),
        msgspec.json.encode(list(compress(file.checks, map(not_, is_plain)))),
    ]
    if is_far:
        columns = [zlib.compress(column, _WIRE_LEVEL) for column in columns]
    return SentFile(msgspec.structs.replace(file, checks=()), tuple(groups), is_far, *columns)


def _is_plain(check: Check) -> bool:
    """Return whether a check is all told by kind, suite, id, name and time: whether one made of them equals it."""
    return "\n" not in check.name and check == _plain(
        check.id, (check.kind, check.suite), check.name, check.attempts[-1].took_s
    )


def _plain(id_: str, group: Group, name: str, took_s: float | None) -> Check:
    return Check(id_, *group, name, passed_in(took_s))


def read_batch(batch: Batch) -> list[Result]:
    """Return what came of each piece."""
    readers = _readers(batch.formats, batch.samples)
    return [_read_piece(piece, batch, readers) for piece in batch.pieces]


def _read_piece(piece: Piece, batch: Batch, readers: Readers) -> Result:
    if piece.fetch:
        try:
            data = piece.fetch()
        except ReadError as error:
            return error
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
    """Return what came of a source; None for samples where they are not ``counted`` here."""
    try:
        with guarded(source.path, patience_s(source)), readable(source):
            reader = find_reader(source, readers)
            if readers.counts(reader) and not counted:
                return None
            return send(read_with(reader, source, batch.limits, _ignore_progress), is_far=batch.samples is not None)
    except ReadError as error:
        return error


def _read_members(source: Source, batch: Batch, readers: Readers) -> Members:
    """Return what came of all that an archive holds."""
    unpacking = Unpacking(batch.limits)
    members: list[Member] = []
    trouble = None
    try:
        with guarded(source.path):
            for job in jobs_of(source, unpacking, readers):
                read = job.read
                result = _read(read, batch, readers, counted=True)
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
