"""Renders the page as a folder of files."""

from collections.abc import Iterator, Sequence

from plain_verdict.model import Content, ContentKind, as_columns
from plain_verdict.model.marks import FIRST_PAGE
from plain_verdict.report import Report
from plain_verdict.report.brand.svg import picture_of_svg
from plain_verdict.report.suites import SuiteGroup, part_of
from plain_verdict.runtime.executors import EngineOptions
from plain_verdict.writers.html.links import Links, file_of, suite_files
from plain_verdict.writers.html.renderer import Renderer
from plain_verdict.writers.html.sections import PageParts
from plain_verdict.writers.html.suite_pages import SuitePage, render_suites
from plain_verdict.writers.interface import OutputFile

_CHECKS_A_PAGE = 1000  # of a suite's page: what a browser opens in a blink without any script


def render_folder(report: Report, engine: EngineOptions) -> Iterator[OutputFile]:
    """Yield the first page, a page for each suite, styles, script and pictures."""
    renderer = Renderer(report)
    names = suite_files([(group.path, len(group.checks)) for group in report.suites], _CHECKS_A_PAGE)
    suites = tuple(zip(report.suites, names, strict=True))
    pages = {
        id_: files[number // _CHECKS_A_PAGE]
        for group, files in suites
        for number, id_ in enumerate(as_columns(group.checks).ids())
    }
    links = Links(pages, FIRST_PAGE)
    yield OutputFile(FIRST_PAGE, renderer.page(PageParts(links, suite_pages=suites)))
    yield from render_suites(report, list(_pages_of(suites)), links, renderer, engine)
    yield from renderer.assets()
    for content in report.run.contents:
        if content.kind is not ContentKind.TEXT:
            yield OutputFile(file_of(content), _bytes(content))


def _pages_of(suites: Sequence[tuple[SuiteGroup, list[str]]]) -> Iterator[SuitePage]:
    for group, files in suites:
        name = " › ".join(group.path) or "Outside any suite"
        for number, file in enumerate(files):
            yield SuitePage(file, part_of(group, number * _CHECKS_A_PAGE, _CHECKS_A_PAGE), files, name)


def _bytes(content: Content) -> bytes:
    """Return a content's bytes as a file; an SVG becomes a picture, as opened by itself it could run."""
    return picture_of_svg(content.data) if content.media_type == "image/svg+xml" else content.data
