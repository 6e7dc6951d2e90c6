"""Requirements: each requirement with how it stands and its checks."""

from typing import TYPE_CHECKING

from plain_verdict.report import Report
from plain_verdict.writers.html.sections.interface import PageParts, Section

if TYPE_CHECKING:
    from plain_verdict.report.asked import AskedOverview


def _find_matter(report: Report, _: PageParts) -> "AskedOverview | None":
    return report.asked


ASKED = Section("asked", _find_matter)
