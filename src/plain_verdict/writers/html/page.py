"""The page in one file."""

from collections.abc import Iterator

import msgspec

from plain_verdict.processes import can_fork
from plain_verdict.report import Report
from plain_verdict.settings.limits import FOLD_AFTER
from plain_verdict.writers.html.links import Links
from plain_verdict.writers.html.renderer import Renderer
from plain_verdict.writers.html.sections import PageParts
from plain_verdict.writers.interface import OutputFile


class PageWriter(msgspec.Struct, frozen=True):
    """Writes one HTML file with everything in it.

    Past ``fold_after`` checks it is folded; ``in_background`` None: another process helps where that is quicker.
    """

    fold_after: int = FOLD_AFTER
    in_background: bool | None = None

    name = "page"
    suffix = ".html"
    about = "one HTML file with everything in it"
    is_layout = True

    def render(self, report: Report) -> Iterator[OutputFile]:
        """Yield the page."""
        renderer = Renderer(report)
        links = Links({check.id: "" for group in report.suites for check in group.checks})
        folding = renderer.fold(links) if len(links.pages) > self.fold_after else None
        if folding:
            folding.start(in_background=can_fork() if self.in_background is None else self.in_background)
        yield OutputFile("verdict.html", renderer.page(PageParts(links, folding)))
