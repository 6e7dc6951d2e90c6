"""Several attempts at one check as a table: a column for each, with what differed marked."""

from collections.abc import Iterator

from plain_verdict.report.attempts import AttemptsTable
from plain_verdict.text.formatting import plural
from plain_verdict.writers.html.checks.escaping import escaped
from plain_verdict.writers.html.checks.evidence import EvidenceHtml
from plain_verdict.writers.html.checks.rows import outcome_html


def attempts_html(table: AttemptsTable, evidence: EvidenceHtml) -> Iterator[str]:
    """Yield the attempts side by side."""
    names = [f"attempt {number}" for number in table.numbers]
    heads = "".join(
        f'<th scope="col">{name} {outcome_html(outcome)}</th>'
        for name, outcome in zip(names, table.outcomes, strict=True)
    )
    yield (
        '<h4>Attempts</h4><div class="wide" tabindex="0" role="region" aria-label="Attempts">'
        '<table class="files attempts stacks"><thead><tr><th scope="col">Differs in</th>'
        f"{heads}</tr></thead><tbody>"
    )
    for row in table.rows:
        yield _row(
            row.label, [f"<bdi>{escaped(cell) or '–'}</bdi>" for cell in row.cells], names, differs=row.differs
        )
    if table.pictures:
        drawn = [str(evidence.picture(picture)) if picture else "–" for picture in table.pictures]
        yield _row("Picture", drawn, names, differs=True)
    yield "</tbody></table></div>"
    if table.hidden:
        yield f'<p class="soft">and {plural(table.hidden, "attempt")} between them, below.</p>'


def _row(label: str, cells: list[str], names: list[str], *, differs: bool) -> str:
    mark = "" if differs else ' <small class="soft">the same</small>'
    columns = "".join(f'<td data-label="{name}">{cell}</td>' for name, cell in zip(names, cells, strict=True))
    marked = ' class="differs"' if differs else ""
    return f'<tr{marked}><th scope="row">{label}{mark}</th>{columns}</tr>'
