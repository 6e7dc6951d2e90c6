"""Inputs: files, notes on them, facts that they tell."""

from collections.abc import Iterator

import msgspec

from plain_verdict.report import Report
from plain_verdict.settings.limits import FOLDED_DETAIL_CHARS
from plain_verdict.text.formatting import capital, describe_reruns, plural
from plain_verdict.writers.html.folding import Folding
from plain_verdict.writers.html.sections.interface import PageParts, PageSection


class Note(msgspec.Struct, frozen=True):
    """A sentence on how the results were read; ``grave`` where results are missing, or secrets are not."""

    sentence: str
    grave: bool = False


def _select(report: Report, page: PageParts) -> list[Note]:
    return list(_notes(report, page.folding))


def _notes(report: Report, folding: Folding | None) -> Iterator[Note]:
    run = report.run
    if run.reruns:
        yield Note(describe_reruns(run.cases, len(run.checks), run.reruns))
    yield from (Note(note.sentence, note.results_missing) for note in run.notes)
    yield from map(
        Note,
        (*report.verdict.notes, *run.mapping_notes, *run.requirements.notes, *run.evidence_notes, *report.notes),
    )
    if folding:
        yield Note(_on_folding(folding))
    if report.masked is None:
        yield Note("Masking is off: this page shows secrets in the results unmasked.", grave=True)
    elif report.on_masking:
        yield Note(report.on_masking)
    alone = len(run.left_alone)
    if alone:
        what = "is not a result file and was" if alone == 1 else "are no result files and were"
        yield Note(f"{capital(plural(alone, 'file'))} in the given folders {what} skipped.")


def _on_folding(folding: Folding) -> str:
    cut = (
        f"; stack traces of compressed failures are cut to {FOLDED_DETAIL_CHARS:,} characters"
        if folding.cuts
        else ""
    )
    verb = "is" if folding.count == 1 else "are"
    return f"{capital(plural(folding.count, 'check'))} {verb} compressed in this page{cut}."


INPUTS = PageSection("inputs", _select)
