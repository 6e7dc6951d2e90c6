"""What a verdict rests on, and what a reader should know besides its sentence."""

from collections.abc import Iterator, Sequence

from plain_verdict.judging.measures import CheckedScope
from plain_verdict.judging.sentence import Explanation, SentenceFacts
from plain_verdict.model import Check, ConditionResult, Outcome, Run, Tally
from plain_verdict.text.formatting import capital, join_list, spelled


def reasons_of(run: CheckedScope, broken: Sequence[ConditionResult]) -> Iterator[str]:
    """Yield what the verdict rests on, the numbers first."""
    tally = run.tally
    for outcome, what in ((Outcome.FAILED, "failed"), (Outcome.ERRORED, "could not finish")):
        waived = run.waived.of(outcome)
        if tally.of(outcome):
            ending = f", {waived:,} of them {run.aside_word}." if waived else "."
            yield f"{capital(spelled(tally.of(outcome), 'check'))} {what}{ending}"
    if tally.undecided:
        yield _undecided(tally.undecided)
    if not tally.ran:
        yield f"No check ran: {spelled(tally.skipped, 'check')} skipped." if tally.skipped else "No check ran."
    elif tally.ran == tally.passed:
        yield f"{capital(spelled(tally.passed, 'check'))} passed; none failed."
    yield from (f"{condition.words} ({condition.met})." for condition in broken)


def remarks_on(run: Run, facts: SentenceFacts, sentence: Explanation) -> Iterator[str]:
    """Yield what a reader should know besides, and the sentence does not say."""
    yield from _on_failures(facts, sentence)
    yield from _on_the_rest(facts.tally, sentence)
    yield from _on_changes(facts, sentence)
    yield from _on_attempts([check for check in run.checks if len(check.attempts) > 1])


def _on_failures(facts: SentenceFacts, sentence: Explanation) -> Iterator[str]:
    tally, cause = facts.tally, facts.cause
    if tally.failed and tally.errored and not sentence.errored:
        yield f"{capital(spelled(tally.failed, 'check'))} failed, and {_few(tally.errored)} could not finish."
    yield from _on_few(facts, sentence)
    if cause and not sentence.cause:
        yield f"{capital(spelled(len(cause.checks), 'check'))} failed by one cause: “{cause.name}”."
    if not sentence.conditions:
        yield from (f"Not met: {broken.words} ({broken.met})." for broken in facts.broken if broken.name)


def _on_few(facts: SentenceFacts, sentence: Explanation) -> Iterator[str]:
    tally = facts.tally
    if facts.waived and not sentence.waived:
        yield f"{capital(spelled(facts.waived, 'failure'))} {'is' if facts.waived == 1 else 'are'} {facts.aside}."
    if tally.undecided and not sentence.undecided:
        yield _undecided(tally.undecided)


def _on_the_rest(tally: Tally, sentence: Explanation) -> Iterator[str]:
    if tally.skipped and not sentence.skipped:
        yield f"{capital(spelled(tally.skipped, 'check'))} {'was' if tally.skipped == 1 else 'were'} skipped."


def _on_changes(facts: SentenceFacts, sentence: Explanation) -> Iterator[str]:
    changes = facts.changes
    if changes is None:
        return
    parts = []
    if changes.new and not sentence.new:
        parts.append(f"{spelled(changes.new, 'failure')} {_is(changes.new)} new since {changes.since}")
    if changes.fixed:
        what = _few(changes.fixed) if parts else spelled(changes.fixed, "failure")
        since = "" if parts else f" since {changes.since}"
        parts.append(f"{what} {_is(changes.fixed)} fixed{since}")
    if parts:
        yield f"{capital('; '.join(parts))}."


def _is(number: int) -> str:
    return "is" if number == 1 else "are"


def _on_attempts(retried: Sequence[Check]) -> Iterator[str]:
    """Yield what became of checks that ran more than once."""
    flaky = [check for check in retried if check.flaky]
    passed = sum(check.outcome is Outcome.PASSED for check in retried)
    if flaky:
        names = join_list([f"“{check.name}”" for check in flaky], most=2)
        yield f"{capital(spelled(len(flaky), 'check'))} {_is(len(flaky))} flaky (passed on retry): {names}."
    failed = len(retried) - passed
    if failed:
        verb = "was" if failed == 1 else "were"
        yield f"{capital(spelled(failed, 'check'))} {verb} rerun and did not pass."


def _undecided(number: int) -> str:
    return f"{capital(spelled(number, 'check'))} {'is' if number == 1 else 'are'} undecided."


def _few(number: int) -> str:
    """Return a number that stands by itself, a small one as a word."""
    return spelled(number, "check").partition(" ")[0]
