"""Cuts a table of any size into blocks at line ends outside quotes."""

from collections.abc import Iterator
from typing import BinaryIO, NamedTuple

import numpy as np

BLOCK_BYTES = 8_000_000  # at once: some 100,000 rows, so that columns stay small
_COUNTED_BYTES = 1 << 17
_LONGEST_ROW_BYTES = 1_000_000  # to read a block to the end of its last row: a copy less
_QUOTE, _END = b'"', b"\n"


class Part(NamedTuple):
    """Some whole rows, the number of the line that they begin in, and how many line ends they have."""

    data: bytes
    line: int
    ends: int

    @classmethod
    def of(cls, data: bytes, line: int) -> "Part":
        """Return rows with their line ends counted: piece by piece, as the processor holds them near."""
        signs = np.frombuffer(data, np.uint8)
        pieces = range(0, signs.size, _COUNTED_BYTES)
        return cls(
            data, line, sum(int(np.count_nonzero(signs[at : at + _COUNTED_BYTES] == _END[0])) for at in pieces)
        )


def blocks(stream: BinaryIO, line: int, block_bytes: int = BLOCK_BYTES) -> Iterator[Part]:
    """Yield the rows from here on in blocks; ``line`` is the number of the line that comes next.

    Where a quote is never closed, a block ends at any line: whoever reads the rows tells which is wrong.
    """
    held = b""
    while chunk := stream.read(block_bytes):
        data = held + chunk if held else chunk + stream.readline(_LONGEST_ROW_BYTES)
        end = last_end(data)
        if end < 0 and len(data) > 2 * block_bytes:  # no row is so long
            end = data.rfind(_END)
            end = len(data) - 1 if end < 0 else end
        held = data[end + 1 :]
        if end >= 0:
            part = Part.of(data[: end + 1], line)
            line += part.ends
            yield part
    if held:
        yield Part.of(held, line)


def last_end(data: bytes) -> int:
    """Return the place of the last line end outside quotes, -1 where there is none."""
    if _QUOTE not in data:  # looking for any takes a tenth of counting them
        return data.rfind(_END)
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
