"""Counts calls: how they ended, how long they took, how much came back."""

import math
from collections import Counter, defaultdict
from collections.abc import Iterable, Sequence

from plain_verdict.model import Call, CallState, Operation, Value

LEAST_VALUES = {50: 5, 90: 29, 95: 59, 99: 299}
"""How many values a percentile needs until it is bounded from above with 95 % confidence: n >= ln 0.05 / ln p."""


class CallNumbers(Value, frozen=True):
    """The numbers of some calls. Times are in seconds; None where nothing tells them, or too few do.

    ``statuses`` are (status, how often), the most frequent first.
    """

    calls: int
    wrong: int
    unanswered: int
    statuses: tuple[tuple[str, int], ...]
    received_bytes: int | None
    least_s: float | None = None
    mean_s: float | None = None
    p50_s: float | None = None
    p95_s: float | None = None
    p99_s: float | None = None
    longest_s: float | None = None


def count_calls(calls: Sequence[Call]) -> CallNumbers:
    """Return the numbers of the calls."""
    statuses = Counter(call.status for call in calls)
    times = sorted(call.exchange.took_s for call in calls if call.exchange.took_s is not None)
    sizes = [size for size in map(received_bytes, calls) if size is not None]
    return CallNumbers(
        calls=len(calls),
        wrong=sum(call.state is CallState.WRONG for call in calls),
        unanswered=sum(call.exchange.response is None for call in calls),
        statuses=tuple(sorted(statuses.items(), key=lambda pair: (-pair[1], pair[0]))),
        received_bytes=sum(sizes) if sizes else None,
        least_s=min(times, default=None),
        mean_s=math.fsum(times) / len(times) if times else None,
        p50_s=percentile(times, 50),
        p95_s=percentile(times, 95),
        p99_s=percentile(times, 99),
        longest_s=max(times, default=None),
    )


def received_bytes(call: Call) -> int | None:
    """Return how much came back: over the wire where that was counted, else the body's size."""
    response = call.exchange.response
    if response is None:
        return None
    if response.wire_bytes is not None:
        return response.wire_bytes
    return response.body.size_bytes if response.body else 0


def percentile(in_order: Sequence[float], per_cent: int) -> float | None:
    """Return a percentile of values in order, by nearest rank; None where there are too few.

    Source: Hyndman & Fan 1996, The American Statistician 50(4), definition 1.
    """
    number = len(in_order)
    if number < LEAST_VALUES[per_cent]:
        return None
    return in_order[-(-per_cent * number // 100) - 1]


def by_operation(calls: Iterable[Call]) -> list[tuple[Operation, CallNumbers]]:
    """Return the numbers of each operation: what went wrong first, then the most called."""
    grouped: dict[Operation, list[Call]] = defaultdict(list)
    for call in calls:
        grouped[call.operation].append(call)
    numbers = [(operation, count_calls(calls_of_it)) for operation, calls_of_it in grouped.items()]
    return sorted(numbers, key=lambda pair: (-pair[1].wrong, -pair[1].calls, pair[0].path, pair[0].method))
