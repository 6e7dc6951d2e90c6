"""The condensed form of a load run: its state as one small file, to be brought together with others.

One line of JSON, then columns of whole numbers, little-endian, 64 bits each, keys as differences, deflated by zlib
(RFC 1950). docs/load.md describes it.
"""

import zlib
from collections import Counter
from collections.abc import Callable, Iterator, Sequence

import msgspec
import numpy as np

from plain_verdict.load.bins import COARSE_BITS, FINE_BITS, Ints, number_of_bins
from plain_verdict.load.metrics import MetricState
from plain_verdict.load.state import BATCHES_S, LoadState, RequestState, split_batches, split_fine

CONDENSED_VERSION = 1
FORMAT = "plain-verdict load"
_STATE_COLUMNS = ("fine", "fine_failed", "batches", "seconds", "started", "failed")
_DEFLATE_LEVEL = 9  # the file is written once and kept for long
_NO_KEYS = np.empty(0, np.int64)
_MOST_ARRAY_BYTES = 2_000_000_000  # unpacked: more would not fit into a pipeline's memory


class CondensedRequest(msgspec.Struct, frozen=True, array_like=True):
    """What is kept of one request besides its bins; times are microseconds."""

    name: str
    count: int
    failed: int
    sum_us: int
    sum_all_us: int
    received: float
    least_us: int
    longest_us: int
    step_us: int


class CondensedMetric(msgspec.Struct, frozen=True, array_like=True):
    """What is kept of one metric besides its bins and seconds."""

    name: str
    unit: str
    count: int
    total: float
    least: float
    longest: float


class CondensedHead(msgspec.Struct, frozen=True, kw_only=True):
    """The first line. ``columns`` are names and lengths of what follows, in that order."""

    format: str
    version: int
    fine_bits: int
    coarse_bits: int
    batch_s: int
    rows: int
    bad_rows: int
    first_us: int | None
    last_us: int | None
    answered: tuple[int, int, int]
    everything: tuple[int, int, int]
    requests: tuple[CondensedRequest, ...]
    folded: tuple[str, ...] = ()
    statuses: dict[str, int] = {}
    messages: tuple[tuple[str, str, int], ...] = ()
    metrics: tuple[CondensedMetric, ...] = ()
    left_out: int = 0
    incomplete: tuple[str, ...] = ()
    """What was said of inputs of which results may be missing, besides rows that could not be read."""
    columns: tuple[tuple[str, int], ...] = ()


def condense(state: LoadState, bad_rows: int, mask: Callable[[str], str], incomplete: Sequence[str] = ()) -> bytes:
    """Return a state as a file; ``mask`` hides secrets in names and messages.

    ``incomplete`` says of which inputs results may be missing: who reads the file must know.
    """
    columns: list[tuple[str, Ints]] = []
    for name in _STATE_COLUMNS:
        keys, counts = getattr(state, name).items()
        columns += [(f"{name} keys", np.diff(keys, prepend=np.int64(0))), (f"{name} counts", counts)]
    for name, kept in (("users", state.users), ("until", state.until)):
        seconds = np.array(sorted(kept), np.int64)
        values = np.array([kept[second] for second in seconds.tolist()], np.int64)
        # An end lies soon after its second.
        values = values - seconds if name == "until" else values
        columns += [(f"{name} keys", np.diff(seconds, prepend=np.int64(0))), (f"{name} counts", values)]
    for number, metric in enumerate(state.metrics.values()):
        columns += _metric_columns(number, metric)
    head = CondensedHead(
        format=FORMAT,
        version=CONDENSED_VERSION,
        fine_bits=FINE_BITS,
        coarse_bits=COARSE_BITS,
        batch_s=state.batch_s,
        rows=state.rows,
        bad_rows=bad_rows,
        first_us=state.first_us,
        last_us=state.last_us,
        answered=state.answered.ends,
        everything=state.everything.ends,
        requests=tuple(_request(mask(name), state.requests[code]) for name, code in state.names.items()),
        folded=tuple(map(mask, sorted(state.folded)[:_MOST_FOLDED])),
        statuses=dict(state.statuses),
        messages=tuple((status, mask(message), times) for (status, message), times in state.messages.items()),
        metrics=tuple(
            CondensedMetric(
                mask(name), unit, metric_state.count, metric_state.total, metric_state.least, metric_state.longest
            )
            for (name, unit), metric_state in state.metrics.items()
        ),
        left_out=state.left_out,
        incomplete=tuple(map(mask, incomplete)),
        columns=tuple((name, int(column.size)) for name, column in columns),
    )
    data = b"".join(column.astype("<i8").tobytes() for _, column in columns)
    return msgspec.json.encode(head) + b"\n" + zlib.compress(data, _DEFLATE_LEVEL)


def _metric_columns(number: int, metric: MetricState) -> Iterator[tuple[str, Ints]]:
    """Yield the bins of a metric and its seconds; sums are doubles, bit by bit."""
    bins, seconds = sorted(metric.bins), sorted(metric.second_counts)
    sums = np.array([metric.second_sums[second] for second in seconds], np.float64)
    for name, values in (
        ("bins", np.array(bins, np.int64)),
        ("counts", np.array([metric.bins[bin_number] for bin_number in bins], np.int64)),
        ("seconds", np.array(seconds, np.int64)),
        ("second counts", np.array([metric.second_counts[bin_number] for bin_number in seconds], np.int64)),
        ("second sums", sums.view(np.int64)),
    ):
        yield f"metric {number} {name}", values


