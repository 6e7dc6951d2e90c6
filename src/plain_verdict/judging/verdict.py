"""The verdict: something ran, the conditions are kept, nothing is undecided, everything given could be read.

Without conditions of the team's own, the one on failures is that nothing fails or errors, waived checks aside.
"""

from collections.abc import Iterable, Iterator, Sequence
from datetime import date

from plain_verdict.judging.causes import find_causes
from plain_verdict.judging.conditions import Scopes, weigh
from plain_verdict.judging.kinds import Weighed, judge_kinds
from plain_verdict.judging.measures import NEW_FAILURES, PASS_RATE, CheckedScope
from plain_verdict.judging.overdue_risks import find_overdue_risks, remarks_on_risks
from plain_verdict.judging.owners import with_owners_of_checks
from plain_verdict.judging.quarantine import apply_quarantine
from plain_verdict.judging.remarks import reasons_of, remarks_on
from plain_verdict.judging.sentence import Changes, SentenceFacts, explain
from plain_verdict.judging.severity_rules import notes_on
from plain_verdict.judging.severity_threshold import set_aside
from plain_verdict.judging.targets import all_failed, sent_in
from plain_verdict.judging.waivers import apply_waivers
from plain_verdict.model import (
    Cause,
    ConditionResult,
    Outcome,
    Run,
    State,
    Tally,
    Topic,
    Verdict,
    VerdictWord,
    aside_word,
)
from plain_verdict.settings.rules import ConditionRule, Rules, Scope
from plain_verdict.text.formatting import join_list, plural

_GRAVEST_FIRST = tuple(State)
_GRAVEST_TOPIC_FIRST = tuple(Topic)
_NOUNS = {Outcome.FAILED: "failures", Outcome.ERRORED: "errors"}


def judge(run: Run, rules: Rules, today: date) -> Verdict:
    """Return the verdict on the run; ``today`` is the day by which waivers end."""
    causes, cause_notes = find_causes(run, rules.causes)
    causes = tuple(with_owners_of_checks(cause, run.owners) for cause in causes)
    waivers = apply_waivers(run, rules.waivers, today)
    not_counted, suppression_remarks = set_aside(run.checks, rules.breaks_from, waivers.waived, today)
    quarantine = apply_quarantine(run, rules.quarantines, waivers.waived | not_counted, today)
    waived = waivers.waived | not_counted | quarantine.waived
    scopes = Scopes(run, waived, today)
    target_results, scope_notes = weigh(rules.conditions, scopes)
    gaps = len({gap.path for gap in run.not_whole})
    no_failures = tuple(_no_failures(scopes.whole, rules.conditions))
    unanswered = tuple(all_failed(run))
    named = (*target_results, *quarantine.conditions)
    conditions = (*named, *no_failures, *unanswered, *_always(run.tally, gaps))
    conditions = tuple(sorted(conditions, key=lambda condition: _GRAVEST_FIRST.index(condition.state)))
    word = _word(conditions)
    weighed = tuple(zip(rules.conditions, target_results, strict=True))
    failures_count = any(condition.state is State.NOT_MET for condition in _on_failures(weighed, no_failures))
    kinds = tuple(judge_kinds(run, scopes, weighed, failures_count=failures_count))
    facts = SentenceFacts(
        tally=run.tally,
        gaps=gaps,
        waived=len(waived),
        aside=aside_word(waived.values()),
        kinds=kinds,
        requests=sum(sent.whole.count for sent in sent_in(run)),
        cause=_largest(causes, run.tally),
        broken=(*unanswered, *(condition for condition in named if condition.state is State.NOT_MET)),
        changes=_changes(run),
        unmeasured=tuple(condition.words for condition in target_results if condition.state is State.OPEN),
    )
    sentence = explain(word, facts)
    remarks = (*remarks_on(run, facts, sentence, waived), *waivers.remarks, *suppression_remarks)
    remarks += tuple(quarantine.remarks)
    overdue_risks = find_overdue_risks(run.checks, today)
    remarks += tuple(remarks_on_risks(overdue_risks))
    return Verdict(
        word=word,
        why=sentence.text,
        reasons=(*reasons_of(scopes.whole, facts.broken), *(gap.sentence for gap in run.not_whole)),
        remarks=tuple(sorted(remarks, key=lambda remark: _GRAVEST_TOPIC_FIRST.index(remark.topic))),
        conditions=conditions,
        causes=causes,
        kinds=kinds,
        waived=waived,
        quarantine=tuple(quarantine.checks),
        overdue_risks=overdue_risks,
        notes=(
            *cause_notes,
            *waivers.notes,
            *quarantine.notes,
            *scope_notes,
            *notes_on(rules.severities, run.checks),
        ),
    )


