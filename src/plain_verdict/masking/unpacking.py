"""Looks into packed bytes, so that a secret in a zip or gzip file that is offered for download is found."""

import io
import zipfile
import zlib
from collections.abc import Iterator

_MOST_UNPACKED_BYTES = 100_000_000
"""Unpacked, of one file."""
_MOST_MEMBERS = 5_000  # of an archive that is evidence: more are left out, and that is told
_GZIP_WINDOW = 31  # zlib's word for the format of RFC 1952


def unpacked(data: bytes) -> Iterator[bytes]:
    """Yield bytes as they are, then what is packed in them, as far as it can be read within limits."""
    yield data
    if data[:2] == b"\x1f\x8b":
        try:
            yield zlib.decompressobj(_GZIP_WINDOW).decompress(data, _MOST_UNPACKED_BYTES)
        except zlib.error:
            return
    elif data[:4] == b"PK\x03\x04":
        yield from _members(data)


def _members(data: bytes) -> Iterator[bytes]:
    room = _MOST_UNPACKED_BYTES
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            for member in archive.infolist()[:_MOST_MEMBERS]:
                yield member.filename.encode("utf-8", "surrogatepass")
                with archive.open(member) as file:
                    inside = file.read(room)
                room -= len(inside)
                yield inside
    except (OSError, ValueError, RuntimeError, NotImplementedError, zipfile.BadZipFile, zlib.error, EOFError):
        return  # damaged, or packed with a password
