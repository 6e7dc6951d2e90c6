"""What a page's head tells the index of it, so that an index of thousands need not read whole pages."""

from datetime import datetime

import msgspec

from plain_verdict.model import Outcome, VerdictWord
from plain_verdict.report.report import Report
from plain_verdict.text.formatting import shorten

_TITLE_CHARS, _WHY_CHARS, _SERIES_CHARS = 200, 300, 300
_FACTS, _FACT_CHARS = 8, 100  # the line stands in each page and is read for each entry of the index


class IndexLine(msgspec.Struct, frozen=True, omit_defaults=True):
    """A page in one line. ``counts`` are in the order of outcomes; ``series`` is what its run belongs to.

    ``took_s`` is from the run's beginning to its end.
    """

    id: str
    series: str
    title: str
    verdict: VerdictWord
    why: str
    counts: tuple[int, ...]
    made: datetime
    started: datetime | None = None
    took_s: float | None = None
    build: str = ""
    branch: str = ""
    new: int | None = None
    facts: dict[str, str] = {}

    @property
    def moment(self) -> datetime:
        """Return its place in time."""
        return self.started or self.made


def index_line(report: Report) -> IndexLine:
    """Return the line of a report."""
    started, ended = report.span
    known = {"build", "branch"}
    facts = [fact for fact in report.info.facts if fact.key.casefold() not in known][:_FACTS]
    build = report.kept.build
    return IndexLine(
        id=build.id,
        series=shorten(build.series, _SERIES_CHARS),
        title=shorten(build.title, _TITLE_CHARS),
        verdict=build.verdict,
        why=shorten(build.why, _WHY_CHARS),
        counts=tuple(build.tally.of(outcome) for outcome in Outcome),
        made=build.made,
        started=build.started,
        took_s=round((ended - started).total_seconds(), 3) if started and ended else None,
        build=shorten(build.build, _FACT_CHARS),
        branch=shorten(build.branch, _FACT_CHARS),
        new=len(report.new) if report.history else None,
        facts={shorten(fact.key, _FACT_CHARS): shorten(fact.value, _FACT_CHARS) for fact in facts},
    )
