"""Cuts a table of any size into blocks at line ends outside quotes."""

from collections.abc import Iterator
from typing import BinaryIO, NamedTuple

BLOCK_BYTES = 8_000_000
_QUOTE, _END = b'"', b"\n"


class Part(NamedTuple):
    """Some whole rows, and the number of the line that they begin in; the last may lack its end."""

    data: bytes
    line: int


def blocks(stream: BinaryIO, line: int, block_bytes: int = BLOCK_BYTES) -> Iterator[Part]:
    """Yield the rows from here on in blocks; ``line`` is the number of the line that comes next.

    A quote that is never closed makes one block of the rest: the rows in it are told apart by whoever reads it.
    """
    held = b""
    while True:
        chunk = stream.read(block_bytes)
        data = held + chunk
        if not chunk:
            if data:
                yield Part(data, line)
            return
        end = last_end(data)
        if end < 0:
            if len(data) > 8 * block_bytes:  # no row is so long: whoever reads it says what is wrong
                end = data.rfind(_END)
            if end < 0:
                held = data
                continue
        held = data[end + 1 :]
        yield Part(data[: end + 1], line)
        line += data.count(_END, 0, end + 1)


def last_end(data: bytes) -> int:
    """Return the place of the last line end outside quotes, -1 where there is none."""
    quotes = data.count(_QUOTE)
    end = data.rfind(_END)
    # Quotes behind the end are those of the row that goes on; the rest must be even.
    while end >= 0:
        behind = data.count(_QUOTE, end + 1)
        if (quotes - behind) % 2 == 0:
            return end
        end = data.rfind(_END, 0, end)
        if len(data) - end > BLOCK_BYTES // 2:
            return -1
    return -1


def split(part: Part, parts: int) -> Iterator[Part]:
    """Yield the rows of a part in so many smaller ones, about; a single row as it is."""
    size = max(1, len(part.data) // parts)
    data, line = part.data, part.line
    start = 0
    while start < len(data):
        end = data.find(_END, min(start + size, len(data) - 1))
        while end >= 0 and data.count(_QUOTE, start, end) % 2:
            end = data.find(_END, end + 1)
        stop = len(data) if end < 0 else end + 1
        yield Part(data[start:stop], line)
        line += data.count(_END, start, stop)
        start = stop
