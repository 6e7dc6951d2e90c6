"""Evidence that several checks share, and files that belong to none."""

from plain_verdict.report import Report
from plain_verdict.report.evidence_index import EvidenceIndex
from plain_verdict.writers.html.sections.interface import PageParts, Section


def _find_matter(report: Report, _: PageParts) -> EvidenceIndex | None:
    evidence = report.evidence
    return evidence if evidence.shared or evidence.unclaimed else None


OTHER_EVIDENCE = Section("other_evidence", _find_matter)
