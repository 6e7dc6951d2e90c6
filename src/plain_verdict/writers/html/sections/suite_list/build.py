"""All checks of a page in a folder, by plain links: what failed, and a page for each suite."""

import msgspec

from plain_verdict.model import Check
from plain_verdict.report import Report
from plain_verdict.report.causes import MANY_FAILURES
from plain_verdict.report.suites import SuiteGroup
from plain_verdict.writers.html.sections.interface import PageParts, PageSection


class SuiteListContent(msgspec.Struct, frozen=True):
    """The failures that are listed, how many more there are, and the files of each suite."""

    failures: tuple[Check, ...]
    more_failures: int
    suites: tuple[tuple[SuiteGroup, list[str]], ...]


def _select(report: Report, page: PageParts) -> SuiteListContent | None:
    if not page.links.folder:
        return None
    return SuiteListContent(report.bad[:MANY_FAILURES], max(0, len(report.bad) - MANY_FAILURES), page.suite_pages)


SUITE_LIST = PageSection("suite_list", _select)
