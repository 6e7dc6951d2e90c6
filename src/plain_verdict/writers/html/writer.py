"""The two layouts of the page as writers. What renders them is imported when a page is made: it brings Jinja2."""

from collections.abc import Iterator

import msgspec

from plain_verdict.report import Report
from plain_verdict.runtime.executors import EngineOptions
from plain_verdict.runtime.processes import can_fork
from plain_verdict.settings.limits import FOLD_AFTER
from plain_verdict.writers.html.checksums import with_sums
from plain_verdict.writers.html.page import render_page
from plain_verdict.writers.interface import OutputFile


class PageWriter(msgspec.Struct, frozen=True):
    """Writes one HTML file with everything in it.

    Past ``fold_after`` checks it is folded; ``in_background`` None: another process helps where that is quicker.
    """

    fold_after: int = FOLD_AFTER
    in_background: bool | None = None
    engine: EngineOptions = EngineOptions()
    """A cluster that renders what can be opened, if there is very much of it."""

    name = "page"
    suffix = ".html"
    about = "one HTML file with everything in it"
    is_layout = True

    def render(self, report: Report) -> Iterator[OutputFile]:
        """Yield the page."""
        in_background = can_fork() if self.in_background is None else self.in_background
        page = render_page(report, fold_after=self.fold_after, in_background=in_background, engine=self.engine)
        yield OutputFile("verdict.html", page)


class FolderWriter(msgspec.Struct, frozen=True):
    """Writes a folder in which nothing is inline: index.html, a page for each suite, styles, script and pictures.

    It reads well where a server forbids scripts, styles and data URLs.
    """

    engine: EngineOptions = EngineOptions()
    """Where the pages of very many checks are rendered."""

    name = "folder"
    suffix = ""
    about = "a folder that needs no script, no inline style and no data URL"
    is_layout = True

    def render(self, report: Report) -> Iterator[OutputFile]:
        """Yield the folder's files, the first page first."""
        from plain_verdict.writers.html.folder import render_folder  # for this layout only

        return with_sums(render_folder(report, self.engine))
