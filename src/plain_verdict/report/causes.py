"""The causes of failures as an output tells them: how many, where alone, with which picture and values."""

from collections.abc import Mapping, Sequence

import msgspec

from plain_verdict.model import Cause, Check, Problem, Verdict, Waived, aside_word
from plain_verdict.report.evidence_index import EvidenceIndex, ShownEvidence
from plain_verdict.report.shown_check import describe_waiver

MOST_CAUSES = 300
"""That are listed one by one."""
_LISTED, _MOST_LISTED, _MOST_LISTED_OF_MANY = 3, 50, 10
"""Checks of a cause that stand open; those that are listed at all; and where very many checks failed."""
MANY_FAILURES = 2_000
"""From so many causes on, each is shown shorter."""
_PAIR_CHARS = 300  # of expected and actual together, up to which they stand with their cause


class CauseEntry(msgspec.Struct, frozen=True):
    """A cause, ready to be told. ``checks`` stand open, ``more`` may be folded, ``unlisted`` are only counted.

    ``set_aside`` says for how long, where all its checks are waived. ``only_in`` are values of facts, like a
    browser, that all its checks and only they have in common. ``message`` is empty where the name says it already.
    """

    cause: Cause
    checks: tuple[Check, ...]
    more: tuple[Check, ...]
    unlisted: int
    waived: str
    """How many of its checks are; "" where none is."""
    set_aside: str
    message: tuple[tuple[str, bool], ...]
    problem: Problem | None
    """Whose expected and actual values show the cause."""
    only_in: tuple[str, ...]
    picture: ShownEvidence | None


def cause_entries(verdict: Verdict, evidence: EvidenceIndex, failures: int) -> tuple[CauseEntry, ...]:
    """Return the causes that are listed one by one, of a run with so many failures."""
    listed = _MOST_LISTED if failures <= MANY_FAILURES else _MOST_LISTED_OF_MANY
    return tuple(_entry(cause, verdict.waived, evidence, listed) for cause in verdict.causes[:MOST_CAUSES])


def _entry(cause: Cause, waived: Mapping[str, Waived], evidence: EvidenceIndex, listed: int) -> CauseEntry:
    of_it = [waived[check.id] for check in cause.checks if check.id in waived]
    typical = "".join(text for text, _ in cause.typical)
    return CauseEntry(
        cause=cause,
        checks=cause.checks[:_LISTED],
        more=cause.checks[_LISTED:listed],
        unlisted=max(0, len(cause.checks) - listed),
        waived=f"{len(of_it):,} {aside_word(of_it)}" if of_it else "",
        set_aside=describe_waiver(of_it[0]) if len(of_it) == len(cause.checks) else "",
        message=() if typical == cause.name else cause.typical,
        problem=_telling_problem(cause.checks),
        only_in=_only_in(cause.checks),
        picture=_picture_of(cause.checks, evidence),
    )


def _telling_problem(checks: Sequence[Check]) -> Problem | None:
    """Return the problem of a single check if its expected and actual values are short."""
    problem = next(iter(checks[0].last.problems), None)
    if len(checks) > 1 or problem is None or problem.expected is None or problem.actual is None:
        return None
    return problem if len(problem.expected) + len(problem.actual) < _PAIR_CHARS else None


def _only_in(checks: Sequence[Check]) -> tuple[str, ...]:
    """Return the browser, platform or region in which alone the checks are, where the run has several."""
    values: dict[str, set[str]] = {}
    for check in checks:
        for fact in check.variant:
            values.setdefault(fact.key, set()).add(fact.value)
    if any(len(check.variant) != len(values) for check in checks):
        return ()
    return tuple(next(iter(values_seen)) for _, values_seen in sorted(values.items()) if len(values_seen) == 1)


def _picture_of(checks: Sequence[Check], evidence: EvidenceIndex) -> ShownEvidence | None:
    """Return the first picture that the checks have, if any has one."""
    leads = (evidence.lead_picture(check.last) for check in checks)
    return next((shown for lead in leads if lead for shown in evidence.shown((lead,))), None)
