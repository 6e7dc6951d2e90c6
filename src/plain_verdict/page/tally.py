"""Places the tally strip's segments."""

from plain_verdict.model import Outcome, Tally

_LEAST = 1.2  # per cent of the strip: a single failure among thousands must still be seen
_GAP = 0.25


def segments(tally: Tally) -> list[tuple[Outcome, float, float]]:
    """Return (outcome, start, width) for each outcome that occurs, in per cent of the strip's width."""
    present = [(outcome, tally.of(outcome)) for outcome in Outcome if tally.of(outcome)]
    room = 100 - _GAP * (len(present) - 1)
    widths = {outcome: max(_LEAST, room * number / tally.total) for outcome, number in present}
    largest = max(widths, key=lambda outcome: widths[outcome], default=None)
    if largest:
        widths[largest] -= sum(widths.values()) - room
    placed, start = [], 0.0
    for outcome, width in widths.items():
        placed.append((outcome, round(start, 3), round(width, 3)))
        start += width + _GAP
    return placed
