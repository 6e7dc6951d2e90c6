"""Load: how many requests there were, what they took, what failed, and whether the targets were kept."""

from typing import TYPE_CHECKING

from plain_verdict.report import Report
from plain_verdict.writers.html.sections.interface import PageParts, Section

if TYPE_CHECKING:
    from plain_verdict.report.load.overview import LoadOverview


def _find_matter(report: Report, _: PageParts) -> "LoadOverview | None":
    return report.load


LOAD = Section("load", _find_matter)
