"""A chart of how the times of a load run are spread."""

import math

from plain_verdict.model import LoadRun
from plain_verdict.report.charts import LEFT, RIGHT, Bar, Chart, LinearAxis, Mark, Outline, points, thinned
from plain_verdict.report.ranges import round_numbers_between
from plain_verdict.text.formatting import capital, format_duration, percentile_name

_SPREAD_ROWS = 16
_LABEL_WIDTH = 60.0


def spread(load: LoadRun) -> Chart:
    """Return the chart that asks what most callers saw, and how far the tail reaches."""
    edges, shares = load.density.edges_s, load.density.shares
    top, bottom = 18.0, 124.0
    y = LinearAxis(max(shares) * 100, top, bottom)
    width = (RIGHT - LEFT) / len(shares)
    bars = tuple(
        Bar(
            "sent",
            round(LEFT + at * width, 1),
            y.at(100 * share),
            round(max(width - 0.8, 0.5), 2),
            round(bottom - y.at(100 * share), 1),
        )
        for at, share in enumerate(shares)
        if share
    )
    low, high = edges[0], edges[-1]

    def x(seconds: float) -> float:
        return round(LEFT + (RIGHT - LEFT) * math.log(seconds / low) / math.log(high / low), 1)

    ticks = [
        Mark(x(seconds), bottom + 18, format_duration(seconds), "middle")
        for seconds in round_numbers_between(low, high)
    ]
    percentiles = [(per_cent, load.whole.percentile(per_cent).value_s) for per_cent in (50.0, 95.0, 99.0)]
    known = [
        (per_cent, seconds) for per_cent, seconds in percentiles if seconds is not None and low <= seconds <= high
    ]
    lines = tuple(Outline("median", points([(x(seconds), top), (x(seconds), bottom)])) for _, seconds in known)
    labels: list[Mark] = []
    for per_cent, seconds in known:
        if not labels or x(seconds) - labels[-1].x > _LABEL_WIDTH:
            labels.append(Mark(x(seconds), top - 5, percentile_name(per_cent), "middle", "label"))
    words = ", ".join(f"{percentile_name(per_cent)} {format_duration(seconds)}" for per_cent, seconds in known)
    longest = load.whole.longest_s
    rows = [
        (f"{format_duration(edges[at])} to {format_duration(edges[at + 1])}", f"{100 * share:.2g} %")
        for at, share in enumerate(shares)
    ]
    return Chart(
        name="spread",
        title="How are response times distributed?",
        aside="share of answered requests by response time",
        words=f"{capital(words)}, longest {format_duration(longest)}."
        if words
        else f"Longest {format_duration(longest)}.",
        height=bottom + 24,
        grid=(top, (top + bottom) / 2),
        bars=bars,
        lines=lines,
        marks=(
            Mark(LEFT - 6, top + 4, f"{y.most:g} %", "end"),
            Mark(LEFT - 6, (top + bottom) / 2 + 4, f"{y.most / 2:g} %", "end"),
            *ticks,
            *labels,
        ),
        table=(("Response time", "Share"), *thinned(rows, _SPREAD_ROWS)),
        steps=(("Response time", "Share"), *rows),
    )
