"""The state of a load run: what is kept of its samples, block by block, mergeable in any order."""

import math
import operator
import re
from collections import Counter
from collections.abc import Sequence

import msgspec
import numpy as np

from plain_verdict.load.bins import COARSE_BITS, FINE_BITS, Floats, Ints, bins_of, metric_bins_of
from plain_verdict.load.counts import SparseCounts, starts_of
from plain_verdict.load.metrics import MetricState, MetricStates
from plain_verdict.model import Kind, Payload

MOST_REQUESTS = 1_000
"""Names that are distinguished; see ``LoadState.code_of``."""
OTHERS = "other requests"
_MORE_FOLDED = 200  # templates that names are folded into, besides the names themselves
_NUMBERS = re.compile(r"[0-9a-fA-F-]*\d[0-9a-fA-F-]*")
BATCHES_S = (15, 30, 60, 120, 240, 480, 960)
"""Seconds of a batch, for intervals (batches.py): the longer a run, the longer its batches."""
_MOST_BATCHES = 80  # of a run: four times as many as an interval rests on
_FINE, _COARSE = 17, 11
"""Bits of a key that hold a bin, fine and coarse."""
_MOST_SMALL = 2**15  # requests whose codes fit two bytes, which sort faster
_SECONDS = 34
"""Bits of a key that hold a second since 1970."""


