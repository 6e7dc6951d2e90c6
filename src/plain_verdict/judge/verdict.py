"""The verdict: something ran, the conditions are kept, nothing is undecided, everything given could be read.

Without conditions of the team's own, the one on failures is that nothing fails or errors, waived checks aside.
"""

from collections.abc import Iterator
from datetime import date

from plain_verdict.judge.causes import find_causes
from plain_verdict.judge.conditions import weigh
from plain_verdict.judge.sentence import Said, Situation, why
from plain_verdict.judge.waivers import apply_waivers
from plain_verdict.model import Cause, ConditionResult, Outcome, Run, Tally, Verdict, Waived, Word, tally_of
from plain_verdict.rules import ConditionRule, Rules, Scope
from plain_verdict.words import capital, listed, plural, spelled

NO_RULES = Rules()


def judge(run: Run, today: date, rules: Rules = NO_RULES) -> Verdict:
    """Return the verdict on the run; ``today`` is the day by which waivers end."""
    tally = tally_of(run.checks)
    gaps = tuple(_gaps(run))
    causes, cause_notes = find_causes(run, rules.causes)
    waived, waiver_remarks, waiver_notes = apply_waivers(run, rules.waivers, today)
    own, scope_notes = weigh(rules.conditions, run.checks, waived)
    # What is broken stands first, then what nobody can tell.
    conditions = (*own, *_no_failures(run, waived, rules.conditions), *_always(tally, _gap_number(run)))
    conditions = tuple(sorted(conditions, key=lambda one: (False, None, True).index(one.kept)))
    if any(condition.kept is False for condition in conditions):
        word = Word.NOT_FIT
    elif any(condition.kept is None for condition in conditions):
        word = Word.UNDECIDED
    else:
        word = Word.FIT
    broken = tuple(one for one in own if one.kept is False)
    unmeasured = tuple(one.words for one in own if one.kept is None)
    situation = Situation(tally, _gap_number(run), len(waived), _largest(causes, tally), broken, unmeasured)
    said = why(word, situation)
    return Verdict(
        word=word,
        why=said.text,
        reasons=(*_reasons(tally, waived, run), *(f"{one.words} ({one.met})." for one in broken), *gaps),
        remarks=(*gaps, *_remarks(run, situation, said), *waiver_remarks),
        conditions=conditions,
        causes=causes,
        waived=waived,
        notes=(*cause_notes, *waiver_notes, *scope_notes),
    )


def _largest(causes: tuple[Cause, ...], tally: Tally) -> Cause | None:
    """Return the biggest cause where it explains at least a third of the failures, and more than one."""
    bad = tally.failed + tally.errored
    if not causes or not causes[0].typical or len(causes[0].checks) < 2 or 3 * len(causes[0].checks) < bad:
        return None
    return causes[0]


def _gaps(run: Run) -> Iterator[str]:
    """Yield a sentence for each input of which results are missing."""
    yield from (note.sentence for note in run.notes if note.lost)
    yield from (trouble.sentence for trouble in run.unread if not trouble.chosen)


def _gap_number(run: Run) -> int:
    """Return how many inputs are not whole, however much is said of each."""
    lost = {note.path for note in run.notes if note.lost}
    return len(lost | {trouble.path for trouble in run.unread if not trouble.chosen})


def _no_failures(run: Run, waived: dict[str, Waived], own: tuple[ConditionRule, ...]) -> Iterator[ConditionResult]:
    """Yield the default rule for what the team's own conditions leave open, so that none is lost by adding one."""
    measured = {rule.measure for rule in own if rule.scope == Scope()}
    words = {Outcome.FAILED: "fails", Outcome.ERRORED: "errors"}
    left = [outcome for outcome in words if outcome.value not in measured and "pass rate" not in measured]
    if not left:
        return
    counted = tally_of([check for check in run.checks if check.id not in waived] if waived else run.checks)
    bad = [f"{counted.of(outcome):,} {outcome.value}" for outcome in left if counted.of(outcome)]
    aside = ", waived checks aside" if waived else ""
    named = f"Nothing {' or '.join(words[outcome] for outcome in left)}{aside}"
    yield ConditionResult(named, not bad, listed(bad) or f"0 {left[0].value}")


