"""Tells how far reading is, byte by byte, without the readers knowing."""

from collections.abc import Callable
from io import BufferedReader, RawIOBase
from typing import TYPE_CHECKING, BinaryIO

import msgspec

from plain_verdict.readers.interface import Source

if TYPE_CHECKING:
    from _typeshed import WriteableBuffer as Buffer

_BUFFER_BYTES = 1 << 17

Watch = Callable[[int, int, str], None]
"""Told how much is done, how much there is in all, and what it is: in reading, bytes and a file's path."""


Tell = Callable[[int], None]
"""Told how many bytes of one file are read."""


class WatchedStream(RawIOBase):
    """A stream that tells after each read how much was read from it."""

    def __init__(self, stream: BinaryIO, tell: Tell) -> None:
        self._stream = stream
        self._tell = tell
        self._done = 0

    def readable(self) -> bool:
        """Return that it can be read."""
        return True

    def readinto(self, buffer: "Buffer") -> int:
        """Fill the buffer with the next bytes, and tell how many there were by now."""
        view = memoryview(buffer)
        data = self._stream.read(len(view))
        view[: len(data)] = data
        self._done += len(data)
        self._tell(self._done)
        return len(data)

    def close(self) -> None:
        """Close the stream underneath as well."""
        self._stream.close()
        super().close()


def watched(source: Source, tell: Tell) -> Source:
    """Return a source that tells how many of its bytes are read."""
    return msgspec.structs.replace(
        source, open=lambda: BufferedReader(WatchedStream(source.open(), tell), _BUFFER_BYTES)
    )
