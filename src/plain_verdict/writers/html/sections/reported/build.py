"""Load, as reported: what other tools summed up of a load run."""

from plain_verdict.report import Report
from plain_verdict.report.load.sums import ReportedOverview
from plain_verdict.writers.html.sections.interface import PageParts, Section


def _find_matter(report: Report, _: PageParts) -> ReportedOverview | None:
    return report.reported


REPORTED = Section("reported", _find_matter)
