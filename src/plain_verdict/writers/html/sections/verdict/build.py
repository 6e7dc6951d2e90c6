"""The verdict: its word, why, and what a reader should know besides."""

from plain_verdict.model import Verdict
from plain_verdict.report import Report
from plain_verdict.writers.html.sections.interface import PageParts, Section


def _find_matter(report: Report, _: PageParts) -> Verdict:
    return report.verdict


VERDICT = Section("verdict", _find_matter)
