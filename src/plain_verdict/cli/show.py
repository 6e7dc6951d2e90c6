"""What several commands say: the verdict, what could not be read, what is odd."""

from collections.abc import Iterator, Sequence

from plain_verdict.cli.terminal import show, show_document, show_error, show_labelled
from plain_verdict.model import Run, Topic, Unread, Verdict
from plain_verdict.report import Report
from plain_verdict.report.history import change_lines
from plain_verdict.runtime.errors import PlainVerdictError
from plain_verdict.settings.limits import LISTED_NAME_CHARS
from plain_verdict.text.formatting import join_list, shorten
from plain_verdict.writers.summary_json import SummaryWriter

_MOST_NOTES = 20  # more scroll the verdict away
_CAUSES_SHOWN = 10  # the largest; the page has them all


def show_trouble(run: Run, verdict: Verdict, *, notes: bool = True) -> None:
    """Say on stderr what could not be read, and what was odd about the rest."""
    for unread in run.unread:
        if unread.excluded_by_user:
            show_labelled("note", unread.sentence)
        else:
            show_unread(unread)
    # A history that can't be used is said also where notes are not: a run that is not stored is a gap for ever.
    trouble = run.in_series.trouble if run.in_series else ()
    remarks = list(_remarks(run, verdict, trouble)) if notes else list(trouble)
    for remark in remarks[:_MOST_NOTES]:
        show_labelled("note", remark)
    if len(remarks) > _MOST_NOTES:
        show_labelled("note", f"{len(remarks) - _MOST_NOTES:,} more notes are in the report.")


def _remarks(run: Run, verdict: Verdict, trouble: Sequence[str]) -> Iterator[str]:
    """Yield what was odd, in the order of its making."""
    yield from (note.sentence for note in run.notes if not note.quiet)
    yield from (
        *run.mapping_notes,
        *run.engine_notes,
        *run.requirements.notes,
        *run.api.notes,
        *run.baseline_notes,
        *run.owner_notes,
        *verdict.notes,
    )
    yield from trouble
    yield from run.in_series.notes if run.in_series else ()


def show_unread(trouble: Unread) -> None:
    """Say on stderr why an input could not be read, and what to do."""
    show_error(PlainVerdictError(trouble.what, path=trouble.path, where=trouble.where, hint=trouble.hint))


def show_verdict(run: Run, verdict: Verdict) -> None:
    """Print the verdict sentence, the causes with their checks, what changed, and what else a reader should know.

    What is not whole is on stderr already.
    """
    show(verdict.sentence, verdict.word.value)
    for cause in verdict.causes[:_CAUSES_SHOWN]:
        aside = verdict.aside_of(cause)
        show(f"{len(cause.checks):>5,}", "failed", end="  ")
        show(f"{shorten(cause.name, LISTED_NAME_CHARS)}{f', {aside}' if aside else ''}")
        show(f"       {join_list([check.whole_name for check in cause.checks])}", "soft")
    if len(verdict.causes) > _CAUSES_SHOWN:
        show(f"       and {len(verdict.causes) - _CAUSES_SHOWN:,} more causes", "soft")
    for remark in verdict.remarks:
        if remark.topic is not Topic.INPUTS:
            show(remark.text)
    since = run.since
    for line in change_lines(since) if since else ():
        show(line)


def show_summary(report: Report, writer: SummaryWriter) -> None:
    """Print the summary as JSON on stdout."""
    show_document(writer.render_text(report))
