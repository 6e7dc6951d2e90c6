"""The state of a load run: what is kept of its samples, block by block, mergeable in any order."""

import re
from collections import Counter
from collections.abc import Sequence

import msgspec
import numpy as np

from plain_verdict.load.bins import COARSE_BITS, FINE_BITS, Floats, Ints, bins_of
from plain_verdict.load.counts import SparseCounts

MOST_REQUESTS = 1_000
"""Names that are told apart; see ``LoadState.code_of``."""
OTHERS = "other requests"
_MORE_FOLDED = 200
_NUMBERS = re.compile(r"[0-9a-fA-F-]*\d[0-9a-fA-F-]*")
BATCH_S = 60
"""Seconds of a batch, for intervals. Source: see percentiles.py."""
_FINE, _COARSE = 17, 11
"""Bits of a key that hold a bin, fine and coarse."""
_SECONDS = 34
"""Bits of a key that hold a second since 1970."""


class Block(msgspec.Struct, frozen=True):
    """Some samples as columns: one entry a row, same order.

    ``labels`` are codes into ``names``. ``started_us`` are microseconds since 1970; ``users`` is -1 where unknown.
    ``statuses`` and ``messages`` are counted already: (status or message of failed ones, how often).
    """

    names: list[str]
    labels: Ints
    started_us: Ints
    took_us: Ints
    failed: "np.typing.NDArray[np.bool_]"
    received: Floats
    users: Ints
    statuses: Counter[str]
    messages: Counter[tuple[str, str]]


class RequestState:
    """What is kept of one request besides its bins."""

    __slots__ = ("answered", "count", "failed", "received", "sum_all_us", "sum_us")

    def __init__(self) -> None:
        self.count = 0
        self.failed = 0
        self.sum_us = 0
        """Of answered ones."""
        self.sum_all_us = 0
        self.received = 0.0
        self.answered = Span()


class Span:
    """The least and the longest of some times, and their greatest common divisor, in microseconds."""

    __slots__ = ("least", "longest", "step")

    def __init__(self) -> None:
        self.least = 0
        self.longest = -1
        self.step = 0

    def add(self, values: Ints) -> None:
        """Take in times."""
        if values.size:
            least, longest = int(values.min()), int(values.max())
            self.least = least if self.longest < 0 else min(self.least, least)
            self.longest = max(self.longest, longest)
            if self.step != 1:
                self.step = int(np.gcd(np.gcd.reduce(values), self.step))


