"""Quarantine: the checks whose failures do not count for now, and those that just left."""

from plain_verdict.model import Check, Quarantined
from plain_verdict.report import Report
from plain_verdict.writers.html.sections.interface import PageParts, PageSection


def _select(report: Report, _: PageParts) -> list[tuple[Quarantined, Check | None]] | None:
    """Return each check in quarantine, None where this run has it no more."""
    entries = report.verdict.quarantine
    ids = {entry.id for entry in entries}
    checks = {check.id: check for check in report.run.checks.named(ids)}
    return [(entry, checks.get(entry.id)) for entry in entries] or None


QUARANTINE = PageSection("quarantine", _select)
