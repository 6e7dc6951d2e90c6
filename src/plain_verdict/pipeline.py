"""The whole way, in named steps: inputs, readers, merging, evidence, masking, judging, report, writers, delivery.

Nothing here parses arguments, prints, or looks at the clock; whoever calls it says what time it is.
"""

import os
from collections.abc import Iterable, Iterator
from pathlib import Path
from typing import TYPE_CHECKING

import msgspec

from plain_verdict.delivery.files import check_target, write_bytes
from plain_verdict.delivery.naming import Names, path_of, unknown_facts
from plain_verdict.delivery.place import PlaceOptions, place_page
from plain_verdict.errors import HistoryError, ReadError
from plain_verdict.evidence import collect
from plain_verdict.evidence.traffic import without_archives_of, without_kept_archives
from plain_verdict.history.finding import HistoryOptions, find_in_series
from plain_verdict.history.stores import open_store
from plain_verdict.inputs.completeness import check_completeness
from plain_verdict.inputs.discovery import discover
from plain_verdict.inputs.facts import repository_facts
from plain_verdict.inputs.progress import OnProgress, OnStep, no_progress
from plain_verdict.judging import judge
from plain_verdict.judging.targets import with_targets
from plain_verdict.load.sums import with_sums
from plain_verdict.masking import Masker, mask_run
from plain_verdict.merging import merge
from plain_verdict.merging.time_zones import in_zone
from plain_verdict.model import Kind, Run, Verdict
from plain_verdict.model.marks import FIRST_PAGE
from plain_verdict.operations import with_calls
from plain_verdict.readers import read_all
from plain_verdict.report import PageInfo, Report
from plain_verdict.report.overview import title_of
from plain_verdict.request import ReadOptions, ReadRequest, Request
from plain_verdict.writers import OutputFile, Writer, writer_named
from plain_verdict.writers.mail.envelope import Attachment
from plain_verdict.writers.mail.writer import MailWriter

if TYPE_CHECKING:
    from plain_verdict.operations.document import ApiDocument

_MAIL_GROWTH = 1.37
"""How much larger a page is in a mail. Source: RFC 2045, section 6.8 (Base64), lines of 76 characters."""


class Published(msgspec.Struct, frozen=True):
    """What was written, as full paths; ``page`` is the file to open. ``notes`` are for who asked for it."""

    page: Path
    packed: Path | None = None
    latest: Path | None = None
    mail: Path | None = None
    tables: Path | None = None
    charts: Path | None = None
    earl: Path | None = None
    digest: Path | None = None
    removed: tuple[Path, ...] = ()
    notes: tuple[str, ...] = ()

    @property
    def files(self) -> dict[str, Path]:
        """Return what was written, by what it is."""
        named = {"page": self.page, "packed": self.packed, "latest": self.latest, "mail": self.mail}
        named |= {"tables": self.tables, "charts": self.charts, "earl": self.earl, "digest": self.digest}
        return {name: path for name, path in named.items() if path}


Paths = str | os.PathLike[str] | Iterable[str | os.PathLike[str]]
"""A file, folder or pattern, or several."""


def read(paths: Paths, options: ReadOptions | None = None, on_step: OnStep = no_progress) -> Run:
    """Return the run that files, folders and patterns make up: merged, with its evidence, and masked.

    What can't be read is in ``Run.unread``. Raises UsageError for options that make no sense.
    """
    options = options or ReadOptions()
    several = (paths,) if isinstance(paths, str | os.PathLike) else paths
    document, document_notes = read_api_document(options.api_document)
    found = discover([os.fspath(path) for path in several], options.retries, options.kinds)
    with on_step("Reading") as on_progress:
        folders = options.evidence.folders if options.evidence else options.evidence_folders
        sources = without_archives_of(found.sources, folders)
        with options.samples() as samples:
            run = read_all(sources, options.limits, on_progress, options.shapes, samples)
    run = msgspec.structs.replace(run, unread=found.unread + run.unread)
    run = merge(check_completeness(without_kept_archives(run), options.expected), options.variants)
    run = with_load(run, options, on_step)
    if options.evidence and run.files:
        with on_step("Evidence") as on_progress:
            run = collect(run, options.evidence, options.limits, on_progress)
    run = _with_requirements(run, options)
    run = mask_run(in_zone(run, options.zone), Masker(options.masking))
    return with_targets(with_calls(run, document, document_notes), options.targets)


