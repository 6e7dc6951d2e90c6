"""Draws a chart of the page with Matplotlib: the same mappings at the same places, in the light colours."""

import re
from io import BytesIO

from matplotlib.axes import Axes
from matplotlib.figure import Figure
from matplotlib.patches import Polygon, Rectangle

from plain_verdict.report.brand.tokens import ACCENT_LIGHT, GROUND_LIGHT, OUTCOMES_LIGHT
from plain_verdict.report.charts import LEFT, RIGHT, WIDTH, Bar, Chart, Mark

_DPI = 200  # sharp on paper and on displays of double density
_INCH = 100.0
"""Units of a chart to the inch."""
_HEAD, _SIDE = 44.0, 12.0
_INK, _SOFT, _LINE, _WASH = (GROUND_LIGHT[name] for name in ("ink", "soft", "line", "wash"))
_FILLS = {"sent": 0.34, "most": 0.34, "tail": 0.16}
_HEAT = {"heat-1": 0.14, "heat-2": 0.32, "heat-3": 0.52, "heat-4": 0.76, "heat-5": 1.0}
_FONT_PT = 8.5
_PATH_CELL = re.compile(r"M([-\d.e]+) ([-\d.e]+)h([-\d.e]+)v([-\d.e]+)h-[-\d.e]+z")


def draw(chart: Chart, accent: str, form: str, dpi: int = _DPI) -> bytes:
    """Return a chart as a picture in a form, ``png`` or ``svg``; the same chart gives the same bytes."""
    height = chart.height + _HEAD
    figure = Figure(figsize=((WIDTH + 2 * _SIDE) / _INCH, height / _INCH), dpi=dpi, facecolor=GROUND_LIGHT["sheet"])
    axes = figure.add_axes((0, 0, 1, 1))
    axes.set_xlim(-_SIDE, WIDTH + _SIDE)
    axes.set_ylim(chart.height, -_HEAD)
    axes.set_axis_off()
    _draw_mappings(axes, chart, accent or ACCENT_LIGHT)
    axes.text(0, 16 - _HEAD, chart.title, fontsize=_FONT_PT + 1.5, fontweight="bold", color=_INK)
    axes.text(0, 32 - _HEAD, chart.aside, fontsize=_FONT_PT, color=_SOFT)
    for mark in chart.marks:
        _write(axes, mark)
    data = BytesIO()
    if form == "svg":
        # Without the day and with names of its parts that do not change.
        import matplotlib as mpl  # an extra, for charts only

        with mpl.rc_context({"svg.hashsalt": "plain-verdict", "svg.fonttype": "none"}):
            figure.savefig(data, format="svg", metadata={"Date": None, "Creator": None})
    else:
        figure.savefig(data, format="png", metadata={"Software": None})
    return data.getvalue()


def _drawn_bar(bar: Bar, accent: str) -> Rectangle:
    box = ((bar.x, bar.y), bar.width, bar.height)
    if bar.style == "window":
        return Rectangle(*box, facecolor=_WASH, edgecolor=_LINE, linewidth=0.5)
    if bar.style == "failed":
        return Rectangle(*box, color=OUTCOMES_LIGHT["failed"], linewidth=0)
    return Rectangle(*box, color=accent, alpha=_FILLS[bar.style], linewidth=0)


def _draw_mappings(axes: Axes, chart: Chart, accent: str) -> None:
    for shade in chart.shades:
        for found in _PATH_CELL.finditer(shade.points):
            x, y, width, height = map(float, found.groups())
            axes.add_patch(Rectangle((x, y), width, height, color=accent, alpha=_HEAT[shade.style], linewidth=0))
    for y in chart.grid:
        axes.plot((LEFT, RIGHT), (y, y), color=_LINE, linewidth=0.6)
    for bar in chart.bars:
        axes.add_patch(_drawn_bar(bar, accent))
    for area in chart.areas:
        axes.add_patch(Polygon(_points(area.points), color=accent, alpha=_FILLS[area.style], linewidth=0))
    for line in chart.lines:
        xs, ys = zip(*_points(line.points), strict=True)
        if line.style == "users":
            axes.plot(xs, ys, color=_INK, linewidth=0.9, linestyle=(0, (4, 3)))
        else:
            axes.plot(xs, ys, color=accent, linewidth=1.2)
    for y in chart.limits:
        axes.plot((LEFT, RIGHT), (y, y), color=_INK, linewidth=0.9, linestyle=(0, (7, 4)))


def _write(axes: Axes, mark: Mark) -> None:
    alignment = {"start": "left", "middle": "center", "end": "right"}[mark.anchor]
    # A name is text, never mathematics.
    text = mark.text.replace("$", r"\$")
    colour = _INK if mark.style else _SOFT
    axes.text(mark.x, mark.y, text, fontsize=_FONT_PT, ha=alignment, va="baseline", color=colour)


def _points(text: str) -> list[tuple[float, float]]:
    return [(float(x), float(y)) for x, _, y in (pair.partition(",") for pair in text.split())]
