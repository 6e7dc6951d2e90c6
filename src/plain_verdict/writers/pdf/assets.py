"""The pictures, charts and the logo of a PDF report, as files next to its template."""

from collections.abc import Iterator
from html import escape
from io import BytesIO

from PIL import Image

from plain_verdict.model import Content
from plain_verdict.report.brand.svg import picture_of_svg
from plain_verdict.report.brand.tokens import GROUND_PRINT, OUTCOMES_LIGHT
from plain_verdict.report.charts import Chart
from plain_verdict.writers.pdf.blocks import Picture, span

_FILLS = {"sent": 0.34, "most": 0.34, "tail": 0.16, "heat-1": 0.14, "heat-2": 0.32, "heat-3": 0.52, "heat-4": 0.76}
_AS_THEY_ARE = {"image/png": "png", "image/jpeg": "jpeg"}
_LONGEST_PX = 1_400
_WIDEST_MM, _HIGHEST_MM = 170.0, 80.0
_MM_OF_PX = 25.4 / 96
"""Source: CSS Values and Units Level 3, section 6.2."""


class Assets:
    """Collects pictures and charts, and gives each the name of a file."""

    def __init__(self, accent: str) -> None:
        self.files: dict[str, bytes] = {}
        self._accent = accent

    def add(self, data: bytes, suffix: str) -> str:
        """Return the name of the file that has this in it."""
        name = f"{len(self.files)}.{suffix}"
        self.files[name] = data
        return name

    def picture(self, content: Content, caption: str) -> Picture:
        """Return a picture, no larger than paper needs it."""
        scale = min(_MM_OF_PX, _WIDEST_MM / content.width, _HIGHEST_MM / content.height)
        words = caption or "Screenshot"
        return Picture(self.add(*_fit(content)), words, (span(caption),), round(content.width * scale, 2))

    def redraw(self) -> None:
        """Write all pictures anew as Pillow reads them: it reads some that stricter decoders refuse."""
        for name, data in self.files.items():
            if not name.endswith(".svg"):
                self.files[name] = _redrawn(data)

    def chart(self, chart: Chart) -> Picture:
        """Return a chart in the accent's colour."""
        file = self.add("".join(_svg_parts(chart, self._accent)).encode(), "svg")
        return Picture(file, chart.words, (span(f"{chart.title} ", bold=True), span(chart.aside)))


def _fit(content: Content) -> tuple[bytes, str]:
    """Return a picture with its type; made smaller where it is larger than a page shows it."""
    suffix = _AS_THEY_ARE.get(content.media_type)
    if suffix and max(content.width, content.height) <= _LONGEST_PX:
        return content.data, suffix
    if content.media_type == "image/svg+xml":
        return picture_of_svg(content.data), "png"
    with Image.open(BytesIO(content.data)) as opened:
        picture = opened.convert("RGBA")
    picture.thumbnail((_LONGEST_PX, _LONGEST_PX))
    on_paper = Image.alpha_composite(Image.new("RGBA", picture.size, "white"), picture)
    return _encoded(on_paper.convert("RGB"), "JPEG"), "jpeg"


def _redrawn(data: bytes) -> bytes:
    """Return a picture as Pillow reads it; a white one where it can't be decoded."""
    try:
        with Image.open(BytesIO(data)) as opened:
            opened.load()
            return _encoded(opened, opened.format or "PNG")
    except (OSError, SyntaxError, ValueError):
        return _encoded(Image.new("RGB", (1, 1), "white"), "PNG")


def _encoded(picture: Image.Image, form: str) -> bytes:
    data = BytesIO()
    picture.save(data, form, quality=82)
    return data.getvalue()


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