def _changes(run: Run) -> Changes | None:
    """Return in numbers what changed since an earlier run."""
    since = run.since
    if since is None:
        return None
    against = since.against
    words = f"build {against.build}" if against.build else f"the run of {against.label}"
    return Changes(words, len(since.new), len(since.fixed), len(since.failing_again))


def _on_failures(weighed: Weighed, default: Iterable[ConditionResult]) -> Iterator[ConditionResult]:
    """Yield the conditions that say whether a check may fail."""
    yield from default
    yield from (result for rule, result in weighed if rule.measure in (*_NOUNS, PASS_RATE.name, NEW_FAILURES.name))


def _word(conditions: Iterable[ConditionResult]) -> VerdictWord:
    states = {condition.state for condition in conditions}
    if State.NOT_MET in states:
        return VerdictWord.NOT_FIT
    return VerdictWord.UNDECIDED if State.OPEN in states else VerdictWord.FIT


def _largest(causes: tuple[Cause, ...], tally: Tally) -> Cause | None:
    """Return the biggest cause where it explains at least a third of the failures, and more than one."""
    bad = tally.failed + tally.errored
    if not causes or not causes[0].typical or len(causes[0].checks) < 2 or 3 * len(causes[0].checks) < bad:
        return None
    return causes[0]


def _no_failures(run: CheckedScope, rules: tuple[ConditionRule, ...]) -> Iterator[ConditionResult]:
    """Yield the default rule for what the team's own conditions leave open, so that none is lost by adding one."""
    measured = {rule.measure for rule in rules if rule.scope == Scope()}
    if measured & {PASS_RATE.name, NEW_FAILURES.name}:
        return
    left = [outcome for outcome in _NOUNS if outcome.value not in measured]
    if left:
        yield _none_of(left, run)


def _none_of(outcomes: Sequence[Outcome], run: CheckedScope) -> ConditionResult:
    """Return the condition that no check ends so; those that are not counted are named in what it met."""
    numbers = {outcome: run.tally.of(outcome) - run.waived.of(outcome) for outcome in outcomes}
    bad = [f"{number:,} {outcome.value}" for outcome, number in numbers.items() if number]
    words = f"No {' or '.join(_NOUNS[outcome] for outcome in outcomes)}"
    aside = sum(run.waived.of(outcome) for outcome in outcomes)
    met = join_list(bad) or f"0 {outcomes[0].value}"
    met += f", {aside:,} {run.aside_word}" if aside else ""
    state = State.NOT_MET if bad else State.MET
    return ConditionResult(words, state, met)


def _always(tally: Tally, gaps: int) -> Iterator[ConditionResult]:
    """Yield the conditions that no setting takes away: nothing run is not a pass."""
    yield ConditionResult("At least 1 check runs", _open_unless(tally.ran > 0), f"{tally.ran:,} ran")
    undecided = f"{tally.undecided:,} undecided"
    yield ConditionResult("No undecided checks", _open_unless(tally.undecided == 0), undecided)
    unread = f"{plural(gaps, 'input')} incomplete" if gaps else "all read"
    yield ConditionResult("All inputs complete and readable", _open_unless(gaps == 0), unread)


def _open_unless(kept: bool) -> State:  # noqa: FBT001  a state, not a switch
    return State.MET if kept else State.OPEN
