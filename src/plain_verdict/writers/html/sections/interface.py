"""What a section of the page is."""

from collections.abc import Callable

import msgspec

from plain_verdict.report import Report
from plain_verdict.report.suites import SuiteGroup
from plain_verdict.writers.html.folding import Folding
from plain_verdict.writers.html.links import Links


class PageParts(msgspec.Struct, frozen=True):
    """What a page has besides its report: its links, what is folded in it, the pages of suites next to it."""

    links: Links
    folding: Folding | None = None
    suite_pages: tuple[tuple[SuiteGroup, list[str]], ...] = ()


class PageSection(msgspec.Struct, frozen=True):
    """A part of the page with its name in the margin: a folder of ``sections``.

    ``select`` returns its content, or None for a section that is left out. Its template, ``section.html.j2``,
    has the content as ``content``, and also the report, the links and the folded checks.
    """

    name: str
    select: Callable[[Report, PageParts], object | None]

    @property
    def template(self) -> str:
        """Return the name of its template."""
        return f"{self.name}/section.html.j2"
