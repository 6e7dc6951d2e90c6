"""The checks in quarantine, in words."""

from collections.abc import Sequence

from plain_verdict.model import Quarantined, QuarantineState
from plain_verdict.text.formatting import format_date, plural

_MOST_LINES = 20


def quarantine_lines(entries: Sequence[Quarantined]) -> list[str]:
    """Return a line for each check: since when, until when, and whose it is; the first of many."""
    lines = [_line(entry) for entry in entries[:_MOST_LINES]]
    more = len(entries) - len(lines)
    return [*lines, f"and {more:,} more"] if more > 0 else lines


def _line(entry: Quarantined) -> str:
    days = f"since {format_date(entry.since)}, last day {format_date(entry.until)}"
    if entry.state is QuarantineState.RELEASED:
        days = f"passed in the last {plural(entry.passed, 'build')}"
    return f"{entry.name}: {', '.join(filter(None, (entry.state.value, days, entry.owner)))}"
