"""What the team says of the run: words, facts, when it was and when this page was made."""

from plain_verdict.report import PageInfo, Report
from plain_verdict.writers.html.sections.interface import PageParts, Section


def _find_matter(report: Report, _: PageParts) -> PageInfo:
    return report.info


ABOUT = Section("about", _find_matter)