def _always(tally: Tally, gaps: int) -> Iterator[ConditionResult]:
    """Yield the conditions that no setting takes away: nothing run is not a pass."""
    yield ConditionResult("At least one check runs", True if tally.ran else None, f"{tally.ran:,} ran")
    undecided = f"{tally.undecided:,} undecided"
    yield ConditionResult("Nothing is left undecided", None if tally.undecided else True, undecided)
    unread = f"{plural(gaps, 'input')} not whole" if gaps else "all read"
    yield ConditionResult("Everything given can be read", None if gaps else True, unread)


def _reasons(tally: Tally, waived: dict[str, Waived], run: Run) -> Iterator[str]:
    """Yield what the verdict rests on, the numbers first."""
    for outcome, what in ((Outcome.FAILED, "failed"), (Outcome.ERRORED, "could not finish")):
        number = tally.of(outcome)
        aside = sum(check.id in waived and check.outcome is outcome for check in run.checks) if waived else 0
        if number:
            ending = f", {aside:,} of them waived." if aside else "."
            yield f"{capital(spelled(number, 'check'))} {what}{ending}"
    if tally.undecided:
        verb = "needs" if tally.undecided == 1 else "need"
        yield f"{capital(spelled(tally.undecided, 'check'))} {verb} a person to decide."
    if not tally.ran:
        yield "Nothing ran." if not tally.skipped else f"Nothing ran: {spelled(tally.skipped, 'check')} skipped."
    if tally.ran == tally.passed and tally.ran:
        yield f"{capital(spelled(tally.passed, 'check'))} passed, and none failed."


def _remarks(run: Run, situation: Situation, said: Said) -> Iterator[str]:
    """Yield what a reader should know besides, and the sentence does not say."""
    tally, cause = situation.tally, situation.cause
    if tally.failed and tally.errored and not said.errored:
        yield f"{capital(spelled(tally.failed, 'check'))} failed, and {_few(tally.errored)} could not finish."
    if situation.waived and not said.waived:
        yield f"{capital(_few(situation.waived))} of what failed {'is' if situation.waived == 1 else 'are'} waived."
    if tally.undecided and not said.undecided:
        verb = "needs" if tally.undecided == 1 else "need"
        yield f"{capital(spelled(tally.undecided, 'check'))} {verb} a person to decide."
    if cause and not said.cause:
        yield f"{capital(spelled(len(cause.checks), 'check'))} failed with “{cause.name}”."
    if not said.conditions:
        yield from (f"Broken: {one.words} ({one.met})." for one in situation.broken if one.name)
    if tally.skipped and not said.skipped:
        yield f"{capital(spelled(tally.skipped, 'check'))} {'was' if tally.skipped == 1 else 'were'} skipped."
    yield from _attempt_remarks(run)


def _attempt_remarks(run: Run) -> Iterator[str]:
    """Yield what became of checks that ran more than once."""
    retried = [check for check in run.checks if len(check.attempts) > 1]
    flaky = [check for check in retried if check.flaky]
    if flaky:
        names = listed([f"“{check.name}”" for check in flaky], most=2)
        yield f"{capital(spelled(len(flaky), 'check'))} passed only after a retry: {names}."
    again = sum(check.outcome is Outcome.PASSED for check in retried) - len(flaky)
    if again:
        yield f"{capital(spelled(again, 'check'))} ran more than once and passed in the end."
    repeated = sum(check.outcome is not Outcome.PASSED for check in retried)
    if repeated:
        verb = "was" if repeated == 1 else "were"
        yield f"{capital(spelled(repeated, 'check'))} {verb} tried again and did not pass."


def _few(number: int) -> str:
    """Return a number that stands by itself, a small one as a word."""
    return spelled(number, "check").partition(" ")[0]
