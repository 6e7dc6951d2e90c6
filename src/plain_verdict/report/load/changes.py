"""What is told of a load run beside an earlier one."""

from collections.abc import Iterator

import msgspec

from plain_verdict.model import Change, Comparison, RateChange
from plain_verdict.text.formatting import format_day, format_duration, format_failed_share, join_list

COMPARED = 95.0
"""The percentile that the page compares."""


class ChangeRow(msgspec.Struct, frozen=True):
    """What 95 % of a request took before and now, in words; and the interval's place in a drawing, 0 to 190."""

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
    for names, words in ((compared.new, "new"), (compared.gone, "not sent any more")):
        if names:
            parts.append(f"{join_list(names)} {'is' if len(names) == 1 else 'are'} {words}")
    return "; ".join(parts) + "."


def changes_of(compared: Comparison) -> Iterator[ChangeRow]:
    """Yield what 95 % took before and now, what is certain first."""
    own = [one for one in compared.changes if one.per_cent == COMPARED]
    reach = max((abs(end) for one in own for end in (one.low_s or 0.0, one.high_s or 0.0)), default=0.0) or 1.0

    def at(seconds: float) -> float:
        return round(95 + 90 * max(-1.0, min(1.0, seconds / reach)), 1)

    for one in sorted(own, key=lambda one: (not one.certain, -abs(one.share))):
        words = "too short to tell" if one.low_s is None else "no more than chance explains"
        if one.certain:
            words = "slower, more than chance explains" if one.share > 0 else "faster, more than chance explains"
        by = one.now_s - one.before_s
        said = f"{'+' if by >= 0 else '−'}{format_duration(abs(by))}"
        if one.low_s is not None and one.high_s is not None:
            said += f" ({_signed(one.low_s)} to {_signed(one.high_s)})"
        low, high = (None if end is None else at(end) for end in (one.low_s, one.high_s))
        yield ChangeRow(one, words, said, low, high, at(by))


def _failed(compared: Comparison) -> str:
    """Return how the share of failed requests changed."""
    change = compared.failed
    before = f"{format_failed_share(change.before)} failed then" if change.before else "none failed then"
    now = f"{format_failed_share(change.now)} now" if change.now else "none now"
    said = f"{before}, {now}"
    if change.before or change.now:
        said += f" ({_told(change)})"
    worse = [name for name, one in compared.failed_by_request if one.certain and one.now > one.before]
    return f"{said}; more of {join_list(worse)} failed" if worse else said


def _sent(compared: Comparison) -> str:
    """Return how what was sent a second changed."""
    change = compared.per_second
    return f"{change.before:,.1f} requests a second then, {change.now:,.1f} now ({_told(change)})"


def _told(change: RateChange) -> str:
    if change.low is None:
        return "too short to tell whether it changed"
    return "more than chance explains" if change.certain else "no more than chance explains"


def _signed(seconds: float) -> str:
    return f"{'+' if seconds >= 0 else '−'}{format_duration(abs(seconds))}"
