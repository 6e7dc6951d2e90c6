"""The outputs, each behind one small interface. To add one: a module or folder with a writer, and its row here."""

from importlib import import_module

from msgspec.structs import replace

from plain_verdict.runtime.errors import UsageError
from plain_verdict.runtime.executors import EngineOptions
from plain_verdict.writers.extensions import extension_writer
from plain_verdict.writers.html.writer import FolderWriter, PageWriter
from plain_verdict.writers.interface import OutputFile, Writer

__all__ = ["LAYOUTS", "OutputFile", "Writer", "all_writers", "layout_names", "layout_writer", "writer_named"]

LAYOUTS: tuple[Writer, ...] = (PageWriter(), FolderWriter())
"""The layouts of the page, one of which every report has."""
_WRITERS = (
    ("pdf.writer", "PdfWriter"),
    ("markdown", "MarkdownWriter"),
    ("mail.writer", "MailWriter"),
    ("summary_json", "SummaryWriter"),
    ("notice_json", "NoticeWriter"),
    ("junit_xml", "JUnitWriter"),
    ("tables.folder", "TablesWriter"),
    ("tables.workbook", "WorkbookWriter"),
    ("charts.writer", "ChartsWriter"),
    ("earl_json", "EarlWriter"),
    ("digest_json", "DigestWriter"),
)
"""The other outputs: module and class of each."""


def all_writers() -> tuple[Writer, ...]:
    """Return every output. Those besides the page are imported when somebody asks: a small report has none."""
    modules = ((import_module(f"plain_verdict.writers.{module}"), name) for module, name in _WRITERS)
    return (*LAYOUTS, *(getattr(module, name)() for module, name in modules))


def layout_names() -> tuple[str, ...]:
    """Return the names of the layouts of the page."""
    return tuple(writer.name for writer in LAYOUTS)


def layout_writer(name: str, engine: EngineOptions) -> Writer:
    """Return the writer of a layout, whose pages an engine helps to render. Raises UsageError."""
    writer = writer_named(name)
    return replace(writer, engine=engine) if isinstance(writer, PageWriter | FolderWriter) else writer


def writer_named(name: str) -> Writer:
    """Return the writer of an output, of the program or of an extension. Raises UsageError and ExtensionError."""
    for writer in LAYOUTS:
        if writer.name == name:
            return writer
    others = all_writers()
    for writer in others:
        if writer.name == name:
            return writer
    added = extension_writer(name)
    if added:
        return added
    raise UsageError(
        f"{name!r} is not an output", hint=f"it is one of {', '.join(writer.name for writer in others)}"
    )
