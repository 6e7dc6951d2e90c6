"""Sets the PDF report with Typst: no network, nothing but what is handed over, the same bytes each time."""

from collections.abc import Mapping
from datetime import UTC, datetime
from pathlib import Path
from tempfile import TemporaryDirectory

import msgspec
import typst

from plain_verdict.model.marks import SUMMARY_FILE
from plain_verdict.report import Report
from plain_verdict.report.brand.tokens import ACCENT_LIGHT, GROUND_PRINT, OUTCOMES_LIGHT
from plain_verdict.settings.choices import ChecksShown, PaperSize
from plain_verdict.text.formatting import capital
from plain_verdict.writers.pdf.assets import Assets
from plain_verdict.writers.pdf.blocks import Document
from plain_verdict.writers.pdf.document import blocks_of, front_of
from plain_verdict.writers.summary_json import SummaryWriter

_TEMPLATE = Path(__file__).parent / "templates" / "report.typ"
_PAPERS = {PaperSize.A4: "a4", PaperSize.LETTER: "us-letter"}
_ALSO = {"met": "passed", "fit": "passed", "not-met": "failed", "not-fit": "failed", "open": "undecided"}
"""States that have the colour of an outcome."""


def typeset(report: Report, checks: ChecksShown, size: PaperSize) -> bytes:
    """Return the PDF report. Source of its tags: ISO 14289-1 (PDF/UA-1)."""
    accent = report.info.brand.accent_light or ACCENT_LIGHT
    assets = Assets(accent)
    document = Document(
        title=f"{capital(report.verdict.word.value)}: {report.title}",
        author=report.info.brand.organisation or "Plain Verdict",
        paper=_PAPERS[size],
        colours=_colours(accent),
        front=front_of(report, assets),
        blocks=tuple(blocks_of(report, checks, assets)),
        attached=(SUMMARY_FILE, "The run as JSON: plain-verdict verify checks it"),
    )
    files = {
        "document.json": msgspec.json.encode(document),
        SUMMARY_FILE: SummaryWriter(files={}).render_text(report).encode("utf-8", "replace"),
        _TEMPLATE.name: _TEMPLATE.read_bytes(),
    }
    # Typst takes whole seconds.
    made = report.info.made.astimezone(UTC).replace(microsecond=0)
    try:
        return _compile({**assets.files, **files}, made)
    except typst.TypstError:
        # Most likely a picture that it can't decode.
        assets.redraw()
        return _compile({**assets.files, **files}, made)


def _compile(files: Mapping[str, bytes], made: datetime) -> bytes:
    """Return the PDF of the template and all that it reads. Raises TypstError.

    A sign that none of the fonts has is not allowed in PDF/UA-1 (ISO 14289-1, section 7.21.8): the same PDF is
    tagged then and does not claim the standard.
    """
    with TemporaryDirectory(prefix="plain-verdict-") as name:
        folder = Path(name)
        for file, data in files.items():
            (folder / file).write_bytes(data)
        template = folder / _TEMPLATE.name
        try:
            return typst.compile(template, root=folder, timestamp=made, pdf_standards=["1.7", "ua-1"])
        except typst.TypstError:
            return typst.compile(template, root=folder, timestamp=made, pdf_standards=["1.7"])


def _colours(accent: str) -> dict[str, str]:
    colours = {**GROUND_PRINT, **OUTCOMES_LIGHT, "accent": accent}
    return {**colours, **{state: colours[outcome] for state, outcome in _ALSO.items()}}
