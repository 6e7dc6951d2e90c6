"""What the team says of the run."""

from plain_verdict.report import Report
from plain_verdict.writers.html.sections.interface import PageParts, Section


def _find_matter(report: Report, _: PageParts) -> str | None:
    return report.info.description or None


ABOUT = Section("about", _find_matter)
