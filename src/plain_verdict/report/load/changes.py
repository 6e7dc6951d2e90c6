"""The overview of a load run beside an earlier one."""

import math
from collections.abc import Iterator

import msgspec

from plain_verdict.model import Change, Comparison, RateChange
from plain_verdict.text.formatting import (
    format_day,
    format_duration,
    format_failed_share,
    join_list,
    plural,
)

_LONG_S = 7_200  # longer runs are planned in hours
COMPARED = 95.0
"""The percentile that the page compares."""


class ChangeRow(msgspec.Struct, frozen=True):
    """The p95 of a request before and now, in words; and the interval's place in a chart, 0 to 190."""

    change: Change
    words: str
    by: str
    low: float | None
    high: float | None
    middle: float

    @property
    def is_slower(self) -> bool:
        """Return whether it is slower for certain."""
        return self.change.certain and self.change.share > 0


def changed(compared: Comparison) -> str:
    """Return what an earlier run was like, in a sentence."""
    parts = [f"Compared with the run of {format_day(compared.started)}: {_failed(compared)}", _sent(compared)]
    for names, words in ((compared.new, "new"), (compared.gone, "no longer sent")):
        if names:
            parts.append(f"{join_list(names)} {'is' if len(names) == 1 else 'are'} {words}")
    return " ".join(["; ".join(parts) + ".", *_limits(compared)])


def _limits(compared: Comparison) -> Iterator[str]:
    """Yield which changes these runs can show at all, and what they are compared without."""
    share, needed_s = compared.shown_share, compared.needed_s
    yield _smallest(share, needed_s)
    if compared.too_short and needed_s:
        yield "Their times wander slowly, and the runs are short for that: the intervals may be too narrow."
    if compared.without_start_s:
        start = format_duration(compared.without_start_s)
        yield f"Percentiles are compared without the first {start} of both runs: one of them was slower there."


def _smallest(share: float | None, needed_s: float | None) -> str:
    """Return from which change on two runs show one."""
    if share is None:
        return "One of the runs is too short for intervals, or has too few requests: they need 45 seconds at least."
    if share >= 1:
        return "Times vary so much in these runs that they show no change of the p95 under 100 %."
    shown = f"These runs show changes of the p95 from about {math.ceil(100 * share)} % on"
    longer = f"; to show 10 %, each would have to last about {_rounded(needed_s)}" if needed_s else ""
    return f"{shown}{longer}."


def _rounded(seconds: float) -> str:
    """Return a length to plan with: in five minutes, or in hours."""
    if seconds < _LONG_S:
        return f"{max(1, math.ceil(seconds / 300)) * 5} min"
    return plural(math.ceil(seconds / 3600), "hour")


def changes_of(compared: Comparison) -> Iterator[ChangeRow]:
    """Yield the p95 before and now, significant changes first."""
    changes = [change for change in compared.changes if change.per_cent == COMPARED]
    ends = [abs(end) for change in changes for end in (change.low_s or 0.0, change.high_s or 0.0)]
    reach = max(ends, default=0.0) or 1.0
    for change in sorted(changes, key=lambda change: (not change.certain, -abs(change.share))):
        by = change.now_s - change.before_s
        low, high = (None if end is None else _position(end, reach) for end in (change.low_s, change.high_s))
        yield ChangeRow(change, _significance(change), _difference(change), low, high, _position(by, reach))


def _difference(change: Change) -> str:
    by = change.now_s - change.before_s
    difference = f"{'+' if by >= 0 else '−'}{format_duration(abs(by))}"
    if change.low_s is None or change.high_s is None:
        return difference
    return f"{difference} ({_signed(change.low_s)} to {_signed(change.high_s)})"


def _position(seconds: float, reach: float) -> float:
    """Return where a difference stands on its scale, 5 to 185: none stands in the middle."""
    return round(95 + 90 * max(-1.0, min(1.0, seconds / reach)), 1)


def _significance(change: Change) -> str:
    if change.certain:
        return "significantly slower" if change.share > 0 else "significantly faster"
    return "too short, or too few requests" if change.low_s is None else "no significant change"


def _failed(compared: Comparison) -> str:
    """Return how the share of failed requests changed."""
    change = compared.failed
    before = f"{format_failed_share(change.before)} failed" if change.before else "none failed"
    now = f"{format_failed_share(change.now)} failed now" if change.now else "none fail now"
    sentence = f"{before} before, {now}"
    if change.before or change.now:
        sentence += f" ({_in_words(change)})"
    worse = [
        name
        for name, rate_change in compared.failed_by_request
        if rate_change.certain and rate_change.now > rate_change.before
    ]
    return f"{sentence}; the error share of {join_list(worse)} rose" if worse else sentence


def _sent(compared: Comparison) -> str:
    """Return how what was sent a second changed."""
    change = compared.per_second
    return f"{change.before:,.1f} requests/s before, {change.now:,.1f} now ({_in_words(change)})"


def _in_words(change: RateChange) -> str:
    if change.low is None:
        return "too short, or too few requests to compare"
    return "significant" if change.certain else "no significant change"


def _signed(seconds: float) -> str:
    return f"{'+' if seconds >= 0 else '−'}{format_duration(abs(seconds))}"