class LoadState:
    """What is kept of the samples of one or several files."""

    def __init__(self) -> None:
        self.names: dict[str, int] = {}
        self.requests: list[RequestState] = []
        self.folded: set[str] = set()
        """Names that have no row of their own."""
        self.rows = 0
        self.first_us: int | None = None
        self.last_us: int | None = None
        self.answered = Span()
        self.everything = Span()
        self.fine = SparseCounts()
        """Answered requests by request and fine bin."""
        self.fine_failed = SparseCounts()
        """Failed ones, likewise."""
        self.batches = SparseCounts()
        """Answered ones by request, batch and coarse bin."""
        self.seconds = SparseCounts()
        """Answered ones by second of their start and coarse bin."""
        self.started = SparseCounts()
        """All by the second of their start."""
        self.failed = SparseCounts()
        """Failed ones by the second of their start."""
        self.users: dict[int, int] = {}
        """The most users at once by second, where the samples tell it."""
        self.statuses: Counter[str] = Counter()
        self.messages: Counter[tuple[str, str]] = Counter()

    def code_of(self, name: str) -> int:
        """Return the code of a request, a new one for a new name.

        Past many names, those that differ only by numbers are counted together, and in the end all that are new.
        """
        if len(self.requests) >= MOST_REQUESTS and name not in self.names:
            self.folded.add(name)
            name = _NUMBERS.sub("*", name)
            if name not in self.names and len(self.requests) >= MOST_REQUESTS + _MORE_FOLDED:
                name = OTHERS
        code = self.names.get(name)
        if code is None:
            code = self.names[name] = len(self.requests)
            self.requests.append(RequestState())
        return code

    def add(self, block: Block) -> None:
        """Count the samples of a block."""
        if not block.labels.size:
            return
        codes = np.array([self.code_of(name) for name in block.names], np.int64)[block.labels]
        self.rows += codes.size
        seconds = block.started_us // 1_000_000
        ends = block.started_us + block.took_us
        first, last = int(block.started_us.min()), int(ends.max())
        self.first_us = first if self.first_us is None else min(self.first_us, first)
        self.last_us = last if self.last_us is None else max(self.last_us, last)
        answered = ~block.failed
        self._count_requests(codes, block, answered)
        bins = bins_of(block.took_us, FINE_BITS)
        keys = codes << _FINE | bins
        self.fine.add(keys[answered])
        self.fine_failed.add(keys[block.failed])
        coarse = (bins >> (FINE_BITS - COARSE_BITS))[answered]
        batch = (seconds // BATCH_S)[answered]
        self.batches.add((codes[answered] << (_SECONDS + _COARSE)) | (batch << _COARSE) | coarse)
        self.seconds.add((seconds[answered] << _COARSE) | coarse)
        self.started.add(seconds)
        self.failed.add(seconds[block.failed])
        self._count_users(seconds, block.users)
        self.statuses += block.statuses
        self.messages += block.messages

    def _count_requests(self, codes: Ints, block: Block, answered: "np.typing.NDArray[np.bool_]") -> None:
        size = len(self.requests)
        took = block.took_us
        counts = np.bincount(codes, minlength=size)
        failed = np.bincount(codes[block.failed], minlength=size)
        received = np.bincount(codes, np.nan_to_num(block.received), minlength=size)
        # Sums of doubles are exact here: whole microseconds, and fewer than 2 to the 53rd of them in a block.
        sums = np.bincount(codes[answered], took[answered], minlength=size)
        sums_all = np.bincount(codes, took, minlength=size)
        self.answered.add(took[answered])
        self.everything.add(took)
        for code in np.flatnonzero(counts):
            request = self.requests[code]
            request.count += int(counts[code])
            request.failed += int(failed[code])
            request.received += float(received[code])
            request.sum_us += int(sums[code])
            request.sum_all_us += int(sums_all[code])
            request.answered.add(took[answered & (codes == code)])

    def _count_users(self, seconds: Ints, users: Ints) -> None:
        known = users >= 0
        if not known.any():
            return
        order = np.argsort(seconds[known], kind="stable")
        slots, values = seconds[known][order], users[known][order]
        starts = np.flatnonzero(np.concatenate(([True], slots[1:] != slots[:-1])))
        most = np.maximum.reduceat(values, starts)
        for second, number in zip(slots[starts].tolist(), most.tolist(), strict=True):
            self.users[second] = max(number, self.users.get(second, 0))

    def merge(self, other: "LoadState") -> None:
        """Take in the state of another file: of another machine, or another part of the same run."""
        codes = np.array([self.code_of(name) for name in other.names], np.int64)
        for code, request in zip(codes.tolist(), other.requests, strict=True):
            own = self.requests[code]
            own.count += request.count
            own.failed += request.failed
            own.sum_us += request.sum_us
            own.sum_all_us += request.sum_all_us
            own.received += request.received
            _merge_span(own.answered, request.answered)
        self.rows += other.rows
        self.folded |= other.folded
        firsts = [first for first in (self.first_us, other.first_us) if first is not None]
        lasts = [last for last in (self.last_us, other.last_us) if last is not None]
        self.first_us, self.last_us = min(firsts, default=None), max(lasts, default=None)
        _merge_span(self.answered, other.answered)
        _merge_span(self.everything, other.everything)
        for name, shift in (("fine", _FINE), ("fine_failed", _FINE), ("batches", _SECONDS + _COARSE)):
            keys, counts = getattr(other, name).items()
            if keys.size:
                renamed = codes[keys >> shift] << shift | (keys & ((1 << shift) - 1))
                getattr(self, name).add_counted(renamed, counts)
        for name in ("seconds", "started", "failed"):
            keys, counts = getattr(other, name).items()
            if keys.size:
                getattr(self, name).add_counted(keys, counts)
        # Each file counts its own users: together they are the sum.
        for second, number in other.users.items():
            self.users[second] = self.users.get(second, 0) + number
        self.statuses += other.statuses
        self.messages += other.messages


def _merge_span(own: Span, other: Span) -> None:
    if other.longest < 0:
        return
    own.least = other.least if own.longest < 0 else min(own.least, other.least)
    own.longest = max(own.longest, other.longest)
    own.step = int(np.gcd(own.step, other.step))


def split_fine(keys: Ints) -> tuple[Ints, Ints]:
    """Return the request and the fine bin that keys hold."""
    return keys >> _FINE, keys & ((1 << _FINE) - 1)


def split_batches(keys: Ints) -> tuple[Ints, Ints, Ints]:
    """Return the request, the batch and the coarse bin that keys hold."""
    rest = keys & ((1 << (_SECONDS + _COARSE)) - 1)
    return keys >> (_SECONDS + _COARSE), rest >> _COARSE, rest & ((1 << _COARSE) - 1)


def split_seconds(keys: Ints) -> tuple[Ints, Ints]:
    """Return the second and the coarse bin that keys hold."""
    return keys >> _COARSE, keys & ((1 << _COARSE) - 1)


def merged(states: Sequence[LoadState]) -> LoadState:
    """Return the state of several files together."""
    whole = LoadState()
    for state in states:
        whole.merge(state)
    return whole
