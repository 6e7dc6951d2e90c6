"""Judges each kind of a run by itself, where it has several: functional, API, load, compliance."""

from collections import defaultdict
from collections.abc import Iterator, Sequence

from plain_verdict.judging.conditions import Scopes
from plain_verdict.judging.measures import CheckedScope, is_of_calls
from plain_verdict.judging.sentence import SentenceFacts, explain
from plain_verdict.model import CallState, ConditionResult, Kind, KindVerdict, Operation, Run, State, VerdictWord
from plain_verdict.settings.rules import ConditionRule, Scope
from plain_verdict.text.formatting import plural

Weighed = Sequence[tuple[ConditionRule, ConditionResult]]


def judge_kinds(run: Run, scopes: Scopes, weighed: Weighed, *, failures_count: bool) -> Iterator[KindVerdict]:
    """Yield the verdict on each kind; ``failures_count``: a check that fails is none that conditions allow."""
    own: dict[Kind, list[ConditionResult]] = defaultdict(list)
    for rule, result in weighed:
        kind = Kind.API if is_of_calls(rule.measure) else rule.scope.kind
        if kind:
            own[kind].append(result)
    gaps = _gaps(run)
    present = {check.kind for check in run.checks}
    for kind in Kind:
        if kind in present:
            yield _judged(kind, run, scopes, own[kind], gaps=gaps[kind], failures_count=failures_count)


def _gaps(run: Run) -> dict[Kind, int]:
    """Return of how many files of each kind results are missing."""
    gaps: dict[Kind, int] = defaultdict(int)
    for file in run.files:
        if any(note.results_missing for note in file.notes):
            for kind in {check.kind for check in file.checks}:
                gaps[kind] += 1
    return gaps


def _judged(
    kind: Kind, run: Run, scopes: Scopes, own: Sequence[ConditionResult], *, gaps: int, failures_count: bool
) -> KindVerdict:
    inside = scopes.within(Scope(kind=kind))
    tally, waived = inside.tally, inside.waived
    word = _word(inside, {result.state for result in own}, gaps=gaps, failures_count=failures_count)
    facts = SentenceFacts(
        tally=tally,
        gaps=gaps,
        waived=waived.total,
        broken=tuple(result for result in own if result.state is State.BROKEN),
        unmeasured=tuple(result.words for result in own if result.state is State.OPEN),
    )
    why = explain(word, facts).text
    calls = describe_calls(run) if kind is Kind.API else ""
    return KindVerdict(kind, word, f"{why.removesuffix('.')}; {calls}." if calls else why, tally)


def _word(inside: CheckedScope, states: set[State], *, gaps: int, failures_count: bool) -> VerdictWord:
    tally, waived = inside.tally, inside.waived
    bad = tally.failed + tally.errored - waived.failed - waived.errored
    if State.BROKEN in states or (bad and failures_count):
        return VerdictWord.NOT_FIT
    is_open = State.OPEN in states or tally.undecided or not tally.ran or gaps
    return VerdictWord.UNDECIDED if is_open else VerdictWord.FIT


def describe_calls(run: Run) -> str:
    """Return how the calls of a run came back, in words; "" where it has none."""
    calls = run.api.calls
    if not calls:
        return ""
    well = sum(call.state is CallState.EXPECTED for call in calls)
    operations: set[Operation] = {call.operation for call in calls}
    number = f"all {len(calls):,} calls" if well == len(calls) else f"{well:,} of {plural(len(calls), 'call')}"
    if len(calls) == 1:
        number = "the only call" if well else "0 of 1 call"
    return f"{number} to {plural(len(operations), 'operation')} came back as expected"
