"""Writes everything that is wanted of a report: the page into its place, and what stands next to it."""

from collections.abc import Callable, Iterator, Mapping, Sequence
from functools import partial
from pathlib import Path
from urllib.parse import quote

import msgspec

from plain_verdict.delivery.local.files import check_target
from plain_verdict.delivery.local.naming import Names, path_of, unknown_facts
from plain_verdict.delivery.local.writing import WriteOptions, write_report
from plain_verdict.inputs.progress import OnProgress, OnStep, no_progress
from plain_verdict.model.marks import FIRST_PAGE, SUMS_FILE
from plain_verdict.report import Report
from plain_verdict.request import STANDARD_OUTPUT, Request
from plain_verdict.request.outputs import read_outputs
from plain_verdict.runtime.atomic_files import remove_files, write_bytes
from plain_verdict.runtime.errors import DeliveryError, ExtensionError, PlainVerdictError
from plain_verdict.settings.limits import read_size
from plain_verdict.settings.report_tables import ReportTable
from plain_verdict.text.addresses import way_to
from plain_verdict.writers import OutputFile, Writer, layout_writer, writer_named
from plain_verdict.writers.mail.envelope import Attachment
from plain_verdict.writers.mail.writer import MailWriter
from plain_verdict.writers.pdf.writer import PdfWriter

_MAIL_GROWTH = 1.37
"""How much larger a page is in a mail. Source: RFC 2045, section 6.8 (Base64), lines of 76 characters."""


class Published(msgspec.Struct, frozen=True):
    """What was written, as full paths: ``page`` is the file to open, ``others`` by their names among outputs.

    ``outputs`` are those that were asked for by their names, ``--output NAME=FILE``.

    ``addresses`` are those under which it was published, ``failed`` is what kept it from others.
    ``link`` is where others open the page, or "". ``notes`` are for who asked for it.
    """

    page: Path
    others: dict[str, Path] = {}
    outputs: dict[str, Path] = {}
    removed: tuple[Path, ...] = ()
    addresses: tuple[str, ...] = ()
    link: str = ""
    notes: tuple[str, ...] = ()
    failed: tuple[PlainVerdictError, ...] = ()

    @property
    def paths(self) -> tuple[Path, ...]:
        """Return what was written."""
        return (self.page, *self.others.values(), *self.outputs.values())

    @property
    def files(self) -> dict[str, str | list[str] | dict[str, str]]:
        """Return what was written, by what it is, where it was published, and the link."""
        paths = {"page": self.page, **self.others}
        files: dict[str, str | list[str] | dict[str, str]] = {name: str(path) for name, path in paths.items()}
        files |= {"outputs": {name: str(path) for name, path in self.outputs.items()}} if self.outputs else {}
        files |= {"published": list(self.addresses)} if self.addresses else {}
        return files | ({"link": self.link} if self.link else {})


def publish(report: Report, request: Request, on_step: OnStep = no_progress) -> Published:
    """Write everything that is wanted of a report. Raises UsageError and WriteError."""
    wanted = request.report
    writer = layout_writer(request.layout, request.read.options.engine_options)
    in_folder = not writer.suffix
    target, notes = _target_of(report, wanted.out, writer.suffix)
    check_target(target, folder=in_folder, overwrite=wanted.overwrite)
    options = WriteOptions(wanted.overwrite, wanted.zip, wanted.latest, wanted.keep)
    with on_step("Writing") as on_progress:
        placed = write_report(target, _counted(writer.render(report), on_progress), options, folder=in_folder)
    page = placed.page / FIRST_PAGE if in_folder else placed.page
    others = {name: path for name, path in (("packed", placed.packed), ("latest", placed.latest)) if path}
    others |= _refreshed_index(request, on_step)
    addresses: tuple[str, ...] = ()
    failed: tuple[PlainVerdictError, ...] = ()
    if request.destinations:
        from plain_verdict.delivery.publish_remote import publish_remotely  # for pages that go elsewhere

        addresses, failed = publish_remotely(report, request, placed.page, placed.packed, on_step)
    open_at = next((address for address in addresses if address.startswith(("https://", "http://"))), "")
    link = _link_to(placed.page, wanted.link) or open_at
    for name, write in _beside(report, request, page, placed.packed or placed.page, link):
        with on_step(f"Writing {name}"):
            path, written_notes = write()
        notes += written_notes
        if path:
            others[name] = path
    outputs, failed_outputs = _by_name(report, wanted.outputs, on_step)
    attested, not_signed = _attested(report, wanted, placed.page, others, link)
    failed += (*failed_outputs, *not_signed)
    others |= attested
    return Published(page, others, outputs, placed.removed, addresses, link, tuple(notes), failed)


def _attested(
    report: Report, wanted: ReportTable, page: Path, others: Mapping[str, Path], link: str
) -> tuple[dict[str, Path], tuple[PlainVerdictError, ...]]:
    """Write the attestation of what was written, if one is wanted; return where it is, or why it is not signed."""
    if not wanted.attest:
        return {}, ()
    from plain_verdict.delivery.attestation.writing import write_attestation  # for those who want one

    # It comes last, as it is on files that are written by now.
    page_file = page / SUMS_FILE if page.is_dir() else page
    files = (page_file, *(others[name] for name in ("packed", "pdf", "mail") if name in others))
    try:
        return {"attestation": write_attestation(report, wanted, files, link)}, ()
    except DeliveryError as error:
        return {}, (error,)


