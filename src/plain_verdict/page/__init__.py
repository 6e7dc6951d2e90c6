"""Writes the page: one HTML file with everything in it."""

from collections.abc import Iterator
from datetime import datetime

from plain_verdict.model import Run, Verdict
from plain_verdict.page.environment import make_environment
from plain_verdict.page.view import make_page


def render_page(run: Run, verdict: Verdict, *, title: str, made: datetime) -> Iterator[str]:
    """Yield the page's HTML in pieces; the same arguments give the same text.

    ``title`` "" takes the results' own name. ``made`` is when the page is made, with a zone.
    """
    template = make_environment().get_template("page.html.j2")
    return template.generate(page=make_page(run, verdict, title, made))
