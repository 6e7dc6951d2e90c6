"""Renders the page in one file."""

from collections.abc import Iterator

from plain_verdict.report import Report
from plain_verdict.writers.html.links import Links
from plain_verdict.writers.html.renderer import Renderer
from plain_verdict.writers.html.sections import PageParts


def render_page(report: Report, *, fold_after: int, in_background: bool) -> Iterator[str]:
    """Yield the page in pieces; past ``fold_after`` checks it is folded, with another process's help if wanted."""
    renderer = Renderer(report)
    links = Links({check.id: "" for group in report.suites for check in group.checks})
    folding = renderer.fold(links) if len(links.pages) > fold_after else None
    if folding:
        folding.start(in_background=in_background)
    return renderer.page(PageParts(links, folding))
