"""Numbers of the team's own: what was measured besides checks and requests."""

from plain_verdict.report import Report
from plain_verdict.report.load.sums import MetricsOverview
from plain_verdict.writers.html.sections.interface import PageParts, Section


def _find_matter(report: Report, _: PageParts) -> MetricsOverview | None:
    return report.metrics


METRICS = Section("metrics", _find_matter)
