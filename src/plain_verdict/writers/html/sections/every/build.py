"""All checks of a page in one file, by suite."""

from plain_verdict.report import Report
from plain_verdict.report.suites import SuiteGroup
from plain_verdict.writers.html.sections.interface import PageParts, Section


def _find_matter(report: Report, page: PageParts) -> tuple[SuiteGroup, ...] | None:
    return None if page.links.folder else report.suites


EVERY = Section("every", _find_matter)