def _with_requirements(run: Run, options: ReadOptions) -> Run:
    if not options.requirements:
        return run
    from plain_verdict.asked.matching import with_requirements  # for runs that have some
    from plain_verdict.asked.reading import read_requirements

    return with_requirements(run, *read_requirements(options.requirements), options.requirement_pattern)


def with_load(run: Run, options: ReadOptions, on_step: OnStep = no_progress) -> Run:
    """Return the run with the numbers of its load results, compared with those of an earlier run that is named."""
    run = with_sums(run)
    if not any(payload.kind is Kind.LOAD for file in run.files for payload in file.payloads):
        return run
    from plain_verdict.load.comparison import Trifle
    from plain_verdict.load.run import with_comparison, with_numbers  # NumPy, for load results only

    run = with_numbers(run)
    if not options.baseline:
        return run
    found = discover(options.baseline)
    with on_step("Reading what was before") as on_progress, options.samples() as samples:
        earlier = read_all(found.sources, options.limits, on_progress, options.shapes, samples)
    earlier = msgspec.structs.replace(earlier, unread=found.unread + earlier.unread)
    return with_comparison(run, earlier, Trifle(*options.trifle))


def read_api_document(path: str) -> "tuple[ApiDocument | None, tuple[str, ...]]":
    """Return the API's document, and notes on one that can't be used: results count without it."""
    if not path:
        return None, ()
    from plain_verdict.operations.document import read_document  # YAML, for runs that have a document

    try:
        return read_document(path), ()
    except ReadError as error:
        return None, (f"{error.path} {error.what}, so no call is compared with it; {error.hint}.",)


def render(report: Report, writer: str | Writer) -> Iterator[OutputFile]:
    """Yield the files of an output, by its name or its writer. Raises UsageError for a name that is none."""
    return (writer_named(writer) if isinstance(writer, str) else writer).render(report)


def read_and_judge(request: ReadRequest, on_step: OnStep = no_progress) -> tuple[Run, Verdict]:
    """Return the run that a request means, and the verdict on it."""
    run = with_history(read(request.results, request.options, on_step), request, on_step)
    return run, judge(run, request.rules, request.made.date())


def with_history(run: Run, request: ReadRequest, on_step: OnStep = no_progress) -> Run:
    """Return the run with its place among the earlier runs of its series."""
    if not run.files:
        return run
    masker = Masker(request.options.masking)
    folders = list(dict.fromkeys(file.folder for file in run.files if file.folder))
    own = {fact.key.casefold() for fact in request.facts}
    from_repository = repository_facts(folders) if request.git else ()
    facts = masker.facts((*request.facts, *(fact for fact in from_repository if fact.key not in own)))
    masked = masker.count  # the title's own are counted when the report is made
    title = masker.text(request.title.strip()) or title_of(run)
    with on_step("Looking at earlier runs"):
        found = find_in_series(run, request.history, request.made, title, facts, masker.text)
    return msgspec.structs.replace(run, in_series=msgspec.structs.replace(found, masked=masked))


def make_report(run: Run, verdict: Verdict, request: Request) -> Report:
    """Return the report on a judged run: with what the request says of it, masked as the run is."""
    masker = Masker(request.read.options.masking)
    title, description = masker.text(request.read.title.strip()), masker.text(request.report.description)
    place = run.in_series
    facts = masker.facts(request.read.facts) if place is None else place.facts
    info = PageInfo(
        made=request.read.made,
        title=title,
        description=description,
        facts=facts,
        brand=request.brand,
        theme=request.report.theme,
        only=request.report.only,
        masked=masker.count + (place.masked if place else 0),
        notes=(*request.brand.notes, *request.read.notes, *masker.troubles),
    )
    return Report(run, verdict, info)


