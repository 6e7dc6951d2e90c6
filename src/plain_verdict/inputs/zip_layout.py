"""Tells whether a zip file holds more than its own list of files says: another zip next to it, lost entries.

Source: APPNOTE.TXT, .ZIP File Format Specification, sections 4.3.6 (overall format), 4.3.7 (local file header),
4.3.9 (data descriptor), 4.3.12 (central directory) and 4.3.16 (its end).
"""

import struct
from typing import IO, TYPE_CHECKING, BinaryIO

if TYPE_CHECKING:
    import zipfile

_LOCAL, _LOCAL_BYTES = b"PK\x03\x04", 30
_CENTRAL, _CENTRAL_BYTES = b"PK\x01\x02", 46
_END, _END_BYTES = b"PK\x05\x06", 22
_END_64, _LOCATOR_64, _LOCATOR_64_BYTES = b"PK\x06\x06", b"PK\x06\x07", 20
_DESCRIPTOR = b"PK\x07\x08"
_HAS_DESCRIPTOR = 8  # APPNOTE.TXT 6.3.10, section 4.4.4, bit 3
_DESCRIPTOR_BYTES = (12, 16, 20, 24)
"""With a signature or without, of 32 or 64 bits."""
_CHUNK_BYTES = 1 << 20


def holds_more(stream: BinaryIO, archive: "zipfile.ZipFile") -> bool:
    """Return whether bytes that are not zero belong to none of the files that the list at the end names."""
    at = 0
    for entry in sorted(archive.infolist(), key=lambda zip_info: zip_info.header_offset):
        if entry.header_offset > at and _has_content(stream, at, entry.header_offset):
            return True
        at = max(at, _end_of(stream, entry))
    if _has_content(stream, at, archive.start_dir):
        return True
    behind = _end_of_list(stream, archive)
    return _has_content(stream, behind, stream.seek(0, 2))


def _end_of(stream: IO[bytes], entry: "zipfile.ZipInfo") -> int:
    """Return where the content of a file ends, with its data descriptor."""
    stream.seek(entry.header_offset)
    head = stream.read(_LOCAL_BYTES)
    name_bytes, extra_bytes = struct.unpack_from("<HH", head, 26)
    end = entry.header_offset + _LOCAL_BYTES + name_bytes + extra_bytes + entry.compress_size
    if not entry.flag_bits & _HAS_DESCRIPTOR:
        return int(end)
    stream.seek(end)
    behind = stream.read(max(_DESCRIPTOR_BYTES) + len(_LOCAL))
    signed = behind.startswith(_DESCRIPTOR)
    for size in _DESCRIPTOR_BYTES:
        follows = behind[size : size + len(_LOCAL)]
        if follows in (_LOCAL, _CENTRAL) and signed == (size in (16, 24)):
            return int(end) + size
    return int(end)


def _end_of_list(stream: IO[bytes], archive: "zipfile.ZipFile") -> int:
    """Return where the list of files and what closes it end."""
    at = archive.start_dir
    for _ in archive.infolist():
        stream.seek(at)
        name_bytes, extra_bytes, comment_bytes = struct.unpack_from("<HHH", stream.read(_CENTRAL_BYTES), 28)
        at += _CENTRAL_BYTES + name_bytes + extra_bytes + comment_bytes
    stream.seek(at)
    head = stream.read(12)
    if head.startswith(_END_64):
        at += 12 + struct.unpack_from("<Q", head, 4)[0] + _LOCATOR_64_BYTES
        stream.seek(at)
        head = stream.read(12)
    if not head.startswith(_END):
        return int(at)
    stream.seek(at)
    end = stream.read(_END_BYTES)
    return int(at) + _END_BYTES + int(struct.unpack_from("<H", end, 20)[0])


def _has_content(stream: IO[bytes], start: int, end: int) -> bool:
    stream.seek(start)
    while start < end and (chunk := stream.read(min(_CHUNK_BYTES, end - start))):
        if chunk.strip(b"\0"):
            return True
        start += len(chunk)
    return False
