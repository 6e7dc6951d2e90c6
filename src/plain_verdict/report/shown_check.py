"""What a check shows, decided once for every place it stands in: a page, a folder, a folded part of a page."""

from collections.abc import Iterator
from datetime import datetime
from enum import StrEnum
from functools import lru_cache

import msgspec

from plain_verdict.model import BAD, Attempt, Check, Fact, Kind, Outcome, Step, Waived, steps_below
from plain_verdict.report.evidence_index import EvidenceIndex, ShownEvidence
from plain_verdict.text.formatting import format_date, format_day, format_duration


class RowStyle(StrEnum):
    """How the value of a row is written."""

    CODE = "code"
    TIME = "time"
    TEXT = "text"
    LIST = "list"
    LINK = "link"


class Row(msgspec.Struct, frozen=True):
    """A line of what is known of a check besides: label and values. ``ours``: the label is a word of ours."""

    label: str
    values: tuple[str, ...]
    style: RowStyle = RowStyle.TEXT
    ours: bool = True


class ShownAttempt(msgspec.Struct, frozen=True):
    """An attempt with its evidence; ``lead`` is the picture that stands beside its steps, not among the rest.

    ``number`` counts from 1, as its format does where that tells it; ``circumstances`` are when and where it ran.
    """

    attempt: Attempt
    number: int
    circumstances: str
    lead: ShownEvidence | None
    evidence: tuple[ShownEvidence, ...]
    of_steps: dict[int, tuple[ShownEvidence, ...]]
    """By the identity of the step: equal ones are not the same."""

    def evidence_of(self, step: Step) -> tuple[ShownEvidence, ...]:
        """Return the evidence of a step."""
        return self.of_steps[id(step)]


class ShownCheck(msgspec.Struct, frozen=True):
    """A check with everything that the report shows of it, in order.

    Under its name stand ``attempt_note``, ``set_aside`` or ``skip_reason``, one of them at most.
    """

    attempt_note: str
    set_aside: str
    skip_reason: str
    variant: tuple[Fact, ...]
    cause_name: str
    """A message that stands with the check's cause already; a problem that says the same is short here."""
    cause: str
    """The cause of its failure, where that says more than the check itself; else ""."""
    waiver: Waived | None
    last: ShownAttempt
    earlier: tuple[ShownAttempt, ...]
    rows: tuple[Row, ...]


def is_simple(check: Check) -> bool:
    """Return whether a check is a row with nothing to open and nothing below its name."""
    return not (check.has_details or check.variant or check.disambiguator or check.attempts[-1].outcome in BAD)


def describe_time(attempt: Attempt) -> str:
    """Return how long an attempt took, in words; nothing for one that was skipped and took no time."""
    return format_duration(attempt.took_s) if attempt.took_s or attempt.outcome is not Outcome.SKIPPED else ""


def describe_waiver(waiver: Waived) -> str:
    """Return how long a failure is waived, shortened."""
    return f"{waiver.word} until {format_date(waiver.until)}" if waiver.until else waiver.word


def show_check(
    check: Check,
    waiver: Waived | None,
    evidence: EvidenceIndex,
    *,
    shared: tuple[Fact, ...] = (),
    cause_name: str = "",
    cause: str = "",
) -> ShownCheck:
    """Return what a check shows, with the waiver that covers it.

    ``shared`` are facts of its variant that stand in its suite's heading; ``cause_name`` is what its cause says,
    ``cause`` what that is called.
    """
    attempts = tuple(_show_attempt(*numbered, evidence) for numbered in enumerate(check.attempts, 1))
    retried = len(attempts) > 1
    note = f"{'passed on attempt' if check.flaky else 'attempt'} {attempts[-1].number}"
    skipped = check.outcome is Outcome.SKIPPED and not retried and waiver is None
    return ShownCheck(
        attempt_note=note if retried else "",
        set_aside=describe_waiver(waiver) if waiver and not retried else "",
        skip_reason=check.last.reason if skipped else "",
        variant=tuple(fact for fact in check.variant if fact not in shared),
        waiver=waiver,
        cause_name=cause_name,
        cause=cause if cause not in (check.name, check.why) else "",
        last=attempts[-1],
        earlier=attempts[:-1],
        rows=tuple(_rows(check)),
    )


def _show_attempt(position: int, attempt: Attempt, evidence: EvidenceIndex) -> ShownAttempt:
    began = f"began {_moment(attempt.started)}" if attempt.started else ""
    circumstances = ", ".join(filter(None, (began, f"on {attempt.worker}" if attempt.worker else "")))
    number = attempt.number or position
    if not (attempt.evidence or attempt.steps or attempt.exchanges):
        return ShownAttempt(attempt, number, circumstances, None, (), {})
    lead = evidence.single_lead(attempt)
    seen = {lead.content} if lead is not None else set[str]()
    of_steps = {id(step): tuple(evidence.shown(step.evidence, seen)) for step in steps_below(attempt)}
    others = () if attempt.evidence == (lead,) else attempt.evidence
    shown_evidence = tuple(evidence.shown(others, seen))
    leading = next(evidence.shown((lead,)), None) if lead else None
    return ShownAttempt(attempt, number, circumstances, leading, shown_evidence, of_steps)


def _moment(moment: datetime) -> str:
    # Moments of two zones can be equal: only what is written may be looked up.
    return _format_second(moment.replace(microsecond=0, tzinfo=None))


@lru_cache(1_000)
def _format_second(moment: datetime) -> str:
    """Return a moment in words: it stands in a check twice, and many begin in the same second."""
    return f"{format_day(moment)}, {moment:%H:%M:%S}"


def _rows(check: Check) -> Iterator[Row]:
    """Yield what is known of a check besides what happened in it."""
    last = check.last
    if check.kind is not Kind.FUNCTIONAL:
        yield Row("Kind", (check.kind.value,))
    if check.location:
        yield Row("Written in", (str(check.location),), RowStyle.CODE)
    if last.started:
        yield Row("Began", (_moment(last.started),), RowStyle.TIME)
    if last.worker:
        yield Row("Worker", (last.worker,))
    for label, texts in (("Tags", check.tags), ("Requirements", check.requirements)):
        if texts:
            yield Row(label, texts, RowStyle.LIST)
    yield from (Row(link.key, (link.value,), RowStyle.LINK, ours=False) for link in check.links)
    yield from (Row(fact.key, (fact.value,), ours=False) for fact in check.facts)
