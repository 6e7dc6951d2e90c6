"""Compliance: rules kept and broken, set by set, with how grave what is broken is."""

from typing import TYPE_CHECKING

from plain_verdict.report import Report
from plain_verdict.writers.html.sections.interface import PageParts, Section

if TYPE_CHECKING:
    from plain_verdict.report.compliance import ComplianceOverview


def _find_matter(report: Report, _: PageParts) -> "ComplianceOverview | None":
    return report.compliance


COMPLIANCE = Section("compliance", _find_matter)
