"""How each browser, platform or region did, and the checks that differ between them."""

from plain_verdict.report import Report
from plain_verdict.report.variants import VariantGrid
from plain_verdict.writers.html.sections.interface import PageParts, Section


def _find_matter(report: Report, _: PageParts) -> tuple[VariantGrid, ...] | None:
    return report.variants or None


VARIANTS = Section("variants", _find_matter)
