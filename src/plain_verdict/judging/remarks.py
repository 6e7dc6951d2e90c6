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

_NAMED_GAPS, _LISTED_GAPS = 2, 5
"""What is missing of inputs: so much has a remark each; of more, so much is listed in one."""


def reasons_of(run: CheckedScope, broken: Sequence[ConditionResult]) -> Iterator[str]:
    """Yield what the verdict rests on, the numbers first."""
    tally = run.tally
    for outcome, what in ((Outcome.FAILED, "failed"), (Outcome.ERRORED, "could not finish")):
        waived = run.waived.of(outcome)
        if tally.of(outcome):
            ending = f", {waived:,} of them {run.aside_word}." if waived else "."
            yield f"{capital(spelled(tally.of(outcome), 'check'))} {what}{ending}"
    if tally.undecided:
        yield f"{_undecided(tally.undecided)}."
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
        yield Remark(Topic.UNDECIDED, _undecided(facts.tally.undecided))
    yield from _on_skipped(facts.tally, sentence)
    yield from _on_changes(facts, sentence)
    yield from _on_attempts([check for check in run.checks.detailed if len(check.attempts) > 1])


def _on_inputs(gaps: Sequence[ReadingNote | Unread]) -> Iterator[Remark]:
    """Yield what is missing: of few gaps each, of many how many inputs have some. Words come before paths."""
    if len(gaps) <= _NAMED_GAPS:
        for gap in gaps:
            what, sign, more = gap.what.partition(": ")
            yield Remark(Topic.INPUTS, f"An input {what}", f"{sign}{more} ({gap.path}).")
        return
    number = len({gap.path for gap in gaps})
    listed = join_list([f"{gap.path} {gap.what}" for gap in gaps], most=_LISTED_GAPS)
    yield Remark(Topic.INPUTS, f"{capital(spelled(number, 'input'))} {_is(number)} incomplete", f": {listed}.")


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
    lead = f"{plural(len(waived), 'failure')} {_is(len(waived))}"
    reasons = [(numbers[reason], _reason(reason, waived)) for reason in NotCounted if numbers[reason]]
    if len(reasons) > 1:
        counted = ", ".join(f"{number:,} {reason}" for number, reason in reasons)
        return Remark(Topic.NOT_COUNTED, f"{lead} not counted", f": {counted}.")
    reason = reasons[0][1]
    if NotCounted.WAIVED in numbers:
        return Remark(Topic.NOT_COUNTED, f"{lead} {reason}")
    return Remark(Topic.NOT_COUNTED, f"{lead} not counted", f": {reason}.")


def _reason(reason: NotCounted, waived: Mapping[str, Waived]) -> str:
    days = {entry.until for entry in waived.values() if entry.by is reason}
    if reason is NotCounted.WAIVED and len(days) == 1:
        return f"{reason} until {format_date(day)}" if (day := days.pop()) else f"{reason}"
    # What nothing ends is easily forgotten.
    return f"{reason} without end date" if reason is NotCounted.SUPPRESSED and None in days else f"{reason}"


def _on_skipped(tally: Tally, sentence: Explanation) -> Iterator[Remark]:
    if tally.skipped and not sentence.skipped:
        verb = "was" if tally.skipped == 1 else "were"
        yield Remark(Topic.SKIPPED, f"{capital(spelled(tally.skipped, 'check'))} {verb} skipped")


def _on_changes(facts: SentenceFacts, sentence: Explanation) -> Iterator[Remark]:
    changes = facts.changes
    if changes is None:
        return
    new = changes.new if not sentence.new else 0
    numbers = ((new, "new"), (changes.failing_again, "failing again"), (changes.fixed, "fixed"))
    first, *others = [pair for pair in numbers if pair[0]] or [(0, "")]
    if first[0]:
        lead = f"{capital(spelled(first[0], 'failure'))} {_is(first[0])} {first[1]}"
        rest = ", ".join(f"{_few(number)} {_is(number)} {what}" for number, what in others)
        yield Remark(Topic.CHANGES, lead, f" since {changes.since}{f'; {rest}' if rest else ''}.")


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
    return f"{capital(spelled(number, 'check'))} {_is(number)} undecided"


def _few(number: int) -> str:
    """Return a number that stands by itself, a small one as a word."""
    return spelled(number, "check").partition(" ")[0]
