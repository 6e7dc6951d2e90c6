"""Sets the PDF report with WeasyPrint: no network, nothing but what is handed over, the same bytes each time."""

import logging
from collections.abc import Iterator
from datetime import UTC
from functools import cache
from hashlib import sha256
from html import escape
from io import BytesIO
from pathlib import Path

from markupsafe import Markup
from PIL import Image
from weasyprint import HTML, Attachment
from weasyprint.urls import URLFetcher, URLFetcherResponse

from plain_verdict.model import Content
from plain_verdict.model.marks import SUMMARY_FILE
from plain_verdict.report import Report
from plain_verdict.report.brand.tokens import ACCENT_LIGHT, GROUND_PRINT, OUTCOMES_LIGHT
from plain_verdict.report.charts import Chart
from plain_verdict.report.identity import in_words
from plain_verdict.settings.choices import ChecksShown, PaperSize
from plain_verdict.writers.html.environment import make_environment
from plain_verdict.writers.pdf.content import select_content
from plain_verdict.writers.summary_json import SummaryWriter

_PRINT_STYLE = "own:"
_FILLS = {"sent": 0.34, "most": 0.34, "tail": 0.16, "heat-1": 0.14, "heat-2": 0.32, "heat-3": 0.52, "heat-4": 0.76}
_LONGEST_PX = 1_400


def typeset(report: Report, checks: ChecksShown, size: PaperSize) -> bytes:
    """Return the PDF report. Source of its tags: ISO 14289-1 (PDF/UA-1), as far as WeasyPrint goes."""
    assets = Assets()
    with_all = checks is ChecksShown.ALL
    content = select_content(report, with_all=with_all)
    template = make_environment().get_template("pdf.html.j2")
    charts = report.load.charts if report.load else ()
    text = template.render(
        identity=in_words(report.identity),
        report=report,
        info=report.info,
        content=content,
        with_all=with_all,
        css=_style(report.info.brand.accent_light or ACCENT_LIGHT, size.value),
        logo=assets.add(report.info.brand.logo.png, "image/png") if report.info.brand.logo else "",
        picture=assets.picture,
        charts=[(chart, assets.add(_svg(chart, report).encode(), "image/svg+xml")) for chart in charts],
    )
    logging.getLogger("weasyprint").setLevel(logging.CRITICAL)  # what it has to say is not the user's affair
    document = HTML(string=text, url_fetcher=assets, base_url=_PRINT_STYLE, media_type="print")
    target = BytesIO()
    # The identifier would else be random. Source: ISO 32000-1, section 14.4.
    mark = sha256(text.encode("utf-8", "replace")).digest()[:16]
    document.write_pdf(target, pdf_variant="pdf/ua-1", pdf_identifier=mark, attachments=[_attached_summary(report)])
    return target.getvalue()


def _attached_summary(report: Report) -> Attachment:
    """Return the run as JSON, for programs, and to verify the PDF by."""
    made = report.info.made.astimezone(UTC)
    text = SummaryWriter(files={}).render_text(report)
    about = "The run as JSON: plain-verdict verify checks it"
    return Attachment(
        string=text, name=SUMMARY_FILE, description=about, created=made, modified=made, relationship="Data"
    )


class Assets(URLFetcher):  # type: ignore[misc]  # WeasyPrint has no types
    """Hands over what was added, and refuses every other address: a paper reaches for nothing."""

    def __init__(self) -> None:
        super().__init__(allowed_protocols=("own",))
        self._held: dict[str, tuple[bytes, str]] = {}

    def add(self, data: bytes, media_type: str) -> str:
        """Return the address of something to be shown."""
        address = f"{_PRINT_STYLE}{len(self._held)}"
        self._held[address] = data, media_type
        return address

    def picture(self, content: Content) -> str:
        """Return the address of a picture, no larger than paper needs it."""
        return self.add(*_fit(content))

    def fetch(self, url: str, headers: object = None) -> URLFetcherResponse:  # noqa: ARG002  as its parent has it
        """Return what was added under an address. Raises ValueError for any other."""
        if url not in self._held:
            raise ValueError(f"nothing is fetched for a paper: {url[:60]}")
        data, media_type = self._held[url]
        return URLFetcherResponse(url, body=data, headers={"Content-Type": media_type})


def _fit(content: Content) -> tuple[bytes, str]:
    """Return a picture, made smaller where it is larger than a page shows it."""
    if max(content.width, content.height) <= _LONGEST_PX and content.media_type in ("image/png", "image/jpeg"):
        return content.data, content.media_type

    with Image.open(BytesIO(content.data)) as opened:
        picture = opened.convert("RGB")
    picture.thumbnail((_LONGEST_PX, _LONGEST_PX))
    small = BytesIO()
    picture.save(small, "JPEG", quality=82)
    return small.getvalue(), "image/jpeg"


@cache
def _style(accent: str, size: str) -> Markup:
    """Return the stylesheet with the tokens in their places: it knows no variables of the page."""
    text = (Path(__file__).parent / "templates" / "pdf.css").read_text("utf-8")
    tokens = {**GROUND_PRINT, **OUTCOMES_LIGHT, "accent": accent, "size": size}
    for name in sorted(tokens, key=len, reverse=True):
        text = text.replace(f"token({name})", tokens[name])
    return Markup(text)  # noqa: S704  our own file, and colours that were checked


def _svg(chart: Chart, report: Report) -> str:
    """Return a chart as SVG with its colours in it."""
    accent = report.info.brand.accent_light or ACCENT_LIGHT
    return "".join(_svg_parts(chart, accent))


def _svg_parts(chart: Chart, accent: str) -> Iterator[str]:
    ink, soft, line = (GROUND_PRINT[name] for name in ("ink", "soft", "line"))
    yield f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 940 {chart.height}"><style>'
    yield f"text {{ font: 12px sans-serif; fill: {soft} }} .label {{ fill: {ink} }} .rule {{ stroke: {line} }}"
    yield f".window {{ fill: {GROUND_PRINT['wash']}; stroke: {line} }}"
    yield f".failed {{ fill: {OUTCOMES_LIGHT['failed']} }}"
    yield f".median {{ fill: none; stroke: {accent}; stroke-width: 1.6 }}"
    yield f".users {{ fill: none; stroke: {ink}; stroke-dasharray: 4 3 }}"
    yield f".bound {{ stroke: {ink}; stroke-dasharray: 7 4 }} .heat-5 {{ fill: {accent} }}"
    yield "".join(f".{name} {{ fill: {accent}; fill-opacity: {share} }}" for name, share in _FILLS.items())
    yield "</style>"
    yield "".join(f'<line class="rule" x1="52" x2="934" y1="{y}" y2="{y}"/>' for y in chart.grid)
    yield "".join(f'<path class="{shade.style}" d="{shade.points}"/>' for shade in chart.shades)
    for bar in chart.bars:
        box = f'x="{bar.x}" y="{bar.y}" width="{bar.width}" height="{bar.height}"'
        yield f'<rect class="{bar.style}" {box}/>'
    yield "".join(f'<polygon class="{area.style}" points="{area.points}"/>' for area in chart.areas)
    yield "".join(f'<polyline class="{outline.style}" points="{outline.points}"/>' for outline in chart.lines)
    yield "".join(f'<line class="bound" x1="52" x2="934" y1="{y}" y2="{y}"/>' for y in chart.limits)
    for mark in chart.marks:
        style = f' class="{mark.style}"' if mark.style else ""
        yield f'<text x="{mark.x}" y="{mark.y}" text-anchor="{mark.anchor}"{style}>{escape(mark.text)}</text>'
    yield "</svg>"
