"""Load, as reported: what other tools summed up of a load run."""

from typing import TYPE_CHECKING

from plain_verdict.report import Report
from plain_verdict.writers.html.sections.interface import PageParts, Section

if TYPE_CHECKING:
    from plain_verdict.report.load.sums import ReportedOverview


def _find_matter(report: Report, _: PageParts) -> "ReportedOverview | None":
    return report.reported


REPORTED = Section("reported", _find_matter)
