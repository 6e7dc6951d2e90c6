"""Since the build before: the strip of builds, what is new, fixed, flaky, slower; and build by build."""

from plain_verdict.report import Report
from plain_verdict.report.history import HistoryOverview
from plain_verdict.writers.html.sections.interface import PageParts, Section


def _find_matter(report: Report, _: PageParts) -> HistoryOverview | None:
    return report.history


SINCE = Section("since", _find_matter)
