"""Numbers of the team's own: what was measured besides checks and requests."""

from typing import TYPE_CHECKING

from plain_verdict.report import Report
from plain_verdict.writers.html.sections.interface import PageParts, Section

if TYPE_CHECKING:
    from plain_verdict.report.load.sums import MetricsOverview


def _find_matter(report: Report, _: PageParts) -> "MetricsOverview | None":
    return report.metrics


METRICS = Section("metrics", _find_matter)
