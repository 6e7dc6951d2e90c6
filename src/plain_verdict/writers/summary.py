"""The verdict as JSON, for machines. Described in docs/summary.md; keys are added, never changed."""

from collections.abc import Mapping, Sequence
from pathlib import Path

import msgspec

from plain_verdict.model import Fact, Run, Tally, Verdict, tally_of

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


class Summary(msgspec.Struct, frozen=True):
    """The verdict on a run. ``page`` and what follows are full paths of what was written."""

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
    page: str | msgspec.UnsetType = msgspec.UNSET
    packed: str | msgspec.UnsetType = msgspec.UNSET
    latest: str | msgspec.UnsetType = msgspec.UNSET
    mail: str | msgspec.UnsetType = msgspec.UNSET


def summarise(run: Run, verdict: Verdict, *, masked: int = 0) -> Summary:
    """Return the summary of a judged run, ``masked`` secrets of which were masked."""
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
                [" › ".join((*check.suite, check.title)) for check in cause.checks],
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
