"""Cuts a table of any size into blocks at line ends outside quotes."""

from collections.abc import Iterator
from typing import BinaryIO, NamedTuple

BLOCK_BYTES = 8_000_000  # at once: some 100,000 rows, so that columns stay small
_QUOTE, _END = b'"', b"\n"


class Part(NamedTuple):
    """Some whole rows, and the number of the line that they begin in; the last may lack its end."""

    data: bytes
    line: int


def blocks(stream: BinaryIO, line: int, block_bytes: int = BLOCK_BYTES) -> Iterator[Part]:
    """Yield the rows from here on in blocks; ``line`` is the number of the line that comes next.

    Where a quote is never closed, a block ends at any line: whoever reads the rows tells which is wrong.
    """
    held = b""
    while chunk := stream.read(block_bytes):
        data = held + chunk
        end = last_end(data)
        if end < 0 and len(data) > 2 * block_bytes:  # no row is so long
            end = data.rfind(_END)
            end = len(data) - 1 if end < 0 else end
        held = data[end + 1 :]
        if end >= 0:
            yield Part(data[: end + 1], line)
            line += data.count(_END, 0, end + 1)
    if held:
        yield Part(held, line)


def last_end(data: bytes) -> int:
    """Return the place of the last line end outside quotes, -1 where there is none."""
    stop, odd = len(data), data.count(_QUOTE) % 2
    while True:
        end = data.rfind(_END, 0, stop)
        if end < 0:
            return -1
        odd ^= data.count(_QUOTE, end + 1, stop) % 2
        if not odd:
            return end
        # All ends back to the quote before this one are inside quotes, too.
        stop, odd = data.rfind(_QUOTE, 0, end), 0
