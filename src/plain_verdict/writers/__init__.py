"""The outputs, each behind one small interface. To add one: a module or folder with a writer, and its row here."""

from plain_verdict.errors import UsageError
from plain_verdict.writers.charts.writer import ChartsWriter
from plain_verdict.writers.digest_json import DigestWriter
from plain_verdict.writers.earl_json import EarlWriter
from plain_verdict.writers.html.writer import FolderWriter, PageWriter
from plain_verdict.writers.interface import OutputFile, Writer
from plain_verdict.writers.junit_xml import JUnitWriter
from plain_verdict.writers.mail.writer import MailWriter
from plain_verdict.writers.markdown import MarkdownWriter
from plain_verdict.writers.notice_json import NoticeWriter
from plain_verdict.writers.paper.writer import PaperWriter
from plain_verdict.writers.summary_json import SummaryWriter
from plain_verdict.writers.tables.folder import TablesWriter
from plain_verdict.writers.tables.workbook import WorkbookWriter

__all__ = ["WRITERS", "OutputFile", "Writer", "layout_names", "writer_named"]

WRITERS: tuple[Writer, ...] = (
    PageWriter(),
    FolderWriter(),
    MailWriter(),
    SummaryWriter(),
    TablesWriter(),
    WorkbookWriter(),
    JUnitWriter(),
    PaperWriter(),
    MarkdownWriter(),
    NoticeWriter(),
    ChartsWriter(),
    EarlWriter(),
    DigestWriter(),
)
"""Every output."""


def layout_names() -> tuple[str, ...]:
    """Return the names of the layouts of the page."""
    return tuple(writer.name for writer in WRITERS if writer.is_layout)


def writer_named(name: str) -> Writer:
    """Return the writer of an output. Raises UsageError."""
    for writer in WRITERS:
        if writer.name == name:
            return writer
    raise UsageError(f"{name!r} is no output", hint=f"it is one of {', '.join(writer.name for writer in WRITERS)}")
