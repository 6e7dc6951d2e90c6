"""All checks: suites with what needs a reader first, what passed or was skipped folded."""

from typing import Literal

import msgspec

from plain_verdict.model import Checks, tally_of
from plain_verdict.report import Report
from plain_verdict.report.suites import SuiteGroup, describe_tally
from plain_verdict.text.formatting import plural
from plain_verdict.writers.html.sections.interface import PageParts, PageSection

_FEW_CHECKS = 40
"""Checks up to which all stand open: the page is short."""
_FEW_SUITES = 3


class AllChecksContent(msgspec.Struct, frozen=True):
    """The suites in which something needs a reader, and the others. ``quiet`` says how what passed stands."""

    notable: tuple[SuiteGroup, ...]
    others: tuple[SuiteGroup, ...]
    quiet: Literal["folded", "open"]

    @property
    def folds_suites(self) -> bool:
        """Return whether the others are many enough to stand in one fold."""
        return bool(self.notable) and len(self.others) >= _FEW_SUITES and self.quiet == "folded"

    @property
    def quiet_words(self) -> str:
        """Return how many suites the fold holds, and how their checks ended."""
        outcomes = describe_tally(tally_of(Checks.joined(group.checks for group in self.others)))
        return f"{plural(len(self.others), 'suite')} without a failure: {outcomes}"


def _select(report: Report, page: PageParts) -> AllChecksContent | None:
    if page.links.folder:
        return None
    first_quiet = next((at for at, group in enumerate(report.suites) if group.is_quiet), len(report.suites))
    count = sum(len(group.checks) for group in report.suites)
    return AllChecksContent(
        report.suites[:first_quiet], report.suites[first_quiet:], "open" if count <= _FEW_CHECKS else "folded"
    )


ALL_CHECKS = PageSection("all_checks", _select)
