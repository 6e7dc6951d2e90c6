"""Why: the causes of what failed, largest first."""

import msgspec

from plain_verdict.report import Report
from plain_verdict.report.causes import CauseEntry
from plain_verdict.text.formatting import format_share
from plain_verdict.writers.html.sections.interface import PageParts, Section


class WhyMatter(msgspec.Struct, frozen=True):
    """Causes, each with its share of what failed: "" where only one check did. ``untold`` are only counted."""

    causes: list[tuple[CauseEntry, str]]
    number: int
    untold: int


def _find_matter(report: Report, _: PageParts) -> WhyMatter | None:
    bad = len(report.bad)
    if not bad:
        return None
    shares = [format_share(len(entry.cause.checks), bad) if bad > 1 else "" for entry in report.causes]
    number = len(report.verdict.causes)
    return WhyMatter(list(zip(report.causes, shares, strict=True)), number, number - len(report.causes))


WHY = Section("why", _find_matter)
