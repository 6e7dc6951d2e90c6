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
        cells = "".join(
            f'<td data-label="{name}"><bdi>{escaped(cell) or "–"}</bdi></td>'
            for name, cell in zip(names, row.cells, strict=True)
        )
        mark = "" if row.differs else ' <small class="soft">the same</small>'
        yield f'<tr{" class=differs" if row.differs else ""}><th scope="row">{row.label}{mark}</th>{cells}</tr>'
    if table.pictures:
        drawn = "".join(
            f'<td data-label="{name}">{evidence.picture(picture) if picture else "–"}</td>'
            for name, picture in zip(names, table.pictures, strict=True)
        )
        yield f'<tr class="differs"><th scope="row">Picture</th>{drawn}</tr>'
    yield "</tbody></table></div>"
    if table.hidden:
        yield f'<p class="soft">and {plural(table.hidden, "attempt")} between them, below.</p>'
