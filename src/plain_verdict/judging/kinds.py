"""Judges each kind of a run by itself, where it has several: functional, API, load, compliance."""

from collections import Counter
from collections.abc import Iterable, Iterator, Sequence

from plain_verdict.judging.compliance_text import count_rules, describe_rules
from plain_verdict.judging.conditions import Scopes
from plain_verdict.judging.measures import CheckedScope, is_of_calls
from plain_verdict.judging.measures.load import Sent
from plain_verdict.judging.sentence import SentenceFacts, explain
from plain_verdict.judging.targets import all_failed, is_on_load, sent_in
from plain_verdict.model import (
    Call,
    CallState,
    Check,
    Checks,
    ConditionResult,
    Kind,
    KindVerdict,
    Operation,
    Run,
    State,
    Tally,
    VerdictWord,
    detailed_of,
)
from plain_verdict.settings.rules import ConditionRule, Scope
from plain_verdict.text.formatting import format_duration, format_failed_share, plural

Weighed = Sequence[tuple[ConditionRule, ConditionResult]]


def judge_kinds(run: Run, scopes: Scopes, weighed: Weighed, *, failures_count: bool) -> Iterator[KindVerdict]:
    """Yield the verdict on each kind; ``failures_count``: a check that fails is none that conditions allow."""
    present = _kinds_of(run.checks) | ({Kind.LOAD} if run.load or run.reported else set())
    alone = len(present) == 1  # then the run and its one kind are the same
    gaps = _gaps(run, present)
    for kind in Kind:
        if kind in present:
            condition_results = [result for rule, result in weighed if alone or _kind_of(rule, run) is kind]
            condition_results += all_failed(run) if kind is Kind.LOAD else ()
            inside = scopes.whole if alone else scopes.within(Scope(kind=kind))
            yield _judged(
                kind, inside, condition_results, gaps=gaps[kind], failures_count=failures_count, sent=sent_in(run)
            )


def _kinds_of(checks: Sequence[Check]) -> set[Kind]:
    plain = (part.kind for part in checks.plain) if isinstance(checks, Checks) else ()
    return {*plain, *(check.kind for check in detailed_of(checks))}


def _kind_of(rule: ConditionRule, run: Run) -> Kind | None:
    if is_on_load(rule, run):
        return Kind.LOAD
    return Kind.API if is_of_calls(rule.measure) else rule.scope.kind


def _gaps(run: Run, present: Iterable[Kind]) -> Counter[Kind]:
    """Return of how many inputs of each kind results are missing; one that tells no kind may be of any."""
    load_paths = {*(run.load.paths if run.load else ()), *(reported.path for reported in run.reported)}
    kinds = {
        file.path: _kinds_of(file.checks) or ({Kind.LOAD} if file.path in load_paths else set())
        for file in run.files
    }
    paths = {gap.path for gap in run.not_whole}
    return Counter(kind for path in paths for kind in kinds.get(path) or present)


def _judged(
    kind: Kind,
    inside: CheckedScope,
    condition_results: Sequence[ConditionResult],
    *,
    gaps: int,
    failures_count: bool,
    sent: Sequence[Sent] = (),
) -> KindVerdict:
    tally = inside.tally
    word = _word(inside, {result.state for result in condition_results}, gaps=gaps, failures_count=failures_count)
    if kind is Kind.LOAD and sent:
        return KindVerdict(kind, word, describe_load(sent, tally), tally)
    if kind is Kind.COMPLIANCE and all(check.rule for check in inside.checks):
        counts = count_rules(inside.checks, [check.id for check in inside.checks if inside.is_waived(check)])
        return KindVerdict(kind, word, f"{describe_rules(counts)}.", tally)
    why = explain(word, _facts(inside, condition_results, gaps)).text
    calls = describe_calls(inside.api.calls) if kind is Kind.API else ""
    return KindVerdict(kind, word, f"{why.removesuffix('.')}; {calls}." if calls else why, tally)


def _facts(inside: CheckedScope, condition_results: Sequence[ConditionResult], gaps: int) -> SentenceFacts:
    return SentenceFacts(
        tally=inside.tally,
        gaps=gaps,
        waived=inside.waived.total,
        broken=tuple(result for result in condition_results if result.state is State.NOT_MET),
        unmeasured=tuple(result.words for result in condition_results if result.state is State.OPEN),
    )


def _word(inside: CheckedScope, states: set[State], *, gaps: int, failures_count: bool) -> VerdictWord:
    tally, waived = inside.tally, inside.waived
    bad = tally.failed + tally.errored - waived.failed - waived.errored
    if State.NOT_MET in states or (bad and failures_count):
        return VerdictWord.NOT_FIT
    is_open = State.OPEN in states or tally.undecided or not tally.ran or gaps
    return VerdictWord.UNDECIDED if is_open else VerdictWord.FIT


def describe_load(sent: Sequence[Sent], targets: Tally) -> str:
    """Return how load runs went, in words."""
    count, bad = sum(load.whole.count for load in sent), sum(load.whole.failed for load in sent)
    span_s = sent[0].span_s if len(sent) == 1 else None
    span = f" in {format_duration(span_s)}" if span_s else ""
    failed = f"{format_failed_share(bad / count)} failed" if bad else "none failed"
    if not targets.total:
        kept = "no condition sets a target, so nothing is judged"
    else:
        kept = f"{targets.passed:,} of {plural(targets.total, 'target')} met"
    return f"{plural(count, 'request')}{span}, {failed}; {kept}."


def describe_calls(calls: Sequence[Call]) -> str:
    """Return how calls came back, in words; "" where there are none."""
    if not calls:
        return ""
    well = sum(call.state is CallState.EXPECTED for call in calls)
    operations: set[Operation] = {call.operation for call in calls}
    number = f"all {len(calls):,} calls" if well == len(calls) else f"{well:,} of {plural(len(calls), 'call')}"
    if len(calls) == 1:
        number = "the only call" if well else "0 of 1 call"
    return f"{number} to {plural(len(operations), 'operation')} as expected"
