"""Causes: the causes of what failed, largest first."""

import msgspec

from plain_verdict.report import Report
from plain_verdict.report.causes import CauseEntry
from plain_verdict.text.formatting import count_or_share
from plain_verdict.writers.html.sections.interface import PageParts, PageSection

_MOST_IN_VIEW = 10
_NOT_WORTH_A_FOLD = 3  # more than that stand open, rather than behind a fold of one or two


class CausesContent(msgspec.Struct, frozen=True):
    """Causes, each with its share of what failed: "" where only one check did.

    ``folded`` can be unfolded, ``more`` are only counted.
    """

    causes: list[tuple[CauseEntry, str]]
    folded: list[tuple[CauseEntry, str]]
    number: int
    more: int


def _select(report: Report, _: PageParts) -> CausesContent | None:
    bad = len(report.bad)
    if not bad:
        return None
    shares = [_share(len(entry.cause.checks), bad) for entry in report.causes]
    number = len(report.verdict.causes)
    causes = list(zip(report.causes, shares, strict=True))
    in_view = _MOST_IN_VIEW if len(causes) >= _MOST_IN_VIEW + _NOT_WORTH_A_FOLD else len(causes)
    return CausesContent(causes[:in_view], causes[in_view:], number, number - len(causes))


def _share(part: int, whole: int) -> str:
    """Return how much of what failed a cause explains."""
    return count_or_share(part, whole, "that failed") if whole > 1 else ""


CAUSES = PageSection("causes", _select)
