"""The inputs of a run in the summary."""

from collections.abc import Iterator
from datetime import datetime

import msgspec

from plain_verdict.judging.compliance_text import RuleCounts, count_rules
from plain_verdict.model import Tally
from plain_verdict.report import Report
from plain_verdict.writers.summary_history import BuildCounts, counts_of


class FileSummary(msgspec.Struct, frozen=True):
    """One input. ``format`` is null for one that could not be read; its notes say why."""

    path: str
    format: str | None
    counts: BuildCounts
    notes: list[str]
    rules: RuleCounts | None = None
    """Where the file has rules."""
    size_bytes: int | None = None
    sha256: str = ""
    written: datetime | None = None
    """When the file was written, where that is known."""
    taken: dict[str, int] = {}
    """What was taken from it: checks, and by nouns what else."""


def file_summaries(report: Report) -> Iterator[FileSummary]:
    """Yield the summary of each input, also of those that could not be read."""
    run, verdict = report.run, report.verdict
    for row in report.files:
        file = row.file
        notes = [note.sentence for note in file.notes]
        has_rules = any(check.rule for check in file.checks)
        rules = count_rules(file.checks, verdict.waived) if has_rules else None
        yield FileSummary(
            path=file.path,
            format=file.format,
            counts=counts_of(file.tally),
            notes=notes,
            rules=rules,
            size_bytes=file.size_bytes,
            sha256=file.digest,
            written=row.written,
            taken={"checks": row.tally.total} | {f"{noun}s": number for number, noun in file.amounts},
        )
    for trouble in run.unread:
        yield FileSummary(trouble.path, None, counts_of(Tally()), [trouble.sentence])
