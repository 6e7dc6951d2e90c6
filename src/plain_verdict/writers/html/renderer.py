"""Renders templates with what all pages of a report share."""

from collections.abc import Iterator

import msgspec

from plain_verdict.history.digest import encode_digest, pack
from plain_verdict.model.judged_content import canonical
from plain_verdict.report import Report
from plain_verdict.report.index_line import index_line
from plain_verdict.runtime.executors import EngineOptions
from plain_verdict.writers.digest_json import digest_of
from plain_verdict.writers.html.checks.check import CheckHtml
from plain_verdict.writers.html.checks.rows import SKELETON
from plain_verdict.writers.html.checksums import with_checksum
from plain_verdict.writers.html.environment import asset, make_environment
from plain_verdict.writers.html.folding import Folding
from plain_verdict.writers.html.links import Links
from plain_verdict.writers.html.sections import PageParts, sections_of
from plain_verdict.writers.html.sections.navigation import navigation_of
from plain_verdict.writers.html.theme import make_theme
from plain_verdict.writers.interface import OutputFile


class Renderer:
    """Renders the pages of one report."""

    def __init__(self, report: Report, line: str = "") -> None:
        """``line`` is what an index takes from a page, where that is known already."""
        self._report = report
        self._environment = make_environment()
        self._theme = make_theme(report.info.brand, report.verdict.word)
        self.index_line = line or msgspec.json.encode(index_line(report)).decode()

    def page(self, parts: PageParts) -> Iterator[str]:
        """Yield the page, or the first page of a folder, in pieces: each section that has content."""
        found = ((section, section.select(self._report, parts)) for section in sections_of(self._report))
        sections = [(section, content) for section, content in found if content is not None]
        # A folded page holds its checks already, if it holds them all.
        in_columns = parts.folding is not None and not self._report.left_out
        digest = pack(encode_digest(digest_of(self._report, in_columns=in_columns)))
        return self._render(
            "page",
            parts.links,
            sections=sections,
            navigation=navigation_of(sections, self._report),
            folding=parts.folding,
            facets="" if parts.links.folder else self._facets(parts.folding),
            digest=digest,
            judged=pack(canonical(self._report.judged)),
        )

    def _facets(self, folding: Folding | None) -> str:
        """Return the facets of the list of checks, packed; "" for none."""
        order = folding.checks if folding else [check for group in self._report.suites for check in group.shown]
        facets = self._report.facets(order)
        return pack(msgspec.json.encode(facets)) if facets else ""

    def suite(self, links: Links, **more: object) -> Iterator[str]:
        """Yield the page of a suite, or of a part of one, in pieces."""
        return self._render("suite", links, folding=None, **more)

    def fold(self, links: Links, engine: EngineOptions) -> Folding:
        """Return the folded part of the page."""
        return Folding(self._report, CheckHtml(self._report, links).text, SKELETON, engine)

    def assets(self) -> Iterator[OutputFile]:
        """Yield what the pages of a folder share."""
        yield OutputFile("style.css", str(asset("style.css")).encode())
        yield OutputFile("script.js", str(asset("script.js")).encode())
        if self._theme.css:
            yield OutputFile("brand.css", str(self._theme.css).encode())
        yield from (OutputFile(name, data) for name, data in self._theme.files)

    def _render(self, name: str, links: Links, **more: object) -> Iterator[str]:
        template = self._environment.get_template(f"{name}.html.j2")
        return with_checksum(template.generate(self._shared(links), **more))

    def _shared(self, links: Links) -> dict[str, object]:
        checks = CheckHtml(self._report, links)
        return {
            "report": self._report,
            "info": self._report.info,
            "theme": self._theme,
            "links": links,
            "parts": checks,
            "evidence": checks.evidence,
            "index_line": self.index_line,
        }
