"""A chart of when requests took how long: each cell as dark as there are many."""

import math
from collections import Counter
from collections.abc import Iterator, Sequence
from datetime import UTC, datetime

from plain_verdict.model import Heat
from plain_verdict.report.charts import LEFT, Chart, Mark, Outline, TimeAxis
from plain_verdict.report.ranges import round_numbers_between
from plain_verdict.text.formatting import format_duration, plural

_SHADES = 5  # more can't be told apart
_TOP, _ROW = 8.0, 7.0
_HEAT_ROWS = 20


def heat_map(heat: Heat) -> Chart:
    """Return the chart that shows two kinds of answers, pauses and time-outs."""
    rows = len(heat.edges_s) - 1
    bottom = _TOP + rows * _ROW
    axis = TimeAxis(datetime.fromtimestamp(heat.started_s, UTC), heat.step_s, heat.columns)
    most = max(count for *_, count in heat.cells)
    paths: list[list[str]] = [[] for _ in range(_SHADES)]
    # By the logarithm: a few time-outs must be seen beside thousands of quick answers.
    shades = [
        (row, column, min(_SHADES - 1, int(_SHADES * math.log1p(count) / math.log1p(most))))
        for column, row, count in heat.cells
    ]
    for row, column, size, shade in _runs(shades):
        x, y, width = axis.left(column), bottom - (row + 1) * _ROW, round(size * axis.width, 1)
        paths[shade].append(f"M{x:g} {y:g}h{width:g}v{_ROW:g}h-{width:g}z")
    totals = Counter[int]()
    for _, row, count in heat.cells:
        totals[row] += count
    cells = [(_range(heat, row), f"{totals[row]:,}") for row in range(rows) if totals[row]]
    usual = max(range(rows), key=lambda row: totals[row])
    words = (
        f"The most frequent response time was {_range(heat, usual)}:"
        f" {plural(totals[usual], 'request')} of {totals.total():,}."
    )
    step = max(1, math.ceil(len(cells) / _HEAT_ROWS))
    return Chart(
        name="map",
        title="Response times over the run",
        aside=f"answered requests per {format_duration(heat.step_s)}; darker cells hold more requests",
        words=words,
        height=round(bottom + 26, 1),
        shades=tuple(Outline(f"heat-{shade + 1}", "".join(path)) for shade, path in enumerate(paths) if path),
        marks=(*_powers_of_ten(heat, bottom), *axis.ticks(bottom + 18)),
        table=(("Response time", "Requests"), *cells[::step]),
    )


def _range(heat: Heat, row: int) -> str:
    return f"{format_duration(heat.edges_s[row])} to {format_duration(heat.edges_s[row + 1])}"


def _powers_of_ten(heat: Heat, bottom: float) -> Iterator[Mark]:
    low, high = heat.edges_s[0], heat.edges_s[-1]
    for at in round_numbers_between(low, high):
        if f"{at:e}"[0] == "1":
            up = (bottom - _TOP) * math.log(at / low) / math.log(high / low)
            yield Mark(LEFT - 6, bottom - up + 4, format_duration(at), "end")


def _runs(shades: Sequence[tuple[int, int, int]]) -> Iterator[tuple[int, int, int, int]]:
    """Yield row, first column, number of columns and shade of neighbours that are alike."""
    begun: tuple[int, int, int, int] | None = None
    for row, column, shade in sorted(shades):
        if begun and (begun[0], begun[1] + begun[2], begun[3]) == (row, column, shade):
            begun = (row, begun[1], begun[2] + 1, shade)
            continue
        if begun:
            yield begun
        begun = (row, column, 1, shade)
    if begun:
        yield begun
