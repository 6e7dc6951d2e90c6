"""Opens archives: zip, tar (also compressed) and gzip, nested two deep, within limits.

Members are named ``archive.zip/folder/file.xml`` and get no file of such a name, so a path with ``..`` leads
nowhere. One is refused all the same: an archive that holds it was made to do harm.
"""

import gzip
import io
import tempfile
import weakref
import zipfile
from collections.abc import Iterator
from pathlib import PurePosixPath
from typing import IO, TYPE_CHECKING, BinaryIO

from plain_verdict.inputs.source import Source, shown_path
from plain_verdict.inputs.zip_layout import holds_more
from plain_verdict.runtime.errors import ReadError
from plain_verdict.settings.limits import Limits
from plain_verdict.text.cleaning import single_line
from plain_verdict.text.formatting import format_size, plural

if TYPE_CHECKING:
    import gzip

    from _typeshed import WriteableBuffer as Buffer

_ZIP, _GZIP = b"PK\x03\x04", b"\x1f\x8b"
_EMPTY_ZIP = b"PK\x05\x06"
_TAR_MARK, _TAR_MARK_AT = b"ustar", 257  # POSIX.1-2017, pax: the field magic of a header
_HEAD_BYTES = 512  # a header of tar has one block (POSIX.1-2017, pax)
_UNPACK_BYTES = 1 << 20  # at a time: limits are kept while unpacking, not after
_IN_MEMORY_BYTES = 32_000_000
"""Of one member; a larger one is held in a file without a name."""
_ARCHIVE_HINT = "unpack it and give the result files"


def is_archive(head: bytes) -> bool:
    """Return whether a file that begins like this is an archive."""
    return head.startswith((_ZIP, _EMPTY_ZIP, _GZIP)) or head[_TAR_MARK_AT : _TAR_MARK_AT + 5] == _TAR_MARK


class Unpacking:
    """How much was unpacked so far: the limits hold for all archives of a run together."""

    def __init__(self, limits: Limits) -> None:
        self.limits = limits
        self._files = 0
        self._bytes = 0

    def read(self, file: "gzip.GzipFile | IO[bytes]", path: str) -> "Held":
        """Return a member's content. Raises ReadError where it is too much."""
        limits = self.limits
        self._files += 1
        if self._files > limits.archive_files:
            many = plural(limits.archive_files, "file")
            raise ReadError(
                f"unpacks, with the archives before it, to more than {many}", path=path, hint=_ARCHIVE_HINT
            )
        held = Held()
        while chunk := file.read(_UNPACK_BYTES):
            held.add(chunk)
            self._bytes += len(chunk)
            if self._bytes > limits.archive_bytes:
                self._bytes -= held.size_bytes
                most = format_size(limits.archive_bytes)
                raise ReadError(
                    f"unpacks, with the archives before it, to more than {most}", path=path, hint=_ARCHIVE_HINT
                )
        return held

    @property
    def used(self) -> tuple[int, int]:
        """Return how many files and bytes were unpacked so far."""
        return self._files, self._bytes

    def take(self, files: int, size_bytes: int) -> bool:
        """Count what was unpacked elsewhere; return whether the limits allow it."""
        fits = (
            self._files + files <= self.limits.archive_files
            and self._bytes + size_bytes <= self.limits.archive_bytes
        )
        if fits:
            self._files += files
            self._bytes += size_bytes
        return fits

    def forget(self, held: "Held") -> None:
        """Take back what was counted for a content that is only the wrapping of others."""
        self._bytes -= held.size_bytes
        self._files -= 1


class Held:
    """What a member holds: in memory, or where it is large in a file without a name, which goes by itself."""

    def __init__(self) -> None:
        self.size_bytes = 0
        self.head = b""
        self._chunks: list[bytes] = []
        self._file: IO[bytes] | None = None

    def add(self, chunk: bytes) -> None:
        """Add bytes at the end."""
        self.head = self.head or chunk[:_HEAD_BYTES]
        self.size_bytes += len(chunk)
        if self._file is None and self.size_bytes > _IN_MEMORY_BYTES:
            self._file = tempfile.TemporaryFile(buffering=0)  # noqa: SIM115  it lives as long as its source
            weakref.finalize(self, self._file.close)
            for before in self._chunks:
                self._file.write(before)
            self._chunks.clear()
        if self._file is None:
            self._chunks.append(chunk)
        else:
            self._file.write(chunk)

    def open(self) -> BinaryIO:
        """Return a new stream over the content."""
        if self._file is None:
            self._chunks = [b"".join(self._chunks)]
            return io.BytesIO(self._chunks[0])
        return io.BufferedReader(_Spilled(self, self._file))


