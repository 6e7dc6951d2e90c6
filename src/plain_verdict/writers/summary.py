"""The verdict as JSON, for machines. Described in docs/summary.md; keys are added, never changed."""

from collections.abc import Iterator, Mapping, Sequence
from pathlib import Path

import msgspec

from plain_verdict.model import Check, Fact, Run, Tally, Verdict, evidence_of, tally_of

SCHEMA = "plain-verdict/summary/1"


class Counts(msgspec.Struct, frozen=True):
    """How many checks ended in each outcome."""

    passed: int
    failed: int
    errored: int
    skipped: int
    undecided: int


class FileSummary(msgspec.Struct, frozen=True):
    """One input. ``format`` is null for one that could not be read; its notes say why."""

    path: str
    format: str | None
    counts: Counts
    notes: list[str]


class CauseSummary(msgspec.Struct, frozen=True):
    """A cause: its name, how many checks it has and which, a typical message, and what the team's rule says."""

    name: str
    count: int
    checks: list[str]
    type: str
    typical: str
    by_rule: bool
    advice: str
    owner: str
    link: str


class EvidenceDetail(msgspec.Struct, frozen=True):
    """A piece of evidence; ``path`` as its result file names it, or "" for one that is inside it."""

    name: str
    path: str


class CheckDetail(msgspec.Struct, frozen=True):
    """A check. ``attempts`` are outcomes, the one that counts last; ``cause`` is null unless it failed."""

    id: str
    kind: str
    suite: list[str]
    name: str
    parameters: dict[str, str]
    outcome: str
    took_s: float | None
    attempts: list[str]
    cause: str | None
    waived: bool
    file: str
    evidence: list[EvidenceDetail]
    requirements: list[str]
    tags: list[str]


class Summary(msgspec.Struct, frozen=True):
    """The verdict on a run.

    ``cases`` are executions of checks as they were read, ``reruns`` names of checks that had several, ``flaky`` of
    those that passed only after a retry. ``checks`` is there when asked for. ``page`` and what follows are full
    paths of what was written.
    """

    schema: str
    verdict: str
    sentence: str
    reasons: list[str]
    counts: Counts
    files: list[FileSummary]
    causes: list[CauseSummary] = []
    waived: int = 0
    rule_notes: list[str] = []
    evidence_notes: list[str] = []
    title: str | msgspec.UnsetType = msgspec.UNSET
    facts: dict[str, str] = {}
    masked: int = 0
    cases: int = 0
    reruns: list[str] = []
    flaky: list[str] = []
    checks: list[CheckDetail] | msgspec.UnsetType = msgspec.UNSET
    page: str | msgspec.UnsetType = msgspec.UNSET
    packed: str | msgspec.UnsetType = msgspec.UNSET
    latest: str | msgspec.UnsetType = msgspec.UNSET
    mail: str | msgspec.UnsetType = msgspec.UNSET


def summarise(run: Run, verdict: Verdict, *, masked: int = 0, detail: bool = False) -> Summary:
    """Return the summary of a judged run, with so many secrets masked; in ``detail`` its checks as well."""
    files = [
        FileSummary(file.path, file.format, _counts(tally_of(file.checks)), [note.sentence for note in file.notes])
        for file in run.files
    ]
    files += [FileSummary(trouble.path, None, _counts(Tally()), [trouble.sentence]) for trouble in run.unread]
    return Summary(
        schema=SCHEMA,
        verdict=verdict.word.value,
        sentence=verdict.sentence,
        reasons=list(verdict.reasons),
        counts=_counts(tally_of(run.checks)),
        files=files,
        causes=[
            CauseSummary(
                cause.name,
                len(cause.checks),
                list(map(_name, cause.checks)),
                cause.type,
                "".join(text for text, _ in cause.typical),
                cause.by_rule,
                cause.advice,
                cause.owner,
                cause.link,
            )
            for cause in verdict.causes
        ],
        waived=len(verdict.waived),
        rule_notes=list(verdict.notes),
        evidence_notes=list(run.evidence_notes),
        masked=masked,
        cases=run.cases,
        reruns=list(run.reruns),
        flaky=[_name(check) for check in run.checks if check.flaky],
        checks=list(_details(run, verdict)) if detail else msgspec.UNSET,
    )


def _name(check: Check) -> str:
    return " › ".join((*check.suite, check.title))


def _details(run: Run, verdict: Verdict) -> Iterator[CheckDetail]:
    causes = {check.id: cause.name for cause in verdict.causes for check in cause.checks}
    for file in run.files:
        for check in file.checks:
            yield CheckDetail(
                id=check.id,
                kind=check.kind.value,
                suite=list(check.suite),
                name=check.name,
                parameters={fact.key or str(number): fact.value for number, fact in enumerate(check.parameters, 1)},
                outcome=check.outcome.value,
                took_s=check.last.took_s,
                attempts=[attempt.outcome.value for attempt in check.attempts],
                cause=causes.get(check.id),
                waived=check.id in verdict.waived,
                file=file.path,
                evidence=[EvidenceDetail(one.name, one.path) for one in evidence_of(check)],
                requirements=list(check.requirements),
                tags=list(check.tags),
            )


def published(summary: Summary, title: str, facts: Sequence[Fact], files: Mapping[str, Path | None]) -> Summary:
    """Return the summary of a run with its page's title, its facts and the files that were written."""
    paths = {name: str(path) for name, path in files.items() if path}
    told = {fact.key: fact.value for fact in facts}
    return msgspec.structs.replace(summary, title=title, facts=told, **paths)


def render_summary(summary: Summary) -> str:
    """Return the summary as indented JSON."""
    return msgspec.json.format(msgspec.json.encode(summary), indent=2).decode()


def _counts(tally: Tally) -> Counts:
    return Counts(tally.passed, tally.failed, tally.errored, tally.skipped, tally.undecided)
