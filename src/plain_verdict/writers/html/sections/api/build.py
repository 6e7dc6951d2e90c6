"""API: the operations that were called, how they answered, and what was never called."""

from plain_verdict.report import Report
from plain_verdict.report.api import ApiOverview
from plain_verdict.writers.html.sections.interface import PageParts, Section


def _find_matter(report: Report, _: PageParts) -> ApiOverview | None:
    return report.api


API = Section("api", _find_matter)
