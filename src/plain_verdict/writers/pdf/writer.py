"""The PDF report as an output. Its modules are imported only when a PDF is wanted."""

from collections.abc import Iterator

import msgspec

from plain_verdict.report import Report
from plain_verdict.runtime.errors import UsageError
from plain_verdict.settings.choices import ChecksShown, PaperSize
from plain_verdict.text.packages import require
from plain_verdict.writers.interface import OutputFile

_PANGO = ("libpango-1.0-0", "libpangoft2-1.0-0", "libharfbuzz-subset0")


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
        from plain_verdict.writers.pdf.typesetting import typeset  # an extra: WeasyPrint

        yield OutputFile("verdict.pdf", typeset(report, self.checks, self.size))

    def check(self) -> None:
        """Make sure that what sets the PDF report is installed, with libraries of the system. Raises UsageError."""
        try:
            require("weasyprint", "--pdf", "pdf")
        except OSError as error:
            hint = f"install Pango; on Debian: apt-get install {' '.join(_PANGO)}"
            raise UsageError("--pdf needs a library of the system that is not installed", hint=hint) from error
