"""The outputs, each behind one small interface. To add one: a module or folder with a writer, and its row here."""

from plain_verdict.runtime.errors import UsageError
from plain_verdict.writers.charts.writer import ChartsWriter
from plain_verdict.writers.digest_json import DigestWriter
from plain_verdict.writers.html.writer import FolderWriter, PageWriter
from plain_verdict.writers.interface import OutputFile, Writer
from plain_verdict.writers.mail.writer import MailWriter
from plain_verdict.writers.pdf.writer import PdfWriter
from plain_verdict.writers.summary_json import SummaryWriter

__all__ = ["LAYOUTS", "OutputFile", "Writer", "all_writers", "layout_names", "writer_named"]

LAYOUTS: tuple[Writer, ...] = (PageWriter(), FolderWriter())
"""The layouts of the page, one of which every report has."""


def all_writers() -> tuple[Writer, ...]:
    """Return every output. Those besides the page are imported when somebody asks: a small report has none."""
    from plain_verdict.writers.earl_json import EarlWriter  # for those who ask for all
    from plain_verdict.writers.junit_xml import JUnitWriter  # as above
    from plain_verdict.writers.markdown import MarkdownWriter  # for those who want it
    from plain_verdict.writers.notice_json import NoticeWriter  # as above
    from plain_verdict.writers.tables.folder import TablesWriter  # as above
    from plain_verdict.writers.tables.workbook import WorkbookWriter  # as above

    return (
        *LAYOUTS,
        PdfWriter(),
        MarkdownWriter(),
        MailWriter(),
        SummaryWriter(),
        NoticeWriter(),
        JUnitWriter(),
        TablesWriter(),
        WorkbookWriter(),
        ChartsWriter(),
        EarlWriter(),
        DigestWriter(),
    )


def layout_names() -> tuple[str, ...]:
    """Return the names of the layouts of the page."""
    return tuple(writer.name for writer in LAYOUTS)


def writer_named(name: str) -> Writer:
    """Return the writer of an output. Raises UsageError."""
    for writer in LAYOUTS:
        if writer.name == name:
            return writer
    others = all_writers()
    for writer in others:
        if writer.name == name:
            return writer
    raise UsageError(
        f"{name!r} is not an output", hint=f"it is one of {', '.join(writer.name for writer in others)}"
    )
