"""Renders the page of an index."""

from collections.abc import Iterator, Sequence

from plain_verdict.writers.html.environment import make_environment
from plain_verdict.writers.html.standalone import Look, render_standalone

_INDEX_STYLES = ("sections/inputs/section", "sections/load/section", "index-page")


class IndexLook(Look, frozen=True, kw_only=True):
    """What stands around the series; ``entries`` and ``trends`` are what the page carries for the next time."""

    lead: str
    entries: str
    trends: str
    has_feed: bool


def render_index(look: IndexLook, series: Sequence[object]) -> Iterator[str]:
    """Yield the page in pieces."""
    return render_standalone("index-page.html.j2", look, _INDEX_STYLES, "scripts/index-page.js", series=series)


def render_body(body: object) -> str:
    """Return what stands behind the line of a series."""
    return make_environment().get_template("index-series.html.j2").render(body=body)


def render_rows(rows: Sequence[object]) -> str:
    """Return the rows of reports."""
    return make_environment().get_template("index-rows.html.j2").render(shown=rows)