def publish(report: Report, request: Request, on_step: OnStep = no_progress) -> Published:
    """Write everything that is wanted of a report. Raises UsageError and WriteError."""
    wanted = request.report
    writer = writer_named(request.layout)
    in_folder = not writer.suffix
    facts = {fact.key: fact.value for fact in report.info.facts}
    notes = tuple(
        f"nothing tells the fact “{fact}”, so {{fact:{fact}}} in --out is “unknown”."
        for fact in unknown_facts(wanted.out, facts)
    )
    names = Names(report.title, report.verdict.word.value.replace(" ", "-"), report.info.made, facts)
    target = path_of(wanted.out, names, writer.suffix)
    check_target(target, folder=in_folder, overwrite=wanted.overwrite)
    options = PlaceOptions(wanted.overwrite, wanted.zip, wanted.latest, wanted.keep)
    with on_step("Writing") as on_progress:
        placed = place_page(target, _counted(writer.render(report), on_progress), options, folder=in_folder)
    mail = _publish_mail(report, request, placed.packed or placed.page) if request.mail.file else None
    page = placed.page / FIRST_PAGE if in_folder else placed.page
    folders = {
        name: _publish_folder(report, folder, name)
        for name, folder in (("tables", wanted.tables), ("charts", wanted.charts))
    }
    return Published(
        page,
        placed.packed,
        placed.latest,
        mail,
        folders["tables"],
        folders["charts"],
        _publish_file(report, wanted.earl, "earl"),
        _publish_file(report, wanted.digest, "digest"),
        removed=placed.removed,
        notes=notes,
    )


def keep_in_history(report: Report, options: HistoryOptions, page: Path) -> tuple[str, ...]:
    """Keep a run in the store that the options name, and return what went wrong: that costs no report."""
    place = report.run.in_series
    if not options.store or place is None or place.unreachable:
        return ()
    kept = report.kept
    build = msgspec.structs.replace(kept.build, page=str(page))
    try:
        with open_store(options.store) as store:
            store.add(msgspec.structs.replace(kept, build=build))
    except HistoryError as error:
        return (f"This run was not kept: the history {error.path} {error.what}; {error.hint}.",)
    return ()


def _publish_file(report: Report, file: str, writer: str) -> Path | None:
    """Write an output of one file over what was there; None where it is not wanted."""
    if not file:
        return None
    path = Path(file).absolute()
    for found in render(report, writer):
        write_bytes(path, _bytes_of(found))
    return path


def _publish_folder(report: Report, folder: str, writer: str) -> Path | None:
    """Write an output of several files into a folder, over files of these names; None where there is none."""
    if not folder:
        return None
    path = Path(folder).absolute()
    files = list(render(report, writer))
    for file in files:
        write_bytes(path / file.name, _bytes_of(file))
    return path if files else None


def _bytes_of(file: OutputFile) -> bytes:
    return file.content if isinstance(file.content, bytes) else "".join(file.content).encode()


def _counted(files: Iterator[OutputFile], on_progress: OnProgress) -> Iterator[OutputFile]:
    """Yield the files, and tell how many pieces of them there were."""
    done = 0

    def pieces(content: Iterator[str]) -> Iterator[str]:
        nonlocal done
        for piece in content:
            done += 1
            on_progress(done)
            yield piece

    for file in files:
        done += 1
        on_progress(done)
        yield file if isinstance(file.content, bytes) else OutputFile(file.name, pieces(file.content))


def _publish_mail(report: Report, request: Request, page: Path) -> Path:
    """Write the digest; the page goes with it where mail takes it."""
    evidence = request.read.options.evidence
    most_bytes = evidence.page_bytes if evidence else 0
    fits = page.is_file() and page.stat().st_size * _MAIL_GROWTH < most_bytes
    attachment = Attachment(page.name, page.read_bytes()) if fits else None
    path = Path(request.mail.file).absolute()
    for file in MailWriter(request.mail.sender, request.mail.to, attachment).render(report):
        write_bytes(path, _bytes_of(file))
    return path
