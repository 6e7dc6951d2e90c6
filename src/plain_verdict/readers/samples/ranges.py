"""Counts a large file of samples in ranges of bytes, each on a worker of a cluster that sees the file itself.

A first pass counts line ends and quotes, so that each worker knows in which line its range begins, and whether
within a quoted cell.
"""

from collections.abc import Callable, Iterator, Sequence
from functools import partial
from io import BytesIO
from itertools import accumulate, pairwise
from pathlib import Path
from typing import BinaryIO, NamedTuple

from plain_verdict.inputs.shared_files import Seen, not_as_seen, see
from plain_verdict.inputs.source import Source
from plain_verdict.readers.samples.blocks import BLOCK_BYTES, Part, blocks
from plain_verdict.readers.samples.counting import Counted, Parser, count_parts, merged
from plain_verdict.readers.samples.opening import Opened
from plain_verdict.runtime.executors import Engine

_RANGE_BYTES = 64_000_000
_GROUPS = 2  # of ranges, for each piece of work that is begun at once
_FIND_BYTES = 1_000_000  # at a time, for the end of a row
_QUOTE, _END = b'"', b"\n"


class _Span(NamedTuple):
    """Bytes of a file, ``seen`` as it is where the work comes from."""

    file: str
    seen: Seen
    start: int
    end: int


class _Scan(NamedTuple):
    """What stands in a span: line ends, and quotes."""

    ends: int
    quotes: int


class _Range(NamedTuple):
    """A span to count: from the first row that begins in it to the end of the row that its end falls into.

    ``line`` is that of its first byte; ``quoted`` is whether its first byte, and the one after its last, stand
    within a quoted cell, None where quotes mean nothing. The first range begins with a row, the last one ends with
    the file.
    """

    span: _Span
    line: int
    quoted: tuple[bool, bool] | None
    is_first: bool
    is_last: bool


def count_in_ranges(
    source: Source, opened: Opened, engine: Engine, from_us: float, on_rows: Callable[[int], object]
) -> Counted | None:
    """Return what a file holds; None where workers don't see it, or it can't be cut.

    Raises EngineError and OSError.
    """
    seen = see(source.file)
    bounds = [*range(opened.begins, source.size_bytes, _RANGE_BYTES), source.size_bytes]
    spans = [_Span(source.file, seen, start, end) for start, end in pairwise(bounds)]
    scans: list[_Scan] = []
    for scan in engine.each(_scan, spans):
        if scan is None:
            return None
        scans.append(scan)
    has_quotes = opened.cut is blocks
    if has_quotes and sum(scan.quotes for scan in scans) % 2:
        return None  # a quote that is never closed: who reads row by row tells where
    whole = Counted.none()
    ranges = list(_ranges(spans, scans, opened.line, has_quotes=has_quotes))
    # Workers merge what neighbours hold: however large the file, a few states come back for each of them.
    together = max(1, len(ranges) // (_GROUPS * engine.width))
    groups = (ranges[first : first + together] for first in range(0, len(ranges), together))
    for counted in engine.each(partial(_count_ranges, opened.parser, opened.cut, from_us), groups):
        if counted is None:
            return None
        merged(whole, counted)
        on_rows(whole.rows)
    return whole


def _ranges(spans: Sequence[_Span], scans: Sequence[_Scan], line: int, *, has_quotes: bool) -> Iterator[_Range]:
    lines = list(accumulate((scan.ends for scan in scans), initial=line))
    quotes = list(accumulate((scan.quotes for scan in scans), initial=0))
    for number, span in enumerate(spans):
        quoted = (quotes[number] % 2 == 1, quotes[number + 1] % 2 == 1) if has_quotes else None
        yield _Range(span, lines[number], quoted, number == 0, number == len(spans) - 1)


def _scan(span: _Span) -> _Scan | None:
    """Return what stands in a span; None where this machine does not see the file."""
    if not_as_seen(span.file, span.seen):
        return None
    ends = quotes = 0
    with Path(span.file).open("rb") as stream:
        stream.seek(span.start)
        left = span.end - span.start
        while left and (data := stream.read(min(left, BLOCK_BYTES))):
            ends += data.count(_END)
            quotes += data.count(_QUOTE)
            left -= len(data)
    return _Scan(ends, quotes)


def _count_ranges(
    parser: Parser, cut: Callable[[BinaryIO, int], Iterator[Part]], from_us: float, group: Sequence[_Range]
) -> Counted | None:
    """Return what neighbouring ranges hold together; None as for one of them."""
    whole: Counted | None = None
    for wanted in group:
        counted = _count_range(parser, cut, from_us, wanted)
        if counted is None:
            return None
        if whole is None:
            whole = counted
        else:
            merged(whole, counted)
    return whole


def _count_range(
    parser: Parser, cut: Callable[[BinaryIO, int], Iterator[Part]], from_us: float, wanted: _Range
) -> Counted | None:
    """Return what a range holds; None where this machine does not see the file, or a row has no end."""
    span = wanted.span
    if not_as_seen(span.file, span.seen):
        return None
    with Path(span.file).open("rb") as stream:
        start, line, end = span.start, wanted.line, span.end
        starts_quoted, ends_quoted = wanted.quoted or (None, None)
        if not wanted.is_first:
            passed = _rest_of_row(stream, start, starts_quoted)
            start, line = start + len(passed), line + passed.count(_END)
        if not wanted.is_last:
            end += len(_rest_of_row(stream, end, ends_quoted))
        if start > end:
            return None  # a row is longer than a range
        return count_parts(parser, from_us, cut(_Window(stream, start, end), line))


def _rest_of_row(stream: BinaryIO, at: int, quoted: bool | None) -> bytes:  # noqa: FBT001  None: quotes mean nothing
    """Return the bytes from a place to the next line end outside quotes, with it."""
    stream.seek(at)
    if quoted is None:
        return stream.readline()
    held = b""
    while data := stream.read(_FIND_BYTES):
        begin = 0
        while (end := data.find(_END, begin)) >= 0:
            quoted ^= data.count(_QUOTE, begin, end) % 2 == 1
            if not quoted:
                return held + data[: end + 1]
            begin = end + 1
        quoted ^= data.count(_QUOTE, begin) % 2 == 1
        held += data
    return held


class _Window(BytesIO):
    """A part of a file as a stream."""

    def __init__(self, stream: BinaryIO, start: int, end: int) -> None:
        super().__init__()
        self._stream = stream
        self._left = end - start
        stream.seek(start)

    def read(self, size: int | None = -1) -> bytes:
        """Return the next bytes."""
        wanted = self._left if size is None or size < 0 else min(size, self._left)
        data = self._stream.read(wanted)
        self._left -= len(data)
        return data
