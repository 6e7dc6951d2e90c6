"""By kind: each kind of the run with its own sentence and word, as soon as there are several."""

from plain_verdict.model import Kind, KindVerdict
from plain_verdict.report import Report
from plain_verdict.writers.html.sections.interface import PageParts, PageSection


def _select(report: Report, page: PageParts) -> list[tuple[KindVerdict, str]] | None:
    kinds = report.verdict.kinds
    if len(kinds) < 2:
        return None
    return [(kind, _target(kind.kind, report, folder=page.links.folder)) for kind in kinds]


def _target(kind: Kind, report: Report, *, folder: bool) -> str:
    """Return where a kind is given: in its own section, or as a view of the list of checks."""
    if kind is Kind.API and report.api:
        return "api"
    if kind is Kind.LOAD and (report.load or report.reported):
        return "load" if report.load else "reported"
    if kind is Kind.COMPLIANCE and report.compliance:
        return "compliance"
    return "every" if folder else f"kind={kind.value}"


BY_KIND = PageSection("by_kind", _select)