class Block(msgspec.Struct, frozen=True):
    """Some samples as columns: one entry a row, same order.

    ``labels`` are codes into ``names``. ``started_us`` are microseconds since 1970; ``received`` are bytes, 0 where
    unknown; ``users`` is -1 where unknown. ``statuses`` and ``messages`` are counted already: (status or message of
    failed ones, how often).
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
    metrics: Sequence[tuple[str, str, Floats]] = ()
    """Name, unit, and the values; NaN where a row has none."""


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

    def merge(self, other: "RequestState") -> None:
        """Take in what is kept of the same request in another file."""
        self.count += other.count
        self.failed += other.failed
        self.sum_us += other.sum_us
        self.sum_all_us += other.sum_all_us
        self.received += other.received
        self.answered.merge(*other.answered.ends)


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
            step = 1 if self.step == 1 else int(np.gcd.reduce(values))
            self.merge(int(values.min()), int(values.max()), step)

    def merge(self, least: int, longest: int, step: int) -> None:
        """Take in the ends of other times; a longest one under 0 is that of none."""
        if longest >= 0:
            self.least = least if self.longest < 0 else min(self.least, least)
            self.longest = max(self.longest, longest)
            self.step = math.gcd(self.step, step)

    @property
    def ends(self) -> tuple[int, int, int]:
        """Return the least, the longest and the greatest common divisor."""
        return self.least, self.longest, self.step


class LoadState:
    """What is kept of the samples of one or several files, or of a part of one.

    Past ``most_requests`` names, some are counted together; see ``code_of``.
    """

    def __init__(self, most_requests: int = MOST_REQUESTS) -> None:
        self._most_requests = most_requests
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
        self.batch_s = BATCHES_S[0]
        self.slots: set[int] = set()
        """Batches that have answered samples."""
        self.batches = SparseCounts()
        """Answered ones by request, batch and coarse bin."""
        self.seconds = SparseCounts()
        """Answered ones by second of their start and coarse bin."""
        self.started = SparseCounts()
        """All by the second of their start."""
        self.failed = SparseCounts()
        """Failed ones by the second of their start."""
        self.until: dict[int, int] = {}
        """When the last of the requests that were started in a second ended, in seconds since 1970."""
        self.users: dict[int, int] = {}
        """The most users at once by second, where the samples tell it."""
        self.statuses: Counter[str] = Counter()
        self.messages: Counter[tuple[str, str]] = Counter()
        self.metrics = MetricStates()
        self.left_out = 0
        """Rows that are not counted, as the user wants it."""

    def code_of(self, name: str) -> int:
        """Return the code of a request, a new one for a new name.

        Past many names, those that differ only by numbers are counted together, and in the end all that are new.
        """
        if len(self.requests) >= self._most_requests and name not in self.names:
            self.folded.add(name)
            name = _NUMBERS.sub("*", name)
            if name not in self.names and len(self.requests) >= self._most_requests + _MORE_FOLDED:
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
        bins = bins_of(block.took_us, FINE_BITS)
        codes_answered, bins_answered, seconds_answered = codes[answered], bins[answered], seconds[answered]
        took_answered, codes_failed, took_failed = (
            block.took_us[answered],
            codes[block.failed],
            block.took_us[block.failed],
        )
        self._count_requests(codes_answered, took_answered, codes_failed, took_failed)
        self._count_received(codes, block.received)
        self._take_ends(codes_answered, took_answered)
        self.everything.merge(*self.answered.ends)
        self.everything.add(took_failed)
        self.fine.add(codes_answered, bins_answered, _FINE)
        self.fine_failed.add(codes_failed, bins[block.failed], _FINE)
        coarse = bins_answered >> (FINE_BITS - COARSE_BITS)
        in_seconds = self.seconds.add(seconds_answered, coarse, _COARSE)
        self.take_slots(set(np.unique((in_seconds >> _COARSE) // self.batch_s).tolist()))
        batch = seconds_answered // self.batch_s
        self.batches.add(codes_answered, (batch << _COARSE) | coarse, _SECONDS + _COARSE)
        self.started.add(seconds)
        self.failed.add(seconds[block.failed])
        _keep_most(self.until, seconds, ends // 1_000_000)
        known = block.users >= 0
        _keep_most(self.users, seconds[known], block.users[known])
        self.statuses += block.statuses
        self.messages += block.messages
        for name, unit, values in block.metrics:
            self._count_metric(self.metrics.of(name, unit), values, seconds)

    def take_slots(self, slots: set[int]) -> None:
        """Take in which batches have samples, and count in longer ones from now on where these are too many.

        By how many there are, not by the time between them: one wrong clock makes no run long. Each length is twice
        the one before, so nothing is divided.
        """
        self.slots |= slots
        while len(self.slots) > _MOST_BATCHES and self.batch_s < BATCHES_S[-1]:
            self._grow_batches(2)

    def _grow_batches(self, times: int) -> None:
        keys, counts = self.batches.items()
        self.batches = SparseCounts()
        if keys.size:
            self.batches.add_counted(_in_batches(keys, times), counts)
        self.slots = {slot // times for slot in self.slots}
        self.batch_s *= times

    def _count_requests(self, answered: Ints, took_answered: Ints, failed: Ints, took_failed: Ints) -> None:
        """Count samples, given by the codes of their requests and by their microseconds."""
        size = len(self.requests)
        counts, counts_failed = np.bincount(answered, minlength=size), np.bincount(failed, minlength=size)
        # Sums of doubles are exact here: whole microseconds, and fewer than 2 to the 53rd of them in a block.
        sums = np.bincount(answered, took_answered, minlength=size)
        sums_failed = np.bincount(failed, took_failed, minlength=size)
        for code in np.flatnonzero(counts + counts_failed).tolist():
            request = self.requests[code]
            request.count += int(counts[code] + counts_failed[code])
            request.failed += int(counts_failed[code])
            request.sum_us += int(sums[code])
            request.sum_all_us += int(sums[code] + sums_failed[code])

    def _count_received(self, codes: Ints, numbers_bytes: Floats) -> None:
        received = np.bincount(codes, numbers_bytes, minlength=len(self.requests))
        for code in np.flatnonzero(received).tolist():
            self.requests[code].received += float(received[code])

    def _take_ends(self, codes: Ints, took: Ints) -> None:
        """Take in the ends of answered samples: of each request, and of all."""
        if not codes.size:
            return
        # Sorting is three times as fast on small numbers.
        order = np.argsort(codes.astype(np.int16) if len(self.requests) <= _MOST_SMALL else codes, kind="stable")
        codes, took = codes[order], took[order]
        starts = starts_of(codes)
        ends = [add_or_max.reduceat(took, starts).tolist() for add_or_max in (np.minimum, np.maximum, np.gcd)]
        for code, least, longest, step in zip(codes[starts].tolist(), *ends, strict=True):
            self.requests[code].answered.merge(least, longest, step)
            self.answered.merge(least, longest, step)

    @staticmethod
    def _count_metric(metric: MetricState, values: Floats, seconds: Ints) -> None:
        known = np.isfinite(values)
        values, seconds = values[known], seconds[known]
        if not values.size:
            return
        bins, counts = np.unique(metric_bins_of(values), return_counts=True)
        unique_seconds, indices, times = np.unique(seconds, return_inverse=True, return_counts=True)
        sums = np.bincount(indices, values)
        metric.add_counted(
            dict(zip(bins.tolist(), counts.tolist(), strict=True)),
            float(values.sum()),
            float(values.min()),
            float(values.max()),
            zip(unique_seconds.tolist(), sums.tolist(), times.tolist(), strict=True),
        )

    def _merge_histograms(self, other: "LoadState", codes: Ints) -> None:
        """Take in the counts of another file, whose requests have these codes here."""
        if other.batch_s > self.batch_s:
            self._grow_batches(other.batch_s // self.batch_s)
        self.take_slots({slot // (self.batch_s // other.batch_s) for slot in other.slots})
        # A key holds the code of its request above the number of its bin, in one whole number.
        for name, shift in (("fine", _FINE), ("fine_failed", _FINE), ("batches", _SECONDS + _COARSE)):
            keys, counts = getattr(other, name).items()
            if keys.size:
                keys = _in_batches(keys, self.batch_s // other.batch_s) if name == "batches" else keys
                renamed = codes[keys >> shift] << shift | (keys & ((1 << shift) - 1))
                getattr(self, name).add_counted(renamed, counts)
        for name in ("seconds", "started", "failed"):
            keys, counts = getattr(other, name).items()
            if keys.size:
                getattr(self, name).add_counted(keys, counts)

    def merge(self, other: "LoadState", *, same_clients: bool = False) -> None:
        """Take in the state of another file, or of another part of the same one: then its users are the same."""
        codes = np.array([self.code_of(name) for name in other.names], np.int64)
        for code, request in zip(codes.tolist(), other.requests, strict=True):
            self.requests[code].merge(request)
        self.rows += other.rows
        self.folded |= other.folded
        firsts = [first for first in (self.first_us, other.first_us) if first is not None]
        lasts = [last for last in (self.last_us, other.last_us) if last is not None]
        self.first_us, self.last_us = min(firsts, default=None), max(lasts, default=None)
        self.answered.merge(*other.answered.ends)
        self.everything.merge(*other.everything.ends)
        self._merge_histograms(other, codes)
        # Each file counts its own users: together they are the sum.
        together = max if same_clients else operator.add
        for second, number in other.users.items():
            self.users[second] = together(self.users.get(second, 0), number)
        for second, end in other.until.items():
            self.until[second] = max(self.until.get(second, 0), end)
        self.statuses += other.statuses
        self.messages += other.messages
        self.metrics.merge(other.metrics)
        self.left_out += other.left_out


def _keep_most(kept: dict[int, int], seconds: Ints, values: Ints) -> None:
    """Keep the largest value of each second."""
    slots = seconds
    if (seconds[1:] < seconds[:-1]).any():  # most files are in the order of their times
        order = np.argsort(seconds, kind="stable")
        slots, values = seconds[order], values[order]
    starts = starts_of(slots)
    if starts.size:
        most = np.maximum.reduceat(values, starts)
        for second, number in zip(slots[starts].tolist(), most.tolist(), strict=True):
            kept[second] = max(number, kept.get(second, 0))


def split_fine(keys: Ints) -> tuple[Ints, Ints]:
    """Return the request and the fine bin that keys hold."""
    return keys >> _FINE, keys & ((1 << _FINE) - 1)


def split_batches(keys: Ints) -> tuple[Ints, Ints, Ints]:
    """Return the request, the batch and the coarse bin that keys hold."""
    rest = keys & ((1 << (_SECONDS + _COARSE)) - 1)
    return keys >> (_SECONDS + _COARSE), rest >> _COARSE, rest & ((1 << _COARSE) - 1)


def _in_batches(keys: Ints, times: int) -> Ints:
    """Return keys with batches so many times as long."""
    codes, slots, bins = split_batches(keys)
    return (codes << (_SECONDS + _COARSE)) | (slots // times << _COARSE) | bins


def split_seconds(keys: Ints) -> tuple[Ints, Ints]:
    """Return the second and the coarse bin that keys hold."""
    return keys >> _COARSE, keys & ((1 << _COARSE) - 1)


def merged(states: Sequence[LoadState]) -> LoadState:
    """Return the state of several files together; that of the only one that has any samples as it is."""
    filled = [state for state in states if state.rows or state.left_out]
    if len(filled) == 1:
        return filled[0]
    whole = LoadState()
    for state in filled:
        whole.merge(state)
    return whole


class SamplesPayload(Payload, frozen=True):
    """What a file of samples holds: the state of its numbers, and how many of its rows are no samples.

    ``span_us`` are its first start and its last end. In a run the first such file has the state of all, those after
    it have none left: the states of many files together take more memory than what they add up to.
    """

    state: LoadState
    bad_rows: int = 0
    span_us: tuple[int | None, int | None] = (None, None)

    @property
    def amount(self) -> tuple[int, str]:
        """Return how many samples it holds."""
        return self.state.rows, "sample"

    def added_to(self, first: Payload) -> Payload:
        """Add the state to that of the first file of samples, and return what is left of this one."""
        if not isinstance(first, SamplesPayload):
            return self
        first.state.merge(self.state)
        return msgspec.structs.replace(self, state=LoadState())


def samples_of(kind: Kind, state: LoadState, bad_rows: int) -> SamplesPayload:
    """Return what a file of samples holds."""
    return SamplesPayload(kind, state, bad_rows, (state.first_us, state.last_us))
