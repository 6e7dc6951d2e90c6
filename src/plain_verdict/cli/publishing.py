"""Puts a judged run where it is wanted: a page or a folder, its zip file, the newest copy, the digest."""

from collections.abc import Iterator
from pathlib import Path
from typing import TypeVar

import msgspec

from plain_verdict.cli.terminal import Progress, show_labelled
from plain_verdict.cli.wishes import Wishes, envelope_of
from plain_verdict.model import Run, Verdict
from plain_verdict.page import Front, render_folder, render_page
from plain_verdict.page.view import title_of
from plain_verdict.writers.files import check_target, write_bytes, write_folder, write_page
from plain_verdict.writers.keeping import keep_latest, remove_oldest
from plain_verdict.writers.naming import Names, path_of, unknown_facts

Piece = TypeVar("Piece")


class Published(msgspec.Struct, frozen=True):
    """What was written, as full paths; ``page`` is the file to open."""

    page: Path
    packed: Path | None = None
    latest: Path | None = None
    mail: Path | None = None
    removed: tuple[Path, ...] = ()


def publish(run: Run, verdict: Verdict, front: Front, wishes: Wishes) -> Published:
    """Write everything that is wanted. Raises UsageError and WriteError."""
    report = wishes.report
    facts = {fact.key: fact.value for fact in front.facts}
    names = Names(front.title or title_of(run), verdict.word.value.replace(" ", "-"), front.made, facts)
    for fact in unknown_facts(report.out, facts):
        show_labelled("note", f"nothing tells the fact “{fact}”, so {{fact:{fact}}} in --out is “unknown”.")
    target = path_of(report.out, names, folder=wishes.in_folder)
    check_target(target, folder=wishes.in_folder, overwrite=report.overwrite)
    packed = latest = mail = None
    removed: list[Path] = []

    def finish(written: Path) -> None:
        """Do what belongs to the page while no other run places or removes one."""
        nonlocal packed, latest, removed
        if report.zip:
            from plain_verdict.writers.packing import pack

            packed = pack(written)
        if report.latest:
            latest = keep_latest(written, report.latest)
        removed = remove_oldest(written, report.keep, latest) if report.keep else []

    with Progress("Writing") as progress:
        if wishes.in_folder:
            files = told(render_folder(run, verdict, front), progress)
            written = write_folder(target, files, overwrite=report.overwrite, then=finish)
        else:
            pieces = told(render_page(run, verdict, front), progress)
            written = write_page(target, pieces, overwrite=report.overwrite, then=finish)
    if wishes.mail.file:
        mail = _write_mail(run, verdict, front, wishes, packed or written)
    page = written / "index.html" if wishes.in_folder else written
    return Published(page, packed, latest, mail, tuple(removed))


def told(pieces: Iterator[Piece], progress: Progress) -> Iterator[Piece]:
    """Yield the pieces, and tell how many there were."""
    for number, piece in enumerate(pieces):
        progress(number)
        yield piece


def _write_mail(run: Run, verdict: Verdict, front: Front, wishes: Wishes, page: Path) -> Path:
    """Write the digest; the page goes with it where mail takes it, encoded a third larger than it is."""
    from plain_verdict.page.digest import render_digest
    from plain_verdict.writers.mail import Attachment, Told, make_mail

    fits = page.is_file() and page.stat().st_size * 1.37 < wishes.evidence.page_bytes
    attachment = Attachment(page.name, page.read_bytes()) if fits else None

    def tell(most_causes: int) -> Told:
        name = page.name if fits else ""
        return Told(*render_digest(run, verdict, front, most_causes=most_causes, attached=name))

    path = Path(wishes.mail.file).absolute()
    write_bytes(path, make_mail(tell, envelope_of(wishes), attachment))
    return path
