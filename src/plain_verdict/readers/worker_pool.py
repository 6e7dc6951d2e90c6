"""Reads files in another process or on another machine: what goes there, what comes back.

Most checks have nothing but a name, an outcome and a time: they come back as columns, which are cheap to send, the
others as JSON, which keeps the zones of times. What was read here and what was read elsewhere is the same.
"""

import io
import threading
from collections.abc import Iterator
from functools import lru_cache
from itertools import compress
from operator import not_
from pathlib import Path
from typing import BinaryIO

import msgspec

from plain_verdict.inputs.source import Source
from plain_verdict.model import Check, Kind, ResultFile, passed_in
from plain_verdict.readers import Formats, Readers, find_reader, patience_s, read_with, readable, readers_with
from plain_verdict.runtime.errors import ReadError
from plain_verdict.runtime.guard import guarded
from plain_verdict.settings.limits import Limits


class Piece(msgspec.Struct, frozen=True):
    """A source that can be sent: by its path, or with its bytes where another machine reads it."""

    path: str
    file: str
    size_bytes: int
    explicit: bool
    given: tuple[str, ...]
    go: int
    kind: Kind | None
    data: bytes | None

    def source(self) -> Source:
        """Return the source that it is of."""
        of_file = (self.size_bytes, self.explicit, self.file, self.given)
        return Source(self.path, self._open, *of_file, go=self.go, kind=self.kind)

    def _open(self) -> BinaryIO:
        return Path(self.file).open("rb") if self.data is None else io.BytesIO(self.data)


class Batch(msgspec.Struct, frozen=True):
    """Several pieces that are read one after the other: small ones would cost more to send than to read."""

    pieces: tuple[Piece, ...]
    limits: Limits
    formats: Formats


Group = tuple[Kind, tuple[str, ...]]
"""The kind and the suite of checks."""


class SentFile(msgspec.Struct, frozen=True):
    """A file that was read. ``rest`` is the file without checks; the others are by check, in their order.

    Of ``ids``, ``names`` and ``took_s`` there are as many as plain checks, as ``plain`` says; ``others`` is JSON.
    """

    rest: ResultFile
    groups: tuple[Group, ...]
    group_of: tuple[int, ...]
    plain: bytes
    ids: tuple[str, ...]
    names: tuple[str, ...]
    took_s: tuple[float | None, ...]
    others: bytes

    def file(self) -> ResultFile:
        """Return the file as it was read."""
        return msgspec.structs.replace(self.rest, checks=tuple(self._checks()))

    def _checks(self) -> Iterator[Check]:
        others = iter(_others().decode(self.others))
        plain = zip(self.ids, self.names, self.took_s, strict=True)
        for is_plain, number in zip(self.plain, self.group_of, strict=True):
            group = self.groups[number]
            if is_plain:
                id_, name, took_s = next(plain)
                yield _plain(id_, group, name, took_s)
            else:
                other = next(others)
                # All checks of a suite share its path, as they do where they are read.
                msgspec.structs.force_setattr(other, "suite", group[1])
                yield other


Result = SentFile | ReadError | None
"""What comes of a piece; None: samples, which are counted where they are, block by block."""


@lru_cache(1)
def _others() -> "msgspec.json.Decoder[list[Check]]":
    return msgspec.json.Decoder(list[Check])


def send(file: ResultFile) -> SentFile:
    """Return a file in the form in which it is sent."""
    groups: dict[Group, int] = {}
    group_of = [groups.setdefault((check.kind, check.suite), len(groups)) for check in file.checks]
    is_plain = [_is_plain(check) for check in file.checks]
    plain = list(compress(file.checks, is_plain))
    return SentFile(
        msgspec.structs.replace(file, checks=()),
        tuple(groups),
        tuple(group_of),
        bytes(is_plain),
        tuple([check.id for check in plain]),
        tuple([check.name for check in plain]),
        tuple([check.attempts[-1].took_s for check in plain]),
        msgspec.json.encode(list(compress(file.checks, map(not_, is_plain)))),
    )


def _is_plain(check: Check) -> bool:
    """Return whether a check is all told by kind, suite, id, name and time: whether one made of them equals it."""
    return check == _plain(check.id, (check.kind, check.suite), check.name, check.attempts[-1].took_s)


def _plain(id_: str, group: Group, name: str, took_s: float | None) -> Check:
    return Check(id_, *group, name, passed_in(took_s))


def read_batch(batch: Batch) -> list[Result]:
    """Return what came of each piece."""
    readers = _readers(batch.formats)
    return [_read(piece.source(), batch.limits, readers) for piece in batch.pieces]


def _read(source: Source, limits: Limits, readers: Readers) -> Result:
    try:
        with guarded(source.path, patience_s(source)), readable(source):
            reader = find_reader(source, readers)
            return None if readers.counts(reader) else send(read_with(reader, source, limits, _ignore_progress))
    except ReadError as error:
        return error


def _ignore_progress(_bytes: int) -> None:
    """Take no note of how far it is: whole files are reported."""


class _Kept(threading.local):
    """The readers of the last formats: a worker is asked for the same ones again and again, in several threads."""

    formats: Formats | None = None
    readers: Readers


_kept = _Kept()


def _readers(formats: Formats) -> Readers:
    if _kept.formats != formats:
        _kept.formats, _kept.readers = formats, readers_with(formats)
    return _kept.readers
