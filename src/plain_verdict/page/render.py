"""Renders the page in its two layouts from the same templates."""

from collections.abc import Iterator

from plain_verdict.brand.svg import picture_of_svg
from plain_verdict.model import Content, Run, Verdict
from plain_verdict.page import folding
from plain_verdict.page.dress import make_dress
from plain_verdict.page.environment import asset, make_environment
from plain_verdict.page.folding import Folding
from plain_verdict.page.front import Front
from plain_verdict.page.rows import make_skeleton
from plain_verdict.page.site import Site, file_of, suite_files
from plain_verdict.page.view import make_page, part_of

_CHECKS_A_PAGE = 1000  # of a suite's page in a folder: what a browser opens in a blink without any script

Piece = tuple[str, Iterator[str] | bytes]
"""A file of a folder: its name, and its text in pieces or its bytes."""


def render_page(run: Run, verdict: Verdict, front: Front) -> Iterator[str]:
    """Yield the page's HTML in pieces; the same arguments give the same text."""
    renderer = _Renderer(run, verdict, front)
    site = Site({check.id: "" for group in renderer.page.suites for check in group.checks})
    folded = renderer.fold(site) if len(site.pages) > folding.FOLD_AFTER else None
    return renderer.render("page", site, folding=folded)


def render_folder(run: Run, verdict: Verdict, front: Front) -> Iterator[Piece]:
    """Yield the files of a folder: index.html, a page for each suite, styles, script, pictures.

    Nothing in them is inline, so that they read well where a server forbids scripts, styles and data URLs.
    """
    renderer = _Renderer(run, verdict, front)
    groups = renderer.page.suites
    names = suite_files([(group.path, len(group.checks)) for group in groups], _CHECKS_A_PAGE)
    suites = list(zip(groups, names, strict=True))
    pages = {
        check.id: files[number // _CHECKS_A_PAGE]
        for group, files in suites
        for number, check in enumerate(group.checks)
    }
    site = Site(pages, "index.html")
    yield "index.html", renderer.render("page", site, suite_pages=suites, folding=None)
    for group, files in suites:
        name = " › ".join(group.path) or "Outside any suite"
        for number, file in enumerate(files):
            part = part_of(group, number * _CHECKS_A_PAGE, _CHECKS_A_PAGE)
            yield (
                file,
                renderer.render("suite", site.at(file), group=part, files=files, suite_name=name, folding=None),
            )
    yield from renderer.assets()
    for content in run.contents:
        if content.kind != "text":
            yield file_of(content), _bytes(content)


class _Renderer:
    """Renders templates with what all of a run's pages share."""

    def __init__(self, run: Run, verdict: Verdict, front: Front) -> None:
        self.page = make_page(run, verdict, front)
        self._environment = make_environment()
        self._front = front
        self._dress = make_dress(front.brand, verdict.word)

    def render(self, name: str, site: Site, **more: object) -> Iterator[str]:
        template = self._environment.get_template(f"{name}.html.j2")
        return template.generate(page=self.page, site=site, front=self._front, dress=self._dress, **more)

    def fold(self, site: Site) -> Folding:
        template = self._environment.get_template("check.html.j2")
        parts = template.make_module({"page": self.page, "site": site, "front": self._front, "dress": self._dress})
        render = parts.check  # type: ignore[attr-defined]  # a macro
        row = make_skeleton(self._environment)
        return Folding(self.page, self.page.verdict, lambda check: str(render(check, False)), row)

    def assets(self) -> Iterator[Piece]:
        yield "style.css", str(asset("style.css")).encode()
        yield "script.js", str(asset("script.js")).encode()
        if self._dress.css:
            yield "brand.css", str(self._dress.css).encode()
        yield from self._dress.files


def _bytes(content: Content) -> bytes:
    """Return a content's bytes as a file; an SVG becomes a picture, as opened by itself it could run."""
    return picture_of_svg(content.data) if content.media_type == "image/svg+xml" else content.data
