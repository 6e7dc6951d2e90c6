"""Timeline: what ran when and where, and what took longest."""

from collections.abc import Sequence

import msgspec

from plain_verdict.model import Check
from plain_verdict.report import Report
from plain_verdict.report.suites import SuiteGroup
from plain_verdict.report.timeline import Timeline
from plain_verdict.text.formatting import format_duration
from plain_verdict.writers.html.sections.interface import PageParts, PageSection

_TRACKS_IN_VIEW = 6
_MANY = 1.05  # checks at once on average, from which more than one ran


class TimelineContent(msgspec.Struct, frozen=True):
    """The strip of time, the slowest checks each with its share of the slowest one, in per cent, and suites."""

    timeline: Timeline | None
    slowest: list[tuple[Check, float]]
    slowest_suites: Sequence[SuiteGroup]

    @property
    def tracks_in_view(self) -> int:
        """Return how many tracks stand open."""
        number = len(self.timeline.tracks) if self.timeline else 0
        return _TRACKS_IN_VIEW if number > _TRACKS_IN_VIEW + 2 else number

    @property
    def in_words(self) -> str:
        """Return how long the run took, and how many checks ran at once."""
        times = self.timeline
        if times is None:
            return ""
        at_once = f", {times.at_once:.1f} at once" if times.at_once >= _MANY else ""
        wall, checks = format_duration(times.wall_s), format_duration(times.checks_s)
        return f"{wall} from first to last, {checks} of checks{at_once}."


def _select(report: Report, _: PageParts) -> TimelineContent | None:
    if not (report.timeline or report.slowest):
        return None
    longest_s = report.slowest[0].last.took_s if report.slowest else None
    slowest = [(check, round(100 * (check.last.took_s or 0) / (longest_s or 1), 1)) for check in report.slowest]
    return TimelineContent(report.timeline, slowest, report.slowest_suites)


TIMELINE = PageSection("timeline", _select)
