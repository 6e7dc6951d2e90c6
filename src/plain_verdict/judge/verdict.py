"""The default rule: something ran, nothing failed or errored, nothing is undecided, everything could be read."""

from collections.abc import Iterator

from plain_verdict.judge.sentence import why
from plain_verdict.model import ConditionResult, Outcome, Run, Tally, Verdict, Word, tally_of
from plain_verdict.words import capital, listed, plural, spelled


def judge(run: Run) -> Verdict:
    """Return the verdict on the run, with its reasons and the conditions kept and broken."""
    tally = tally_of(run.checks)
    gaps = tuple(_gaps(run))
    # What is broken stands first, then what nobody can tell.
    conditions = tuple(sorted(_conditions(tally, gaps), key=lambda one: (False, None, True).index(one.kept)))
    if any(condition.kept is False for condition in conditions):
        word = Word.NOT_FIT
    elif any(condition.kept is None for condition in conditions):
        word = Word.UNDECIDED
    else:
        word = Word.FIT
    sentence = why(word, tally, len(gaps))
    return Verdict(
        word, sentence, tuple(_reasons(tally, gaps)), (*gaps, *_remarks(run, tally, sentence)), conditions
    )


def _gaps(run: Run) -> Iterator[str]:
    """Yield a sentence for each input of which results are missing."""
    yield from (note.sentence for note in run.notes if note.lost)
    yield from (trouble.sentence for trouble in run.unread)


def _conditions(tally: Tally, gaps: tuple[str, ...]) -> Iterator[ConditionResult]:
    ended = ((tally.failed, "failed"), (tally.errored, "errored"))
    bad = [plural(number, word, word) for number, word in ended if number]
    yield ConditionResult("At least one check runs", True if tally.ran else None, f"{tally.ran:,} ran")
    yield ConditionResult("Nothing fails or errors", not bad, listed(bad) or "0 failed")
    yield ConditionResult(
        "Nothing is left undecided", None if tally.undecided else True, f"{tally.undecided:,} undecided"
    )
    unread = f"{plural(len(gaps), 'input')} not whole" if gaps else "all read"
    yield ConditionResult("Everything given can be read", None if gaps else True, unread)


def _reasons(tally: Tally, gaps: tuple[str, ...]) -> Iterator[str]:
    """Yield why the run is not fit or undecided, the numbers first; or the one reason why it is fit."""
    if tally.failed:
        yield f"{capital(spelled(tally.failed, 'check'))} failed."
    if tally.errored:
        yield f"{capital(spelled(tally.errored, 'check'))} could not finish."
    if tally.undecided:
        verb = "needs" if tally.undecided == 1 else "need"
        yield f"{capital(spelled(tally.undecided, 'check'))} {verb} a person to decide."
    if not tally.ran:
        yield ("Nothing ran." if not tally.skipped else f"Nothing ran: {spelled(tally.skipped, 'check')} skipped.")
    yield from gaps
    if tally.ran == tally.passed and tally.ran and not gaps:
        yield f"{capital(spelled(tally.passed, 'check'))} passed, none failed, and everything given could be read."


def _remarks(run: Run, tally: Tally, sentence: str) -> Iterator[str]:
    """Yield what a reader should know besides, and the sentence does not say."""
    if tally.skipped and "skipped" not in sentence:
        yield f"{capital(spelled(tally.skipped, 'check'))} {'was' if tally.skipped == 1 else 'were'} skipped."
    flaky = [check for check in run.checks if check.flaky]
    if flaky:
        names = listed([f"“{check.name}”" for check in flaky], most=2)
        yield f"{capital(spelled(len(flaky), 'check'))} passed only after a retry: {names}."
    again = sum(len(check.attempts) > 1 and check.outcome is Outcome.PASSED for check in run.checks) - len(flaky)
    if again:
        yield f"{capital(spelled(again, 'check'))} ran more than once and passed in the end."
    repeated = sum(len(check.attempts) > 1 and check.outcome is not Outcome.PASSED for check in run.checks)
    if repeated:
        verb = "was" if repeated == 1 else "were"
        yield f"{capital(spelled(repeated, 'check'))} {verb} tried again and did not pass."
