"""The result files of a run, as outputs list them."""

from datetime import datetime

import msgspec

from plain_verdict.model import ResultFile, Run, Tally
from plain_verdict.report.suites import sum_s


class FileRow(msgspec.Struct, frozen=True):
    """One result file, with its own tally."""

    file: ResultFile
    tally: Tally
    took_s: float | None
    written: datetime | None = None
    """On the clock of the page."""

    @property
    def bad(self) -> int:
        """Return how many of its checks failed or errored."""
        return self.tally.failed + self.tally.errored


def file_rows(run: Run, made: datetime) -> tuple[FileRow, ...]:
    """Return the result files of a run whose page was made at a moment."""
    return tuple(FileRow(file, file.tally, sum_s(file.checks), written_before(file, made)) for file in run.files)


def written_before(file: ResultFile, made: datetime) -> datetime | None:
    """Return when a file was written, on the clock of the page; None where that is not known.

    A time after the page is of another clock, or the page's own is fixed.
    """
    if file.written is None:
        return None
    written = file.written.replace(microsecond=0).astimezone(made.tzinfo)
    return written if written <= made.astimezone(made.tzinfo) else None
