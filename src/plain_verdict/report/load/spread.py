"""A chart of how the times of a load run are spread."""

import math
from collections.abc import Sequence
from typing import NamedTuple

from plain_verdict.model import LoadRun
from plain_verdict.report.charts import LEFT, RIGHT, Bar, Chart, LinearAxis, Mark, Outline, points, thinned
from plain_verdict.report.ranges import round_numbers_between
from plain_verdict.text.formatting import capital, format_duration, percentile_name

_SPREAD_ROWS = 16
_LABEL_WIDTH = 60.0  # units: two names would touch
_TOP, _BOTTOM = 18.0, 124.0
"""Of the bars, below the names of the percentiles."""


def spread(load: LoadRun) -> Chart:
    """Return the chart that asks what most callers saw, and how far the tail reaches."""
    edges, shares = load.density.edges_s, load.density.shares
    y = LinearAxis(max(shares) * 100, _TOP, _BOTTOM)
    x = _LogarithmicAxis(edges[0], edges[-1])
    ticks = [
        Mark(x.at(seconds), _BOTTOM + 18, format_duration(seconds), "middle")
        for seconds in round_numbers_between(x.low, x.high)
    ]
    percentiles = [(per_cent, load.whole.percentile(per_cent).value_s) for per_cent in (50.0, 95.0, 99.0)]
    known = [
        (per_cent, seconds)
        for per_cent, seconds in percentiles
        if seconds is not None and x.low <= seconds <= x.high
    ]
    words = [f"{percentile_name(per_cent)} {format_duration(seconds)}" for per_cent, seconds in known]
    words.append(f"longest {format_duration(load.whole.longest_s)}")
    rows = [
        (f"{format_duration(edges[at])} to {format_duration(edges[at + 1])}", f"{100 * share:.2g} %")
        for at, share in enumerate(shares)
    ]
    return Chart(
        name="spread",
        title="How are response times distributed?",
        aside="share of answered requests by response time",
        words=f"{capital(', '.join(words))}.",
        height=_BOTTOM + 24,
        grid=(_TOP, (_TOP + _BOTTOM) / 2),
        bars=_bars(shares, y),
        lines=tuple(
            Outline("median", points([(x.at(seconds), _TOP), (x.at(seconds), _BOTTOM)])) for _, seconds in known
        ),
        marks=(
            Mark(LEFT - 6, _TOP + 4, f"{y.most:g} %", "end"),
            Mark(LEFT - 6, (_TOP + _BOTTOM) / 2 + 4, f"{y.most / 2:g} %", "end"),
            *ticks,
            *_labels(known, x),
        ),
        table=(("Response time", "Share"), *thinned(rows, _SPREAD_ROWS)),
        steps=(("Response time", "Share"), *rows),
    )


class _LogarithmicAxis(NamedTuple):
    """Where response times stand: from left to right, each step the same factor."""

    low: float
    high: float

    def at(self, seconds: float) -> float:
        """Return where a response time stands."""
        share = math.log(seconds / self.low) / math.log(self.high / self.low)
        return round(LEFT + (RIGHT - LEFT) * share, 1)


def _bars(shares: Sequence[float], y: LinearAxis) -> tuple[Bar, ...]:
    # The bins are equal on the logarithmic axis, so that all bars are of one width.
    width = (RIGHT - LEFT) / len(shares)
    return tuple(
        Bar(
            "sent",
            round(LEFT + at * width, 1),
            y.at(100 * share),
            round(max(width - 0.8, 0.5), 2),
            round(_BOTTOM - y.at(100 * share), 1),
        )
        for at, share in enumerate(shares)
        if share
    )


def _labels(percentiles: Sequence[tuple[float, float]], x: _LogarithmicAxis) -> list[Mark]:
    """Return the names of percentiles; one that would lie on the name before it has none."""
    labels: list[Mark] = []
    for per_cent, seconds in percentiles:
        if not labels or x.at(seconds) - labels[-1].x > _LABEL_WIDTH:
            labels.append(Mark(x.at(seconds), _TOP - 5, percentile_name(per_cent), "middle", "label"))
    return labels