class _Spilled(io.RawIOBase):
    """Reads a file from the start, wherever others are in it."""

    def __init__(self, held: Held, file: IO[bytes]) -> None:
        self._held = held  # the file goes with it
        self._file = file
        self._at = 0

    def readable(self) -> bool:
        return True

    def seekable(self) -> bool:
        return True

    def seek(self, offset: int, whence: int = 0) -> int:
        self._at = offset + (0, self._at, self._held.size_bytes)[whence]
        return self._at

    def readinto(self, buffer: "Buffer") -> int:
        view = memoryview(buffer)
        self._file.seek(self._at)
        data = self._file.read(len(view))
        view[: len(data)] = data
        self._at += len(data)
        return len(data)


def members(source: Source, unpacking: Unpacking, depth: int = 1) -> Iterator[Source]:
    """Yield what an archive holds, archives inside it opened, too. Raises ReadError for a damaged or huge one."""
    limits = unpacking.limits
    try:
        with source.open() as stream:
            for name, held, written_s in _unpacked(stream, source, unpacking):
                path = PurePosixPath(name.replace("\\", "/"))
                shown = shown_path(f"{source.path}/{path}" if name else source.path)
                aside = source.passed_over or _why_passed_over(path)
                inner = Source(
                    shown,
                    held.open,
                    held.size_bytes,
                    explicit=False,
                    go=source.go,
                    written_s=written_s,
                    passed_over=aside,
                )
                if path.is_absolute() or ".." in path.parts:
                    yield _refused(shown, "its path points outside the archive")
                elif not is_archive(held.head):
                    yield inner
                elif depth >= limits.archive_depth:
                    yield _refused(shown, f"it is nested deeper than {plural(limits.archive_depth, 'archive')}")
                else:
                    yield from members(inner, unpacking, depth + 1)
    except ReadError:
        raise
    except Exception as error:
        # Decoders raise what they like at damaged archives; whatever it is, the other inputs are read.
        what = single_line(str(error), 100) or type(error).__name__
        raise ReadError(f"is a damaged archive ({what})", path=source.path, hint="make it again") from error


def _refused(path: str, why: str) -> Source:
    def refuse() -> BinaryIO:
        raise OSError(None, why, path)

    return Source(path, refuse, 0)


_Unpacked = tuple[str, "Held", float | None]


def _unpacked(stream: BinaryIO, source: Source, unpacking: Unpacking) -> Iterator[_Unpacked]:
    """Yield name, content and time of each file; a gzip file is one file without its own name, or a tar inside.

    The times in a zip have no zone, so they say nothing.
    """
    path = source.path
    head = stream.read(512)
    stream.seek(0)
    if head.startswith((_ZIP, _EMPTY_ZIP)):
        with zipfile.ZipFile(stream) as archive:
            for entry in sorted(archive.infolist(), key=lambda member: member.filename):
                if not entry.is_dir():
                    with archive.open(entry) as file:
                        yield entry.filename, unpacking.read(file, path), None
            if holds_more(stream, archive):
                raise zipfile.BadZipFile("it holds more data than its directory lists")
    elif head.startswith(_GZIP):
        with gzip.open(stream) as file:
            held = unpacking.read(file, path)
        if held.head[_TAR_MARK_AT : _TAR_MARK_AT + 5] == _TAR_MARK:
            unpacking.forget(held)
            with held.open() as inner:
                yield from _from_tar(inner, path, unpacking)
        else:
            yield "", held, source.written_s
    else:
        yield from _from_tar(stream, path, unpacking)


def _from_tar(stream: BinaryIO, path: str, unpacking: Unpacking) -> Iterator[_Unpacked]:
    import tarfile  # for archives of this kind

    with tarfile.open(fileobj=stream, mode="r:") as archive:
        for entry in sorted(archive, key=lambda member: member.name):
            # Links and devices have no content of their own.
            file = archive.extractfile(entry) if entry.isreg() else None
            if file is not None:
                yield entry.name, unpacking.read(file, path), entry.mtime
        # Source: POSIX.1-2017, pax, "ustar Interchange Format": two blocks of zeros end an archive
        stream.seek(archive.offset)
        if stream.read(512).strip(b"\0") or not stream.tell() > archive.offset:
            raise tarfile.ReadError("it is truncated")
        while rest := stream.read(_UNPACK_BYTES):
            if rest.strip(b"\0"):
                raise tarfile.ReadError("there is more data after its end")


def _why_passed_over(path: PurePosixPath) -> str:
    """Return why a member is none that anybody meant to be read; "" for all others."""
    if "__MACOSX" in path.parts[:-1] or path.name.startswith("._"):
        return "is in a folder for system files"
    return "is a hidden file" if any(part.startswith(".") for part in path.parts if part not in (".", "..")) else ""
