"""Several attempts at one check, side by side: what differed between them."""

from collections.abc import Iterator, Sequence

import msgspec

from plain_verdict.model import Attempt, Outcome, failing_steps
from plain_verdict.report.evidence_index import EvidenceIndex, ShownEvidence
from plain_verdict.report.shown_check import ShownAttempt
from plain_verdict.text.cleaning import headline
from plain_verdict.text.formatting import format_duration

MOST_ATTEMPTS = 4
"""The first, and the last ones."""


class AttemptsRow(msgspec.Struct, frozen=True):
    """What each attempt had of one thing; ``differs`` where not all had the same."""

    label: str
    cells: tuple[str, ...]
    differs: bool


class AttemptsTable(msgspec.Struct, frozen=True):
    """Attempts as columns. ``pictures`` has the one nearest to the failure of each; () where none has column."""

    numbers: tuple[int, ...]
    outcomes: tuple[Outcome, ...]
    rows: tuple[AttemptsRow, ...]
    pictures: tuple[ShownEvidence | None, ...]
    hidden: int
    """How many attempts between the first and the last have no column."""


def compare_attempts(attempts: Sequence[ShownAttempt], evidence: EvidenceIndex) -> AttemptsTable:
    """Return several attempts side by side, in their order, the one that counts last."""
    shown = attempts if len(attempts) <= MOST_ATTEMPTS else (attempts[0], *attempts[-MOST_ATTEMPTS + 1 :])
    pictures = tuple(_picture(column.attempt, evidence) for column in shown)
    return AttemptsTable(
        numbers=tuple(column.number for column in shown),
        outcomes=tuple(column.attempt.outcome for column in shown),
        rows=tuple(_rows(shown)),
        pictures=pictures if any(pictures) else (),
        hidden=len(attempts) - len(shown),
    )


def _rows(shown: Sequence[ShownAttempt]) -> Iterator[AttemptsRow]:
    """Yield the rows in which something stands."""
    attempts = [column.attempt for column in shown]
    for label, cells in (
        ("Message", tuple(map(_message, attempts))),
        ("Failing step", tuple(map(_failing_step, attempts))),
        ("Time", tuple(format_duration(attempt.took_s) for attempt in attempts)),
        ("Worker", tuple(attempt.worker for attempt in attempts)),
    ):
        if any(cells):
            yield AttemptsRow(label, cells, len(set(cells)) > 1)


def _message(attempt: Attempt) -> str:
    return headline(attempt.problems[0].message) if attempt.problems else attempt.reason


def _failing_step(attempt: Attempt) -> str:
    """Return the way to the innermost step that failed: ``Pay > The card is charged``."""
    return " › ".join(step.name for step in failing_steps(attempt))


def _picture(attempt: Attempt, evidence: EvidenceIndex) -> ShownEvidence | None:
    """Return the picture nearest to the failure, or the last column."""
    found = evidence.lead_picture(attempt) or evidence.last_picture(attempt)
    return next(evidence.shown((found,)), None) if found else None
