"""Checks that outputs can be written: those with options of their own, and ``--output NAME=FILE``."""

import difflib
from collections.abc import Iterator, Sequence
from pathlib import Path

from plain_verdict.delivery.local.files import check_folder
from plain_verdict.extension.loading import find_extensions
from plain_verdict.runtime.errors import UsageError
from plain_verdict.settings.report_tables import ReportTable
from plain_verdict.writers import all_writers
from plain_verdict.writers.charts.writer import ChartsWriter
from plain_verdict.writers.interface import CheckedWriter, Writer
from plain_verdict.writers.pdf.writer import PdfWriter

STANDARD_OUTPUT = "-"
_WITH_MORE = ("mail", "notice")
"""Outputs that are for somebody, whom options name."""


def read_outputs(texts: Sequence[str]) -> Iterator[tuple[str, str]]:
    """Yield name and file of each output. Raises UsageError."""
    for text in texts:
        name, sign, file = text.partition("=")
        if not (sign and name.strip() and file.strip()):
            raise UsageError(
                f"--output {text!r} is not NAME=FILE", hint="write it like --output summary=summary.json"
            )
        yield name.strip(), file.strip()


def check_outputs(report: ReportTable, *, extensions: bool) -> None:
    """Make sure that all outputs besides the page are known, and that they can be written. Raises UsageError."""
    if report.tables:
        _check_tables(report)
    if report.pdf:
        PdfWriter().check()
    if report.charts:
        check_folder(Path(report.charts).absolute())
        ChartsWriter().check()
    for name, file in read_outputs(report.outputs):
        _check(name, file, extensions=extensions)
    files = (report.earl, report.digest, report.junit, report.markdown, report.pdf, report.attest)
    for file in {*files} - {"", STANDARD_OUTPUT}:
        check_file(file)
    if report.attest or report.subjects or report.sign_with:
        from plain_verdict.delivery.attestation.writing import check_attestation  # for reports that have one

        check_attestation(report)


def _check_tables(report: ReportTable) -> None:
    from plain_verdict.writers.tables import folder, workbook  # for runs whose tables are wanted

    if report.tables.endswith(workbook.WorkbookWriter.suffix):
        workbook.WorkbookWriter().check()
        check_file(report.tables)
    else:
        folder.TablesWriter(report.tables_as).check()
        check_folder(Path(report.tables).absolute())


def _check(name: str, file: str, *, extensions: bool) -> None:
    built_in = {
        writer.name: writer for writer in all_writers() if not writer.is_layout and writer.name not in _WITH_MORE
    }
    added = [extension.name for extension in find_extensions("writers")] if extensions else []
    known = [*built_in, *added]
    if name not in known:
        near = difflib.get_close_matches(name, known, n=1, cutoff=0.6)
        hint = f"did you mean {near[0]!r}?" if near else f"use one of {', '.join(known)}"
        raise UsageError(f"{name!r} is not an output that --output knows", hint=hint)
    if name in built_in:
        _check_writer(built_in[name], file)
    else:  # whether it is a folder shows only once it is loaded
        check_folder(Path(file).absolute().parent)


def _check_writer(writer: Writer, file: str) -> None:
    if isinstance(writer, CheckedWriter):
        writer.check()
    if writer.suffix:
        check_file(file)
    else:
        check_folder(Path(file).absolute())


def check_file(file: str) -> None:
    """Make sure that a file of another output can be written. Raises UsageError."""
    if Path(file).is_dir():
        raise UsageError("is a folder, where a file is wanted", path=file, hint="name a file in it")
    check_folder(Path(file).absolute().parent)
