"""The condensed form of a load run: its state as one small file, to be brought together with others.

One line of JSON, then columns of whole numbers, little-endian, 64 bits each, keys as differences, deflated by zlib
(RFC 1950). docs/load.md describes it.
"""

import zlib
from collections import Counter
from collections.abc import Callable

import msgspec
import numpy as np

from plain_verdict.load.bins import COARSE_BITS, FINE_BITS, Ints
from plain_verdict.load.state import BATCH_S, LoadState, RequestState, Span

VERSION = 1
FORMAT = "plain-verdict load"
_COLUMNS = ("fine", "fine_failed", "batches", "seconds", "started", "failed")
_LEVEL = 9
_MOST_BYTES = 2_000_000_000


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


class CondensedHead(msgspec.Struct, frozen=True, kw_only=True):
    """The first line. ``columns`` are names and lengths of what follows, in that order."""

    format: str
    version: int
    fine_bits: int
    coarse_bits: int
    batch_s: int
    rows: int
    bad_rows: int
    files: int = 1
    first_us: int | None
    last_us: int | None
    answered: tuple[int, int, int]
    everything: tuple[int, int, int]
    requests: tuple[CondensedRequest, ...]
    folded: tuple[str, ...] = ()
    statuses: dict[str, int] = {}
    messages: tuple[tuple[str, str, int], ...] = ()
    columns: tuple[tuple[str, int], ...] = ()


def condense(state: LoadState, bad_rows: int, files: int, mask: Callable[[str], str]) -> bytes:
    """Return a state as a file; ``mask`` hides secrets in names and messages."""
    columns: list[tuple[str, Ints]] = []
    for name in _COLUMNS:
        keys, counts = getattr(state, name).items()
        columns += [(f"{name} keys", np.diff(keys, prepend=np.int64(0))), (f"{name} counts", counts)]
    seconds = np.array(sorted(state.users), np.int64)
    users = np.array([state.users[second] for second in seconds.tolist()], np.int64)
    columns += [("users keys", np.diff(seconds, prepend=np.int64(0))), ("users counts", users)]
    head = CondensedHead(
        format=FORMAT,
        version=VERSION,
        fine_bits=FINE_BITS,
        coarse_bits=COARSE_BITS,
        batch_s=BATCH_S,
        rows=state.rows,
        bad_rows=bad_rows,
        files=files,
        first_us=state.first_us,
        last_us=state.last_us,
        answered=_span(state.answered),
        everything=_span(state.everything),
        requests=tuple(_request(mask(name), state.requests[code]) for name, code in state.names.items()),
        folded=tuple(map(mask, sorted(state.folded)[:_MOST_FOLDED])),
        statuses=dict(state.statuses),
        messages=tuple((status, mask(said), times) for (status, said), times in state.messages.items()),
        columns=tuple((name, int(column.size)) for name, column in columns),
    )
    data = b"".join(column.astype("<i8").tobytes() for _, column in columns)
    return msgspec.json.encode(head) + b"\n" + zlib.compress(data, _LEVEL)


_MOST_FOLDED = 10_000


def _span(span: Span) -> tuple[int, int, int]:
    return span.least, span.longest, span.step


def _request(name: str, state: RequestState) -> CondensedRequest:
    return CondensedRequest(
        name,
        state.count,
        state.failed,
        state.sum_us,
        state.sum_all_us,
        state.received,
        *_span(state.answered),
    )


def expand(data: bytes) -> tuple[CondensedHead, LoadState]:
    """Return the head and the state of a condensed file. Raises ValueError, in words, for one that is none."""
    first, sign, packed = data.partition(b"\n")
    try:
        head = msgspec.json.decode(first, type=CondensedHead)
    except (msgspec.DecodeError, UnicodeDecodeError) as error:
        raise ValueError(f"its first line can't be read: {error}") from error
    if head.format != FORMAT or head.version > VERSION:
        raise ValueError(f"it is of version {head.version}, and this program knows {VERSION}")
    if (head.fine_bits, head.coarse_bits, head.batch_s) != (FINE_BITS, COARSE_BITS, BATCH_S):
        raise ValueError("its bins or batches are others than this program's, so it can't be added to others")
    wanted = 8 * sum(length for _, length in head.columns)
    try:
        unpacked = zlib.decompressobj().decompress(packed, min(wanted + 1, _MOST_BYTES)) if sign else b""
    except zlib.error as error:
        raise ValueError("its columns are damaged") from error
    if len(unpacked) != wanted:
        raise ValueError("it is cut off, or its columns have other lengths than its first line says")
    return head, _state_of(head, np.frombuffer(unpacked, "<i8").astype(np.int64))


def _state_of(head: CondensedHead, numbers: Ints) -> LoadState:
    columns: dict[str, Ints] = {}
    at = 0
    for name, length in head.columns:
        columns[name] = numbers[at : at + length]
        at += length
    state = LoadState()
    for request in head.requests:
        code = state.code_of(request.name)
        own = state.requests[code]
        own.count += request.count
        own.failed += request.failed
        own.sum_us += request.sum_us
        own.sum_all_us += request.sum_all_us
        own.received += request.received
        own.answered = _as_span((request.least_us, request.longest_us, request.step_us))
    state.folded = set(head.folded)
    state.rows = head.rows
    state.first_us, state.last_us = head.first_us, head.last_us
    state.answered, state.everything = _as_span(head.answered), _as_span(head.everything)
    for name in _COLUMNS:
        keys, counts = _pair(columns, name)
        if keys.size:
            getattr(state, name).add_counted(keys, counts)
    seconds, users = _pair(columns, "users")
    state.users = dict(zip(seconds.tolist(), users.tolist(), strict=True))
    state.statuses = Counter(head.statuses)
    state.messages = Counter({(status, said): times for status, said, times in head.messages})
    return state


def _pair(columns: dict[str, Ints], name: str) -> tuple[Ints, Ints]:
    keys, counts = columns.get(f"{name} keys"), columns.get(f"{name} counts")
    if keys is None or counts is None or keys.size != counts.size:
        raise ValueError(f"it lacks the columns of {name}")
    return np.cumsum(keys), counts


def _as_span(ends: tuple[int, int, int]) -> Span:
    span = Span()
    span.least, span.longest, span.step = ends
    return span
