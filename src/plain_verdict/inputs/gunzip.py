"""Reads gzip as it comes, of any size and of several members, and says where it is damaged."""

import io
import zlib
from collections.abc import Callable
from typing import TYPE_CHECKING, BinaryIO

from plain_verdict.settings.limits import FREE_UNPACKED_BYTES, MOST_UNPACKED

if TYPE_CHECKING:
    from _typeshed import WriteableBuffer as Buffer

_INFLATE_BYTES = 1 << 16  # at a time: a bomb is noticed before it is unpacked
_PIECE_BYTES = 64  # of a damaged chunk, to unpack as much of it as there is
_GZIP_ONLY = 31  # zlib's word for the format of RFC 1952


class Gunzipped(io.RawIOBase):
    """What a gzip file holds. Where it is truncated or damaged, it ends there, and ``on_damage`` is given why."""

    def __init__(self, stream: BinaryIO, on_damage: Callable[[str], None]) -> None:
        self._stream = stream
        self._on_damage = on_damage
        self._unzip = zlib.decompressobj(_GZIP_ONLY)
        self._packed = b""
        self._held = memoryview(b"")
        self._begun = False
        self._damaged = False
        self._read = self._unpacked = 0

    def readable(self) -> bool:
        """Return True."""
        return True

    def close(self) -> None:
        """Close the packed stream as well."""
        self._stream.close()
        super().close()

    def readinto(self, buffer: "Buffer") -> int:
        """Fill the buffer as far as there is something."""
        while not self._held:
            if self._damaged or not self._more():
                return 0
        room = memoryview(buffer).cast("B")
        size = min(len(room), len(self._held))
        room[:size] = self._held[:size]
        self._held = self._held[size:]
        return size

    def _more(self) -> bool:
        """Unpack some more; return whether there was any."""
        packed = self._packed
        if not packed:
            packed = self._stream.read(_INFLATE_BYTES)
            self._read += len(packed)
        self._packed = b""
        if not packed:
            if self._begun:
                self._damage("it is truncated")
            return False
        self._begun = True
        if self._unpacked > MOST_UNPACKED * self._read + FREE_UNPACKED_BYTES:
            self._damage(f"it unpacks to more than {MOST_UNPACKED} times its size")
            return False
        before = self._unzip.copy()
        try:
            self._held = memoryview(self._unzip.decompress(packed, 1 << 20))
            self._unpacked += len(self._held)
            self._packed = self._unzip.unconsumed_tail
            if self._unzip.eof:
                self._packed = self._unzip.unused_data.lstrip(b"\0")  # some pad their members
                self._unzip, self._begun = zlib.decompressobj(_GZIP_ONLY), False
        except zlib.error as error:
            self._held = memoryview(_as_far_as_it_goes(before, packed))
            self._damage(f"it is damaged ({str(error).rpartition(': ')[2] or error})")
        return True

    def _damage(self, why: str) -> None:
        self._damaged = True
        self._on_damage(why)


def _as_far_as_it_goes(unzip: "zlib._Decompress", packed: bytes) -> bytes:
    """Return what can be unpacked of a damaged chunk, up to a few bytes before the damage."""
    found = b""
    try:
        for at in range(0, len(packed), _PIECE_BYTES):
            found += unzip.decompress(packed[at : at + _PIECE_BYTES])
    except zlib.error:
        pass
    return found


def first_bytes(packed: bytes, most_bytes: int) -> bytes:
    """Return what the beginning of a gzip file holds, as far as it can be unpacked."""
    return _as_far_as_it_goes(zlib.decompressobj(_GZIP_ONLY), packed)[:most_bytes]