def _by_name(
    report: Report, texts: Sequence[str], on_step: OnStep
) -> tuple[dict[str, Path], tuple[ExtensionError, ...]]:
    """Write the outputs that are asked for by their names; return where they are, and what kept others from it."""
    written: dict[str, Path] = {}
    failed: list[ExtensionError] = []
    for name, file in read_outputs(texts):
        try:
            with on_step(f"Writing {name}"):
                writer = writer_named(name)
                if writer.suffix:
                    written[name] = _publish_file(report, file, writer)
                elif path := _publish_folder(report, file, writer)[0]:
                    written[name] = path
        except ExtensionError as error:
            failed.append(error)
    return written, tuple(failed)


def _refreshed_index(request: Request, on_step: OnStep) -> dict[str, Path]:
    if not (request.index and request.index_words):
        return {}
    from plain_verdict.delivery.report_index.refreshing import refresh_folder  # for folders that have one

    with on_step("Updating the index"):
        refresh_folder(request.index[0], request.index_words)
    return {"index": request.index[0] / FIRST_PAGE}


def _target_of(report: Report, out: str, suffix: str) -> tuple[Path, list[str]]:
    """Return where the page goes, and notes on names in the template that have no value."""
    facts = {fact.key: fact.value for fact in report.info.facts}
    notes = [
        f"no fact “{fact}” is known, so {{fact:{fact}}} in --out is “unknown”."
        for fact in unknown_facts(out, facts)
    ]
    names = Names(report.title, report.verdict.word.value.replace(" ", "-"), report.info.made, facts)
    return path_of(out, names, suffix), notes


def _link_to(page: Path, link: str) -> str:
    """Return the address of a page; one that ends in a slash is that of its folder."""
    return f"{link}{quote(page.name)}{'' if page.suffix else '/'}" if link.endswith("/") else link


_Written = tuple[Path | None, tuple[str, ...]]


def _beside(
    report: Report, request: Request, page: Path, sent: Path, link: str
) -> Iterator[tuple[str, Callable[[], _Written]]]:
    """Yield what is written besides the page, by its name; ``sent`` goes with a mail."""
    wanted = request.report
    if request.mail.file:
        mail = request.mail
        writer = MailWriter(mail.sender, mail.to, attachment_of(sent, request), mail.cc, link)
        yield "mail", lambda: (_publish_file(report, mail.file, writer), ())
    if wanted.tables:
        yield "tables", lambda: _publish_tables(report, request, page, link)
    if wanted.charts:
        yield "charts", lambda: (_publish_folder(report, wanted.charts, writer_named("charts"))[0], ())
    for name, file in (("earl", wanted.earl), ("digest", wanted.digest), ("junit", wanted.junit)):
        if file:
            yield name, partial(_publish_named, report, name, file)
    if wanted.pdf:
        pdf_writer = PdfWriter(wanted.pdf_for, wanted.pdf_paper)
        yield "pdf", lambda: (_publish_file(report, wanted.pdf, pdf_writer), ())
    if wanted.markdown and wanted.markdown != STANDARD_OUTPUT:
        from plain_verdict.writers.markdown import MarkdownWriter  # for those who want it

        yield "markdown", lambda: (_publish_file(report, wanted.markdown, MarkdownWriter(link)), ())


def _publish_named(report: Report, name: str, file: str) -> _Written:
    return _publish_file(report, file, writer_named(name)), ()


def _publish_tables(report: Report, request: Request, page: Path, link: str) -> _Written:
    """Write the tables: a workbook, or a folder, from which those of an earlier run go."""
    from plain_verdict.writers.tables import folder, package, workbook  # for runs whose tables are wanted

    wanted = request.report
    path = Path(wanted.tables).absolute()
    if path.suffix == workbook.WorkbookWriter.suffix:
        writer = workbook.WorkbookWriter(link or way_to(page, path.parent))
        return _publish_file(report, wanted.tables, writer), writer.notes
    listed = path / package.PACKAGE
    before = package.tables_listed(listed.read_bytes(), folder.table_names()) if listed.is_file() else frozenset()
    tables = folder.TablesWriter(wanted.tables_as)
    made, names = _publish_folder(report, wanted.tables, tables)
    remove_files(path, before - names)
    return made, tables.notes


def _publish_file(report: Report, file: str, writer: Writer) -> Path:
    """Write an output of one file over what was there."""
    path = Path(file).absolute()
    for found in writer.render(report):
        write_bytes(path, _bytes_of(found))
    return path


def _publish_folder(report: Report, folder: str, writer: Writer) -> tuple[Path | None, frozenset[str]]:
    """Write an output of several files into a folder, over files of these names; None where there is none."""
    path = Path(folder).absolute()
    names = set()
    for file in writer.render(report):
        write_bytes(path / file.name, _bytes_of(file))
        names.add(file.name)
    return path if names else None, frozenset(names)


def _bytes_of(file: OutputFile) -> bytes:
    return file.content if isinstance(file.content, bytes) else "".join(file.content).encode("utf-8", "replace")


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


def attachment_of(page: Path, request: Request) -> Attachment | None:
    """Return the page or zip file where a mail takes it."""
    evidence = request.read.options.evidence
    most_bytes = min(read_size(request.mail.attach_up_to), evidence.page_bytes if evidence else 0)
    fits = page.is_file() and page.stat().st_size * _MAIL_GROWTH < most_bytes
    return Attachment(page.name, page.read_bytes()) if fits else None
