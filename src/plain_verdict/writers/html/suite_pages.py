"""Renders the pages of suites in other processes or on a cluster: each job is a part of the report."""

import zlib
from collections.abc import Iterable, Iterator, Sequence

import msgspec

from plain_verdict.model import Checks
from plain_verdict.report import Report
from plain_verdict.report.part import Parts, ReportPart
from plain_verdict.report.suites import SuiteGroup
from plain_verdict.runtime.executors import Engine, EngineOptions
from plain_verdict.runtime.processes import can_start_helpers, processors
from plain_verdict.runtime.work import WIRE_LEVEL
from plain_verdict.text.page_text import UNENCODABLE, page_text
from plain_verdict.writers.html.links import Links
from plain_verdict.writers.html.renderer import Renderer
from plain_verdict.writers.interface import OutputFile

_CHECKS_A_JOB = 4_000
_LEAST_CHECKS = 5_000
"""From which on rendering elsewhere pays."""


class SuitePage(msgspec.Struct, frozen=True):
    """A page of a suite, or of a part of it: its name, its checks, and all files of the suite."""

    file: str
    group: SuiteGroup
    files: list[str]
    suite_name: str

    def render(self, renderer: Renderer, links: Links) -> Iterator[str]:
        """Yield the page in pieces."""
        more = {"group": self.group, "files": self.files, "suite_name": self.suite_name}
        return renderer.suite(links.at(self.file), **more)


class _PagesJob(msgspec.Struct, frozen=True):
    """Pages of suites, as a part of the report; ``links`` are those of their checks."""

    part: ReportPart
    pages: tuple[SuitePage, ...]
    links: dict[str, str]
    index_line: str


def render_suites(
    report: Report, pages: Sequence[SuitePage], links: Links, renderer: Renderer, options: EngineOptions
) -> Iterator[OutputFile]:
    """Yield the pages of suites, from wherever they are rendered."""
    count = sum(len(page.group.checks) for page in pages)
    if count < _LEAST_CHECKS or not (options.name or can_start_helpers()):
        for page in pages:
            yield OutputFile(page.file, page.render(renderer, links))
        return
    parts, known = Parts(report), links.pages or {}

    def job_of(bundle: Sequence[SuitePage]) -> _PagesJob:
        checks = Checks.joined(page.group.checks for page in bundle)
        of_checks = {id_: known[id_] for id_ in checks.ids()}
        return _PagesJob(parts.of(checks), tuple(bundle), of_checks, renderer.index_line)

    with Engine(options.name, 0 if options.name else processors(), options.patience_s) as engine:
        for rendered in engine.each_or_local(_render_pages, map(job_of, _bundles(pages))):
            for file, packed in rendered:
                yield OutputFile(file, zlib.decompress(packed))


def _bundles(pages: Iterable[SuitePage]) -> Iterator[list[SuitePage]]:
    bundle: list[SuitePage] = []
    checks = 0
    for page in pages:
        bundle.append(page)
        checks += len(page.group.checks)
        if checks >= _CHECKS_A_JOB:
            yield bundle
            bundle, checks = [], 0
    if bundle:
        yield bundle


def _render_pages(job: _PagesJob) -> list[tuple[str, bytes]]:
    """Return the pages as files, deflated."""
    renderer, links = Renderer(job.part.report(), job.index_line), Links(job.links)
    texts = ((page.file, "".join(map(page_text, page.render(renderer, links)))) for page in job.pages)
    return [(file, zlib.compress(text.encode("utf-8", UNENCODABLE), WIRE_LEVEL)) for file, text in texts]
