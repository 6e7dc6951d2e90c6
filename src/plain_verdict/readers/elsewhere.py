"""Reads files in another process or on another machine: what goes there, what comes back.

Most checks have nothing but a name, an outcome and a time: they come back as columns, which are cheap to send, the
others as JSON, which keeps the zones of times. What was read here and what was read elsewhere is the same.
"""

import io
from collections.abc import Iterator, Sequence
from functools import lru_cache
from pathlib import Path
from typing import BinaryIO

import msgspec

from plain_verdict.errors import ReadError
from plain_verdict.inputs.source import Source
from plain_verdict.model import Check, Kind, Outcome, ResultFile, passed_in
from plain_verdict.readers import Readers, find_reader, read_with, readable, readers_with
from plain_verdict.settings.limits import Limits
from plain_verdict.settings.shapes import Shape


class Piece(msgspec.Struct, frozen=True):
    """A source that can be sent: by its path, or with its bytes where another machine reads it."""

    path: str
    file: str
    size_bytes: int
    explicit: bool
    go: int
    kind: Kind | None
    data: bytes | None

    def source(self) -> Source:
        """Return the source that it is of."""
        of_file = (self.size_bytes, self.explicit, self.file)
        return Source(self.path, self._open, *of_file, go=self.go, kind=self.kind)

    def _open(self) -> BinaryIO:
        return Path(self.file).open("rb") if self.data is None else io.BytesIO(self.data)


class Batch(msgspec.Struct, frozen=True):
    """Several pieces that are read one after the other: small ones would cost more to send than to read."""

    pieces: tuple[Piece, ...]
    limits: Limits
    shapes: tuple[Shape, ...]


class SentFile(msgspec.Struct, frozen=True):
    """A file that was read. ``rest`` is the file without checks; the others are by check, in their order.

    Of ``ids``, ``names`` and ``took_s`` there are as many as plain checks, as ``plain`` says; ``others`` is JSON.
    """

    rest: ResultFile
    kinds: tuple[Kind, ...]
    suites: tuple[tuple[str, ...], ...]
    suite_of: tuple[int, ...]
    kind_of: tuple[int, ...]
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
        for is_plain, suite, kind in zip(self.plain, self.suite_of, self.kind_of, strict=True):
            if is_plain:
                id_, name, took_s = next(plain)
                yield Check(id_, self.kinds[kind], self.suites[suite], name, passed_in(took_s))
            else:
                other = next(others)
                # All checks of a suite share its path, as they do where they are read.
                msgspec.structs.force_setattr(other, "suite", self.suites[suite])
                yield other


Result = SentFile | ReadError | None
"""What comes of a piece; None: samples, which are counted where they are, block by block."""


@lru_cache(1)
def _others() -> "msgspec.json.Decoder[list[Check]]":
    return msgspec.json.Decoder(list[Check])


def send(file: ResultFile) -> SentFile:
    """Return a file in the form in which it is sent."""
    checks = file.checks
    suites = {suite: number for number, suite in enumerate(dict.fromkeys([check.suite for check in checks]))}
    kinds = {kind: number for number, kind in enumerate(dict.fromkeys([check.kind for check in checks]))}
    is_plain = [_is_plain(check) for check in checks]
    plain = [check for check, yes in zip(checks, is_plain, strict=True) if yes]
    return SentFile(
        msgspec.structs.replace(file, checks=()),
        tuple(kinds),
        tuple(suites),
        tuple([suites[check.suite] for check in checks]),
        tuple([kinds[check.kind] for check in checks]),
        bytes(is_plain),
        tuple([check.id for check in plain]),
        tuple([check.name for check in plain]),
        tuple([check.attempts[-1].took_s for check in plain]),
        msgspec.json.encode([check for check, yes in zip(checks, is_plain, strict=True) if not yes]),
    )


def _is_plain(check: Check) -> bool:
    """Return whether a check is all told by its suite, id, name and time."""
    last = check.attempts[-1]
    return (
        last.outcome is Outcome.PASSED
        and last.started is None
        and not last.number
        and not last.cause
        and not check.has_details
        and not check.parameters
        and not check.variant
        and not check.apart
        and check.rule is None
    )


def read_batch(batch: Batch) -> list[Result]:
    """Return what came of each piece."""
    readers = _readers(batch.shapes)
    return [_read(piece.source(), batch.limits, readers) for piece in batch.pieces]


def _read(source: Source, limits: Limits, readers: Readers) -> Result:
    try:
        with readable(source):
            reader = find_reader(source, readers)
            return None if readers.counts(reader) else send(read_with(reader, source, limits, _tell_nobody))
    except ReadError as error:
        return error


def _tell_nobody(_bytes: int) -> None:
    """Take no note of how far it is: whole files are told."""


_last: tuple[Sequence[Shape], Readers] | None = None


def _readers(shapes: Sequence[Shape]) -> Readers:
    """Return the readers for these shapes; a worker is asked for the same ones again and again."""
    global _last  # noqa: PLW0603  of a worker, which does one thing at a time
    if _last is None or _last[0] != shapes:
        _last = (shapes, readers_with(shapes))
    return _last[1]