_MOST_FOLDED = 10_000  # requests of a file: more names are addresses with ids


def _request(name: str, state: RequestState) -> CondensedRequest:
    return CondensedRequest(
        name,
        state.count,
        state.failed,
        state.sum_us,
        state.sum_all_us,
        state.received,
        *state.answered.ends,
    )


def expand(data: bytes) -> tuple[CondensedHead, LoadState]:
    """Return the head and the state of a condensed file. Raises ValueError, in words, for one that is none."""
    first, sign, packed = data.partition(b"\n")
    try:
        head = msgspec.json.decode(first, type=CondensedHead)
    except (msgspec.DecodeError, UnicodeDecodeError) as error:
        raise ValueError(f"its first line can't be read: {error}") from error
    if head.format != FORMAT or head.version > CONDENSED_VERSION:
        raise ValueError(f"it is of version {head.version}, and this program knows {CONDENSED_VERSION}")
    if (head.fine_bits, head.coarse_bits) != (FINE_BITS, COARSE_BITS) or head.batch_s not in BATCHES_S:
        raise ValueError("its bins or batches are others than this program's, so it can't be added to others")
    wanted = 8 * sum(length for _, length in head.columns)
    try:
        unpacked = zlib.decompressobj().decompress(packed, min(wanted + 1, _MOST_ARRAY_BYTES)) if sign else b""
    except zlib.error as error:
        raise ValueError("its columns are damaged") from error
    if len(unpacked) != wanted:
        raise ValueError("it is truncated, or its columns have other lengths than its first line says")
    return head, _state_of(head, np.frombuffer(unpacked, "<i8").astype(np.int64))


def _state_of(head: CondensedHead, numbers: Ints) -> LoadState:
    columns: dict[str, Ints] = {}
    at = 0
    for name, length in head.columns:
        columns[name] = numbers[at : at + length]
        at += length
    state = LoadState()
    state.batch_s = head.batch_s
    for request in head.requests:
        code = state.code_of(request.name)
        request_state = state.requests[code]
        request_state.count += request.count
        request_state.failed += request.failed
        request_state.sum_us += request.sum_us
        request_state.sum_all_us += request.sum_all_us
        request_state.received += request.received
        request_state.answered.merge(request.least_us, request.longest_us, request.step_us)
    state.folded = set(head.folded)
    state.rows = head.rows
    state.first_us, state.last_us = head.first_us, head.last_us
    state.answered.merge(*head.answered)
    state.everything.merge(*head.everything)
    for name in _STATE_COLUMNS:
        keys, counts = _pair(columns, name)
        if keys.size:
            _check_counts(name, keys, counts)
            getattr(state, name).add_counted(keys, counts)
    _check_requests(state)
    state.take_slots(set(np.unique(split_batches(state.batches.items()[0])[1]).tolist()))
    seconds, users = _pair(columns, "users")
    state.users = dict(zip(seconds.tolist(), users.tolist(), strict=True))
    seconds, spans = _pair(columns, "until")
    state.until = dict(zip(seconds.tolist(), (seconds + spans).tolist(), strict=True))
    for number, metric in enumerate(head.metrics):
        parts = [
            columns.get(f"metric {number} {name}", _NO_KEYS).tolist()
            for name in ("bins", "counts", "seconds", "second counts")
        ]
        sums = columns.get(f"metric {number} second sums", _NO_KEYS).view(np.float64).tolist()
        if len(parts[0]) != len(parts[1]) or len({len(parts[2]), len(parts[3]), len(sums)}) > 1:
            raise ValueError(f"it lacks the columns of the metric {metric.name}")
        state.metrics.of(metric.name, metric.unit).add_counted(
            dict(zip(parts[0], parts[1], strict=True)),
            metric.total,
            metric.least,
            metric.longest,
            zip(parts[2], sums, parts[3], strict=True),
        )
    state.left_out = head.left_out
    state.statuses = Counter(head.statuses)
    state.messages = Counter({(status, message): times for status, message, times in head.messages})
    return state


def _check_counts(name: str, keys: Ints, counts: Ints) -> None:
    """Make sure that counts are such. Raises ValueError."""
    if keys.min() < 0 or counts.min() < 1:
        raise ValueError(f"its columns of {name} hold what is not a count")


def _check_requests(state: LoadState) -> None:
    """Make sure that the columns and the first line tell of the same requests. Raises ValueError."""
    counted = np.zeros((2, len(state.requests)), np.int64)
    for at, columns in enumerate((state.fine, state.fine_failed)):
        keys, counts = columns.items()
        codes, bins = split_fine(keys)
        if keys.size and (codes.max() >= len(state.requests) or bins.max() >= number_of_bins(FINE_BITS)):
            raise ValueError("its columns name a request, or a time, that is not there")
        np.add.at(counted[at], codes, counts)
    batches = split_batches(state.batches.items()[0])[0]
    if batches.size and batches.max() >= len(state.requests):
        raise ValueError("its columns name a request that is not there")
    announced = [(request.count - request.failed, request.failed) for request in state.requests]
    if counted.T.tolist() != [list(pair) for pair in announced] or state.rows != sum(map(sum, announced)):
        raise ValueError("its columns count other requests than its first line")


def _pair(columns: dict[str, Ints], name: str) -> tuple[Ints, Ints]:
    keys, counts = columns.get(f"{name} keys"), columns.get(f"{name} counts")
    if keys is None or counts is None or keys.size != counts.size:
        raise ValueError(f"it lacks the columns of {name}")
    return np.cumsum(keys), counts
