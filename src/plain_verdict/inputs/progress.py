"""Tells how far reading is, byte by byte, without the readers knowing."""

from collections.abc import Callable, Iterator
from contextlib import AbstractContextManager, contextmanager
from io import BufferedReader, RawIOBase
from typing import TYPE_CHECKING, BinaryIO, Protocol

import msgspec

from plain_verdict.inputs.source import Source

if TYPE_CHECKING:
    from _typeshed import WriteableBuffer as Buffer

_BUFFER_BYTES = 1 << 17  # fewer calls than Python's own 8 kB


class OnProgress(Protocol):
    """Told how much is done, how much there is in all, and what it is: in reading, bytes, and a file's path.

    ``total`` None: nobody knows how much there is.
    """

    def __call__(self, done: int, total: int | None = None, what: str = "", /) -> None:
        """Take note of it."""
        ...


OnStep = Callable[[str], AbstractContextManager[OnProgress]]
"""Given a step of the work by its name, returns what is given how far it is while it lasts."""
OnBytesRead = Callable[[int], None]
"""Told how many bytes of one file are read."""


def _ignore_progress(_done: int, _total: int | None = None, _what: str = "") -> None:
    """Take no note of it."""


@contextmanager
def no_progress(_step: str) -> Iterator[OnProgress]:
    """Tell nobody."""
    yield _ignore_progress


class CountingStream(RawIOBase):
    """A stream that tells after each read how much was read from it."""

    def __init__(self, stream: BinaryIO, on_bytes_read: OnBytesRead) -> None:
        self._stream = stream
        self._on_bytes_read = on_bytes_read
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
        self._on_bytes_read(self._done)
        return len(data)

    def close(self) -> None:
        """Close the stream underneath as well."""
        self._stream.close()
        super().close()


def with_progress(source: Source, on_bytes_read: OnBytesRead) -> Source:
    """Return a source that tells how many of its bytes are read."""
    return msgspec.structs.replace(
        source, open=lambda: BufferedReader(CountingStream(source.open(), on_bytes_read), _BUFFER_BYTES)
    )
