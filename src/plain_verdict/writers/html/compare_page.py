"""Renders the page of two runs side by side."""

from datetime import datetime

from plain_verdict.model.run_comparison import RunComparison
from plain_verdict.report.brand import Brand
from plain_verdict.report.side_by_side import Cell, SideBySide
from plain_verdict.writers.html.standalone import Look, render_standalone


def render_comparison(compared: RunComparison, given: SideBySide, brand: Brand, made: datetime) -> str:
    """Return the page."""
    look = Look(title=given.title, brand=brand, made=made, word=compared.after.verdict)

    def link_of(cell: Cell) -> str:
        page = (compared.after if cell.in_last else compared.before).page
        return f"{page}#{cell.check}" if page and cell.check else ""

    pieces = render_standalone(
        "compare-page.html.j2",
        look,
        ("sections/verdict/section", "compare-page"),
        given=given,
        sides=list(zip((compared.before, compared.after), given.sentences, strict=True)),
        link_of=link_of,
    )
    return "".join(pieces)
