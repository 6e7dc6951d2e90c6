"""Samples as JSON Lines: one object a line; values deeper in are named by their way, like ``timings.total``."""

from collections.abc import Iterator, Sequence
from typing import BinaryIO

import msgspec

from plain_verdict.readers.csv_text import BadRow
from plain_verdict.readers.samples.blocks import BLOCK_BYTES, Part
from plain_verdict.readers.samples.cells import Cells
from plain_verdict.readers.samples.columns import Columns
from plain_verdict.readers.samples.rows import Rows
from plain_verdict.text.json_text import decode_typed, flatten, key_twice, may_have_twice

_any = msgspec.json.Decoder()


def line_blocks(stream: BinaryIO, line: int) -> Iterator[Part]:
    """Yield whole lines from here on in blocks."""
    held = b""
    while chunk := stream.read(BLOCK_BYTES):
        data = held + chunk
        end = data.rfind(b"\n") + 1
        held = data[end:]
        if end:
            part = Part.of(data[:end], line)
            line += part.ends
            yield part
    if held:
        yield Part.of(held, line)


class LinesParser:
    """Parses the blocks of one file."""

    def __init__(self, columns: Columns) -> None:
        self.columns = columns
        self._rows = Rows(columns)

    def of(self, columns: Columns) -> "LinesParser":
        """Return the parser for the same rows, seen otherwise."""
        return LinesParser(columns)

    def parse(self, part: Part) -> Iterator[Cells | BadRow]:
        """Yield the samples of a part, and each line that is none."""
        good: list[Sequence[str]] = []
        last = part.line + part.ends
        for number, line in enumerate(part.data.split(b"\n"), part.line):
            if not line.strip():
                continue
            try:
                value = decode_typed(line, _any)
            except (msgspec.DecodeError, UnicodeDecodeError):
                cut = number == last  # with an end, nothing would stand in the last line
                yield BadRow(number, "is truncated" if cut else "is not JSON")
                continue
            if type(value) is not dict:
                yield BadRow(number, "is not an object")
                continue
            if may_have_twice(line, value) and key_twice(line) is not None:
                yield BadRow(number, "has a key twice")
                continue
            cells = flatten(value)
            row = [cells.get(name, "") for name in self.columns.names]
            why = self._rows.why_bad(row)
            if why is None:
                good.append(row)
            else:
                yield BadRow(number, why)
        if good:
            yield self._rows.cells_of(good)
