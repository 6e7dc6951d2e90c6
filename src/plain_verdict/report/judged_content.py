"""Makes the data of what was judged: which files, under which settings, and what came of it."""

from collections import defaultdict
from collections.abc import Iterable
from datetime import datetime
from hashlib import sha256

from plain_verdict import __version__
from plain_verdict.model import KeptRun, ResultFile, Run, RunDetail, Verdict
from plain_verdict.model.judged_content import (
    JUDGED_SCHEMA,
    JudgedCondition,
    JudgedContent,
    JudgedDecision,
    JudgedException,
    JudgedInput,
    canonical,
)
from plain_verdict.model.run import Decision, DecisionsPayload
from plain_verdict.report.files import written_before
from plain_verdict.report.page_info import PageInfo


def judged_content(run: Run, verdict: Verdict, info: PageInfo, title: str, kept: KeptRun) -> JudgedContent:
    """Return what was judged of a run, and what came of it."""
    series = run.in_series
    return JudgedContent(
        schema=JUDGED_SCHEMA,
        version=__version__,
        made=info.made,
        title=title,
        verdict=verdict.word,
        sentence=verdict.sentence,
        counts=run.tally,
        outcomes=_outcomes(kept),
        numbers=_numbers(run, kept),
        settings=info.settings,
        reasons=verdict.reasons,
        facts={fact.key: fact.value for fact in info.facts},
        inputs=tuple(_input(file, info.made) for file in run.files),
        unread=tuple(trouble.sentence for trouble in run.unread),
        conditions=tuple(JudgedCondition(found.words, found.state, found.met) for found in verdict.conditions),
        not_counted=_not_counted(verdict),
        decisions=tuple(map(_decision, _decisions_in(run.files))),
        earlier=len(series.traces.builds) if series else 0,
    )


def _input(file: ResultFile, made: datetime) -> JudgedInput:
    return JudgedInput(
        path=file.path,
        sha256=file.digest,
        size_bytes=file.size_bytes,
        format=file.format,
        checks=len(file.checks),
        others={f"{noun}s": number for number, noun in file.amounts},
        written=written_before(file, made),
        go=file.go,
    )


def _outcomes(kept: KeptRun) -> str:
    """Return the hash of a line for each check, in the order of ids: its id, and the letter of its outcome."""
    # By ids, which masking leaves as they are: whoever knows other secrets gets the same.
    lines = map(" ".join, zip(kept.check_index.ids, kept.outcomes, strict=False))
    return _hash_of_lines(lines)


def _numbers(run: Run, kept: KeptRun) -> str:
    detail = kept.detail or RunDetail()
    kept_numbers = (detail.load, detail.operations, detail.rules, detail.requirements)
    return sha256(canonical((run.reported, run.metrics, kept_numbers))).hexdigest()


def _not_counted(verdict: Verdict) -> tuple[JudgedException, ...]:
    """Return the failures that do not count, by why."""
    checks = defaultdict[tuple[object, ...], list[str]](list)
    reasons = {}
    for id_, waived in verdict.waived.items():
        key = (waived.by, waived.reason, waived.until, waived.who)
        reasons[key] = waived
        checks[key].append(id_)
    found = (
        JudgedException(
            waived.by,
            waived.reason,
            len(checks[key]),
            _hash_of_lines(sorted(checks[key])),
            waived.until,
            waived.who,
        )
        for key, waived in reasons.items()
    )
    return tuple(sorted(found, key=lambda waived: (waived.by, waived.reason, waived.sha256)))


def _decisions_in(files: Iterable[ResultFile]) -> Iterable[Decision]:
    for file in files:
        for payload in file.payloads:
            if isinstance(payload, DecisionsPayload):
                yield from payload.decisions


def _decision(found: Decision) -> JudgedDecision:
    return JudgedDecision(found.check, found.outcome, found.note, found.by, found.at)


def _hash_of_lines(lines: Iterable[str]) -> str:
    return sha256("\n".join(lines).encode("utf-8", "surrogatepass")).hexdigest()
