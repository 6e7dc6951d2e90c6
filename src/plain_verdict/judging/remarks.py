"""What a verdict rests on, and what a reader should know besides its sentence."""

from collections import Counter
from collections.abc import Iterator, Mapping, Sequence

from plain_verdict.judging.measures import CheckedScope
from plain_verdict.judging.sentence import Explanation, SentenceFacts
from plain_verdict.model import (
    Check,
    ConditionResult,
    NotCounted,
    Outcome,
    ReadingNote,
    Remark,
    Run,
    Tally,
    Topic,
    Unread,
    Waived,
)
from plain_verdict.text.formatting import capital, format_date, join_list, plural, spelled

_NAMED_INPUTS = 2
"""That are incomplete; more are counted."""


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


def remarks_on(
    run: Run, facts: SentenceFacts, sentence: Explanation, waived: Mapping[str, Waived]
) -> Iterator[Remark]:
    """Yield what a reader should know besides, and the sentence does not say; ``waived``: by check id."""
    yield from _on_inputs(run.not_whole)
    yield from _on_failures(facts, sentence)
    if waived:
        yield _not_counted(waived)
    if facts.tally.undecided and not sentence.undecided:
        yield Remark(Topic.UNDECIDED, _undecided(facts.tally.undecided).removesuffix("."))
    yield from _on_skipped(facts.tally, sentence)
    yield from _on_changes(facts, sentence)
    yield from _on_attempts([check for check in run.checks if len(check.attempts) > 1])


def _on_inputs(gaps: Sequence[ReadingNote | Unread]) -> Iterator[Remark]:
    """Yield what is missing: of few inputs each, of many how many, and the first. Words come before paths."""
    paths = list(dict.fromkeys(gap.path for gap in gaps))
    if len(paths) > _NAMED_INPUTS:
        lead = f"{capital(spelled(len(paths), 'input'))} are incomplete"
        yield Remark(Topic.INPUTS, lead, f"; the first, {gaps[0].path}, {gaps[0].what}.")
        return
    for gap in gaps[:_NAMED_INPUTS]:
        what, sign, more = gap.what.partition(": ")
        yield Remark(Topic.INPUTS, f"An input {what}", f"{sign}{more} ({gap.path}).")


def _on_failures(facts: SentenceFacts, sentence: Explanation) -> Iterator[Remark]:
    tally, cause = facts.tally, facts.cause
    if tally.failed and tally.errored and not sentence.errored:
        lead = f"{capital(spelled(tally.failed, 'check'))} failed"
        yield Remark(Topic.COUNTS, lead, f", and {_few(tally.errored)} could not finish.")
    if cause and not sentence.cause:
        lead = f"{capital(spelled(len(cause.checks), 'check'))} failed by one cause"
        yield Remark(Topic.FAILURES, lead, f": “{cause.name}”.")
    if not sentence.conditions:
        for broken in facts.broken:
            if broken.name:
                yield Remark(Topic.CONDITIONS, f"Not met: {broken.words}", f" ({broken.met}).")


def _not_counted(waived: Mapping[str, Waived]) -> Remark:
    """Return how many failures are left out, and for what reasons: each has one."""
    numbers = Counter(entry.by for entry in waived.values())
    number = plural(len(waived), "failure")
    verb = _is(len(waived))
    reasons = [_reason(reason, waived) for reason in NotCounted if numbers[reason]]
    if len(numbers) > 1:
        return Remark(Topic.NOT_COUNTED, f"{number} {verb} not counted", f": {', '.join(reasons)}.")
    reason = reasons[0].partition(" ")[2]
    if NotCounted.WAIVED in numbers:
        return Remark(Topic.NOT_COUNTED, f"{number} {verb} {reason}")
    return Remark(Topic.NOT_COUNTED, f"{number} {verb} not counted", f": {reason}.")


def _reason(reason: NotCounted, waived: Mapping[str, Waived]) -> str:
    entries = [entry for entry in waived.values() if entry.by is reason]
    days = {entry.until for entry in entries}
    words = f"{len(entries):,} {reason}"
    if reason is NotCounted.WAIVED and len(days) == 1:
        return f"{words} until {format_date(day)}" if (day := days.pop()) else words
    # What nothing ends is easily forgotten.
    return f"{words} without end date" if reason is NotCounted.SUPPRESSED and None in days else words


def _on_skipped(tally: Tally, sentence: Explanation) -> Iterator[Remark]:
    if tally.skipped and not sentence.skipped:
        verb = "was" if tally.skipped == 1 else "were"
        yield Remark(Topic.SKIPPED, f"{capital(spelled(tally.skipped, 'check'))} {verb} skipped")


def _on_changes(facts: SentenceFacts, sentence: Explanation) -> Iterator[Remark]:
    changes = facts.changes
    if changes is None:
        return
    new = changes.new if not sentence.new else 0
    if new:
        lead = f"{capital(spelled(new, 'failure'))} {_is(new)} new"
        fixed = f"; {_few(changes.fixed)} {_is(changes.fixed)} fixed" if changes.fixed else ""
        yield Remark(Topic.CHANGES, lead, f" since {changes.since}{fixed}.")
    elif changes.fixed:
        lead = f"{capital(spelled(changes.fixed, 'failure'))} {_is(changes.fixed)} fixed"
        yield Remark(Topic.CHANGES, lead, f" since {changes.since}.")


def _is(number: int) -> str:
    return "is" if number == 1 else "are"


def _on_attempts(retried: Sequence[Check]) -> Iterator[Remark]:
    """Yield what became of checks that ran more than once."""
    flaky = [check for check in retried if check.flaky]
    passed = sum(check.outcome is Outcome.PASSED for check in retried)
    if flaky:
        names = join_list([f"“{check.name}”" for check in flaky], most=2)
        lead = f"{capital(spelled(len(flaky), 'check'))} {_is(len(flaky))} flaky"
        yield Remark(Topic.RETRIES, lead, f" (passed on retry): {names}.")
    failed = len(retried) - passed
    if failed:
        verb = "was" if failed == 1 else "were"
        yield Remark(Topic.RETRIES, f"{capital(spelled(failed, 'check'))} {verb} rerun and did not pass")


def _undecided(number: int) -> str:
    return f"{capital(spelled(number, 'check'))} {'is' if number == 1 else 'are'} undecided."


def _few(number: int) -> str:
    """Return a number that stands by itself, a small one as a word."""
    return spelled(number, "check").partition(" ")[0]
