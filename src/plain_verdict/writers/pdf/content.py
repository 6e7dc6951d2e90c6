"""What stands in the PDF report: which checks are listed one by one, with how much of each."""

from collections.abc import Iterator, Sequence

import msgspec

from plain_verdict.model import BAD, Check, Content, Evidence, Outcome, Past, Problem, Step, aside_word
from plain_verdict.report import Report
from plain_verdict.report.causes import CauseEntry
from plain_verdict.report.files import FileRow
from plain_verdict.report.suites import SuiteGroup
from plain_verdict.text.formatting import format_duration, plural, shorten

MOST_FAILURES = 500
"""Failures that are listed one by one; the others are counted."""
MOST_CHECKS = 5_000
"""Checks in the list of all."""
MOST_PICTURES = 120  # a longer document is no longer printed
_STEPS = 30
_CAUSES, _FILES, _NOTES = 60, 300, 100
_FAILED = (Past.FAILED, Past.ERRORED)
_DETAIL_LINES, _TEXT_CHARS = 12, 1_200


class PdfStep(msgspec.Struct, frozen=True):
    """A step: how deep it stands, its name, outcome and time."""

    depth: int
    name: str
    outcome: Outcome
    took_s: float | None


class PdfCheck(msgspec.Struct, frozen=True):
    """A check that failed, as the PDF report tells it. ``more_steps`` are left out."""

    check: Check
    about: tuple[str, ...]
    """How long it took, what sets it apart, that it is waived, how it was before."""
    problem: Problem | None
    message: str
    detail: str
    steps: tuple[PdfStep, ...]
    more_steps: int
    picture: Content | None
    caption: str


class PdfContent(msgspec.Struct, frozen=True):
    """What stands in the PDF report: chapters (id, title); failures, and all checks by suite where they are wanted.

    What is past a limit is only counted: ``omitted`` failures, ``unlisted`` checks, causes and files.
    """

    chapters: tuple[tuple[str, str], ...]
    causes: tuple[CauseEntry, ...]
    more_causes: int
    files: tuple[FileRow, ...]
    more_files: int
    notes: tuple[str, ...]
    failures: tuple[PdfCheck, ...]
    omitted: int
    suites: tuple[SuiteGroup, ...]
    unlisted: int
    no_pictures: bool
    """Whether pictures were left out as there are too many."""


def select_content(report: Report, *, with_all: bool) -> PdfContent:
    """Return what stands in the PDF report of a report."""
    suites = report.whole_suites
    bad = [check for group in suites for check in group.checks[: group.bad]]
    # What counts stands before what is waived; a long night must not hide it.
    bad.sort(key=lambda check: check.id in report.verdict.waived)
    checks = bad[:MOST_FAILURES]
    listed, left = _within(suites, MOST_CHECKS) if with_all else ((), 0)
    failures = tuple(_failure(report, check, with_picture=at < MOST_PICTURES) for at, check in enumerate(checks))
    notes = (*(note.sentence for note in report.run.notes), *report.notes)
    return PdfContent(
        chapters=tuple(_chapters(report, failed=bool(checks), with_all=with_all)),
        causes=report.causes[:_CAUSES],
        more_causes=max(0, len(report.verdict.causes) - _CAUSES),
        files=report.files[:_FILES],
        more_files=max(0, len(report.files) - _FILES),
        notes=notes[:_NOTES],
        failures=failures,
        omitted=len(bad) - len(checks),
        suites=listed,
        unlisted=left,
        no_pictures=len(checks) > MOST_PICTURES,
    )


def _chapters(report: Report, *, failed: bool, with_all: bool) -> Iterator[tuple[str, str]]:
    """Yield the chapters that have matter, each by the id it has in the PDF report."""
    yield "short", "By kind"
    if report.verdict.conditions:
        yield "conditions", "Conditions"
    if report.causes:
        yield "why", "Causes"
    if report.history:
        yield "since", f"Changes since {report.history.against}"
    chapters: tuple[tuple[object, str, str], ...]
    chapters = ((failed, "failed", "Failures"), (report.load, "load", "Load"), (report.api, "api", "API"))
    chapters += ((report.compliance, "rules", "Compliance"), (report.requirements, "asked", "Requirements"))
    yield from ((id_, title) for is_there, id_, title in chapters if is_there)
    if with_all:
        yield "every", "All checks"
    yield "reading", "Inputs"


def _within(suites: Sequence[SuiteGroup], most: int) -> tuple[tuple[SuiteGroup, ...], int]:
    """Return the suites with so many checks at most, and how many are left out."""
    listed, number = [], 0
    for group in suites:
        part = group.checks[: most - number]
        if part:
            listed.append(msgspec.structs.replace(group, checks=part))
        number += len(part)
    return tuple(listed), sum(len(group.checks) for group in suites) - number


def _failure(report: Report, check: Check, *, with_picture: bool) -> PdfCheck:
    last = check.last
    problem = last.problems[0] if last.problems else None
    lead = report.evidence.lead_picture(last) if with_picture else None
    shown = next(report.evidence.shown((lead,)), None) if lead else None
    steps = list(_steps(last.steps))
    kept = _around_failure(steps)
    return PdfCheck(
        check=check,
        about=tuple(_about(report, check)),
        problem=problem,
        message=shorten(check.why, _TEXT_CHARS),
        detail=_detail(problem),
        steps=tuple(kept),
        more_steps=len(steps) - len(kept),
        picture=shown.content if shown else None,
        caption=_caption(lead),
    )


def _about(report: Report, check: Check) -> Iterator[str]:
    took = format_duration(check.last.took_s)
    if took:
        yield took
    if check.variant:
        yield ", ".join(fact.value for fact in check.variant)
    if check.disambiguator:
        yield check.disambiguator
    waived = report.verdict.waived.get(check.id)
    if waived:
        yield f"{aside_word([waived])}: {waived.reason}"
    past = report.past_of(check)
    if past:
        failed = sum(outcome in _FAILED for _, outcome, _ in past)
        yield f"failed in {failed or 'none'} of the {plural(len(past), 'build')} before"


def _caption(evidence: Evidence | None) -> str:
    return (evidence.caption or evidence.name) if evidence else ""


def _detail(problem: Problem | None) -> str:
    """Return the end of a stack, where it says what was called."""
    lines = problem.detail.strip("\n").split("\n") if problem and problem.detail.strip() else []
    if not lines:
        return ""
    text = "\n".join(shorten(line, 160) for line in lines[-_DETAIL_LINES:])
    return f"… {plural(len(lines) - _DETAIL_LINES, 'line')} before\n{text}" if len(lines) > _DETAIL_LINES else text


def _steps(steps: Sequence[Step], depth: int = 0) -> Iterator[PdfStep]:
    for step in steps:
        yield PdfStep(depth, shorten(step.name, 200), step.outcome, step.took_s)
        yield from _steps(step.steps, depth + 1)


def _around_failure(steps: list[PdfStep]) -> list[PdfStep]:
    """Return at most so many steps, the last one that failed among them."""
    if len(steps) <= _STEPS:
        return steps
    last = max((at for at, step in enumerate(steps) if step.outcome in BAD), default=len(steps) - 1)
    first = max(0, last + 1 - _STEPS)
    return steps[first : first + _STEPS]
