"""Numbers of the team's own, one value or many over time: counted in little room, mergeable in any order.

Nothing here needs more than Python itself, as records and summaries have metrics, too.
"""

import math
import struct
from collections import Counter
from collections.abc import Iterable, Mapping
from datetime import UTC, datetime

from plain_verdict.model import Metric, Payload, Reported

_SHIFT = 42
"""Bits of a double's mantissa that a bin leaves out: bins are at most 0.1 % wide, as those of times (bins.py)."""
_METRIC_STEPS = 60  # points of a small chart
_SHARE = 0.95
_LEAST_FOR_SHARE = 59
"""Values from which 95 % are given; see ``percentiles.least_count``."""
MOST_METRICS = 5_000  # a file with more has ids in their names


def bin_of(value: float) -> int:
    """Return the bin of a value; those of negative ones are negative."""
    bits = int(struct.unpack("<q", struct.pack("<d", abs(value)))[0]) >> _SHIFT
    return -bits if value < 0 else bits


def _middle(found: int) -> float:
    low, high = struct.unpack("<dd", struct.pack("<qq", abs(found) << _SHIFT, (abs(found) + 1) << _SHIFT))
    return float(math.copysign((low + high) / 2, found)) if found else 0.0


class MetricState:
    """What is kept of one metric: counts by bin, and by the second that a value is of, where that is known."""

    __slots__ = ("bins", "count", "least", "longest", "second_counts", "second_sums", "total")

    def __init__(self) -> None:
        self.count = 0
        self.total = 0.0
        self.least = math.inf
        self.longest = -math.inf
        self.bins: Counter[int] = Counter()
        self.second_counts: Counter[int] = Counter()
        self.second_sums: dict[int, float] = {}

    def add(self, value: float, second: int | None = None) -> None:
        """Count one value."""
        known = () if second is None else ((second, value, 1),)
        self.add_counted({bin_of(value): 1}, value, value, value, known)

    def add_counted(
        self,
        bins: Mapping[int, int],
        total: float,
        least: float,
        longest: float,
        seconds: Iterable[tuple[int, float, int]],
    ) -> None:
        """Count values by their bins; ``seconds`` are (second, sum, how many) of those whose moment is known."""
        self.count += sum(bins.values())
        self.bins.update(bins)
        self.total += total
        self.least, self.longest = min(self.least, least), max(self.longest, longest)
        for second, metric_value, times in seconds:
            self.second_counts[second] += times
            self.second_sums[second] = self.second_sums.get(second, 0.0) + metric_value

    def merge(self, other: "MetricState") -> None:
        """Take in the values of another part."""
        seconds = [(second, other.second_sums[second], times) for second, times in other.second_counts.items()]
        self.add_counted(other.bins, other.total, other.least, other.longest, seconds)

    def at_share(self, share: float) -> float:
        """Return the value at a share of all, by nearest rank: within 0.05 %, and never outside of the ends."""
        wanted, below = math.ceil(round(share * self.count, 9)), 0
        found = next(
            bin_number for bin_number in sorted(self.bins) if (below := below + self.bins[bin_number]) >= wanted
        )
        return min(max(_middle(found), self.least), self.longest)


def metric_of(name: str, unit: str, state: MetricState) -> Metric:
    """Return a metric in numbers."""
    seconds = sorted(state.second_counts)
    is_series = len(seconds) > 1
    return Metric(
        name=name,
        unit=unit,
        count=state.count,
        least=state.least,
        mean=state.total / state.count,
        longest=state.longest,
        p95=state.at_share(_SHARE) if state.count >= _LEAST_FOR_SHARE else None,
        started=datetime.fromtimestamp(seconds[0], UTC) if is_series else None,
        ended=datetime.fromtimestamp(seconds[-1], UTC) if is_series else None,
        series=_series(state, seconds[0], seconds[-1]) if is_series else (),
    )


def _series(state: MetricState, first: int, last: int) -> tuple[float | None, ...]:
    """Return the means of equal steps from the first second to the last; None where a step has no value."""
    step = max(1, math.ceil((last - first + 1) / _METRIC_STEPS))
    sums: Counter[int] = Counter()
    totals: dict[int, float] = {}
    for second, times in state.second_counts.items():
        at = (second - first) // step
        sums[at] += times
        totals[at] = totals.get(at, 0.0) + state.second_sums[second]
    return tuple(totals[at] / sums[at] if at in totals else None for at in range((last - first) // step + 1))


class MetricStates(dict[tuple[str, str], MetricState]):
    """The metrics of a file or a run, by name and unit."""

    def of(self, name: str, unit: str) -> MetricState:
        """Return the state of one, a new one for a new name; past very many all new ones are one."""
        key = (name, unit)
        if key not in self and len(self) >= MOST_METRICS:
            key = ("other metrics", "")
        return self.setdefault(key, MetricState())

    def merge(self, other: "MetricStates") -> None:
        """Take in the metrics of another part."""
        for (name, unit), state in other.items():
            self.of(name, unit).merge(state)


class SumsPayload(Payload, frozen=True):
    """What a result file holds of sums that another tool made, and of the team's own numbers."""

    reported: Reported | None
    metrics: MetricStates

    @property
    def amount(self) -> tuple[int, str]:
        """Return how many requests it sums up, or else how many metrics it holds."""
        return (len(self.reported.requests), "summed request") if self.reported else (len(self.metrics), "metric")
