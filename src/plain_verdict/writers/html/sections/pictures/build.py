"""Every picture of the run, each once."""

from plain_verdict.report import Report
from plain_verdict.report.evidence_index import Picture
from plain_verdict.writers.html.sections.interface import PageParts, Section


def _find_matter(report: Report, _: PageParts) -> tuple[Picture, ...] | None:
    return report.evidence.pictures or None


PICTURES = Section("pictures", _find_matter)
