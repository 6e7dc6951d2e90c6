"""Renders the page in one file."""

from collections.abc import Iterator

from plain_verdict.report import Report
from plain_verdict.report.shown_exchange import exchange_chars
from plain_verdict.runtime.executors import EngineOptions
from plain_verdict.settings.limits import FOLD_AFTER_CHARS
from plain_verdict.writers.html.folding import is_heavy
from plain_verdict.writers.html.links import Links
from plain_verdict.writers.html.renderer import Renderer
from plain_verdict.writers.html.sections import PageParts


def render_page(report: Report, *, fold_after: int, in_background: bool, engine: EngineOptions) -> Iterator[str]:
    """Yield the page in pieces.

    Past ``fold_after`` checks, or where exchanges hold very much text, it is folded, with another process's help if
    wanted, or that of a cluster.
    """
    renderer = Renderer(report)
    checks = report.shown_run.checks
    links = Links(dict.fromkeys(checks.ids(), "") if report.left_out else None)
    is_large = len(checks) > fold_after or exchange_chars(checks) > FOLD_AFTER_CHARS or is_heavy(checks)
    folding = renderer.fold(links, engine) if is_large else None
    if folding:
        folding.start(in_background=in_background)
    return renderer.page(PageParts(links, folding))
