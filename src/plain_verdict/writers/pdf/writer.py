"""The PDF report as an output. Its modules are imported only when a PDF is wanted."""

from collections.abc import Iterator

import msgspec

from plain_verdict.report import Report
from plain_verdict.settings.choices import ChecksShown, PaperSize
from plain_verdict.text.packages import require
from plain_verdict.writers.interface import OutputFile


class PdfWriter(msgspec.Struct, frozen=True):
    """Writes the run as a PDF: what failed check by check, or with ``checks`` all of them in a list as well."""

    checks: ChecksShown = ChecksShown.FAILED
    size: PaperSize = PaperSize.A4

    name = "pdf"
    suffix = ".pdf"
    about = "a PDF report"
    is_layout = False

    def render(self, report: Report) -> Iterator[OutputFile]:
        """Yield the PDF report."""
        from plain_verdict.writers.pdf.typesetting import typeset  # an extra: Typst

        yield OutputFile("verdict.pdf", typeset(report, self.checks, self.size))

    def check(self) -> None:
        """Make sure that what sets the PDF report is installed. Raises UsageError."""
        require("typst", "--pdf", "pdf")
