"""Opens archives: zip, tar (also compressed) and gzip, nested two deep, within limits, in memory.

Members are named ``archive.zip/folder/file.xml`` and never written to disk, so a path with ``..`` leads nowhere.
One is refused all the same: an archive that holds it was made to do harm.
"""

import gzip
import io
import tarfile
import zipfile
import zlib
from collections.abc import Iterator
from functools import partial
from pathlib import PurePosixPath
from typing import IO, BinaryIO

from plain_verdict.errors import ReadError
from plain_verdict.readers.interface import Source
from plain_verdict.settings import Limits
from plain_verdict.text import one_line
from plain_verdict.words import plural, size

_ZIP, _GZIP = b"PK\x03\x04", b"\x1f\x8b"
_EMPTY_ZIP = b"PK\x05\x06"
_TAR_MARK, _TAR_MARK_AT = b"ustar", 257
_PATH_CHARS = 400
_BROKEN = (zipfile.BadZipFile, tarfile.TarError, OSError, EOFError, ValueError, zlib.error, RuntimeError)
_HINT = "unpack it yourself, and give the files that are results"


def is_archive(head: bytes) -> bool:
    """Return whether a file that begins like this is an archive."""
    return head.startswith((_ZIP, _EMPTY_ZIP, _GZIP)) or head[_TAR_MARK_AT : _TAR_MARK_AT + 5] == _TAR_MARK


def members(source: Source, limits: Limits, depth: int = 1) -> Iterator[Source]:
    """Yield what an archive holds, archives inside it opened, too. Raises ReadError for a damaged or huge one."""
    spent = 0
    try:
        with source.open() as stream:
            for number, (name, data) in enumerate(_unpacked(stream, limits), 1):
                spent += len(data)
                _check_limits(source, number, spent, limits)
                path = PurePosixPath(name.replace("\\", "/"))
                shown = one_line(f"{source.path}/{path}" if name else source.path, _PATH_CHARS)
                inner = Source(shown, partial(io.BytesIO, data), len(data), explicit=False)
                if path.is_absolute() or ".." in path.parts:
                    yield _refused(shown, "its path leads out of the archive")
                elif not is_archive(data[:512]):
                    yield inner
                elif depth >= limits.archive_depth:
                    yield _refused(shown, f"it is nested deeper than {plural(limits.archive_depth, 'archive')}")
                else:
                    yield from members(inner, limits, depth + 1)
    except _BROKEN as error:
        what = one_line(str(error), 100) or type(error).__name__
        raise ReadError(f"is a damaged archive ({what})", path=source.path, hint="make it again") from error


def _refused(path: str, why: str) -> Source:
    def refuse() -> BinaryIO:
        raise OSError(None, why, path)

    return Source(path, refuse, 0)


def _check_limits(source: Source, number: int, spent: int, limits: Limits) -> None:
    if number > limits.archive_files:
        raise ReadError(f"holds more than {plural(limits.archive_files, 'file')}", path=source.path, hint=_HINT)
    if spent > limits.archive_bytes:
        raise ReadError(f"unpacks to more than {size(limits.archive_bytes)}", path=source.path, hint=_HINT)


def _unpacked(stream: BinaryIO, limits: Limits) -> Iterator[tuple[str, bytes]]:
    """Yield (name, content) of each file; a gzip file is one file without a name of its own, or a tar inside."""
    head = stream.read(512)
    stream.seek(0)
    if head.startswith((_ZIP, _EMPTY_ZIP)):
        with zipfile.ZipFile(stream) as archive:
            for entry in sorted(archive.infolist(), key=lambda one: one.filename):
                if not entry.is_dir() and _wanted(entry.filename):
                    with archive.open(entry) as file:
                        yield entry.filename, _read(file, limits)
    elif head.startswith(_GZIP):
        with gzip.open(stream) as file:
            data = _read(file, limits)
        if data[_TAR_MARK_AT : _TAR_MARK_AT + 5] == _TAR_MARK:
            yield from _from_tar(io.BytesIO(data), limits)
        else:
            yield "", data
    else:
        yield from _from_tar(stream, limits)


def _from_tar(stream: BinaryIO, limits: Limits) -> Iterator[tuple[str, bytes]]:
    with tarfile.open(fileobj=stream, mode="r:") as archive:
        for entry in sorted(archive, key=lambda one: one.name):
            # Links and devices have no content of their own.
            file = archive.extractfile(entry) if entry.isreg() and _wanted(entry.name) else None
            if file is not None:
                yield entry.name, _read(file, limits)


def _wanted(name: str) -> bool:
    """Return whether a member may be a result; what some systems add by themselves is not."""
    return "__MACOSX" not in name and not PurePosixPath(name).name.startswith("._")


def _read(file: "gzip.GzipFile | IO[bytes]", limits: Limits) -> bytes:
    """Return a member's content; one byte over the limit is enough to know that there is too much."""
    return file.read(limits.archive_bytes + 1)
