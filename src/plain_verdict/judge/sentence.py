"""Says why in one sentence, the number that matters first."""

from plain_verdict.model import Tally, Word
from plain_verdict.words import plural, spelled

_MANY_SKIPPED = 0.1
"""From this share of all checks on, skipped ones belong in the sentence itself."""


def why(word: Word, tally: Tally, gaps: int) -> str:
    """Return the sentence's part after the word; ``gaps`` counts inputs of which results are missing."""
    if word is Word.NOT_FIT:
        return _failing(tally) + _skipped(tally) + "."
    if word is Word.FIT:
        return _passing(tally) + "."
    return _open(tally, gaps) + "."


def _failing(tally: Tally) -> str:
    if tally.failed == tally.total:
        return "the only check failed" if tally.total == 1 else f"all {tally.total:,} checks failed"
    if tally.errored == tally.total:
        return (
            "the only check could not finish"
            if tally.total == 1
            else f"none of {tally.total:,} checks could finish"
        )
    of_all = f" of {plural(tally.total, 'check')}"
    if not tally.errored:
        return f"{tally.failed:,}{of_all} failed"
    if not tally.failed:
        return f"{tally.errored:,}{of_all} could not finish"
    return f"{tally.failed:,}{of_all} failed and {tally.errored:,} could not finish"


def _skipped(tally: Tally) -> str:
    if tally.skipped < tally.total * _MANY_SKIPPED:
        return ""
    return f"; {tally.skipped:,} {'was' if tally.skipped == 1 else 'were'} skipped"


def _passing(tally: Tally) -> str:
    if not tally.skipped:
        return "the only check passed" if tally.total == 1 else f"all {tally.total:,} checks passed"
    if tally.skipped > tally.ran:
        verb = "passed" if tally.ran == 1 else "all passed"
        return f"only {tally.ran:,} of {tally.total:,} checks ran, and {verb}; {tally.skipped:,} were skipped"
    return f"{tally.passed:,} of {tally.total:,} checks passed and none failed{_aside(tally)}"


def _aside(tally: Tally) -> str:
    return f"; {tally.skipped:,} {'was' if tally.skipped == 1 else 'were'} skipped"


def _open(tally: Tally, gaps: int) -> str:
    """Say why nothing can be said for certain."""
    unread = f"{spelled(gaps, 'result file')} could not be read whole" if gaps else ""
    if not tally.total:
        return f"no check was found{f', and {unread}' if unread else ''}"
    if not tally.ran:
        skipped = "the only check was skipped" if tally.total == 1 else f"all {tally.total:,} checks were skipped"
        return f"nothing ran: {skipped}{f', and {unread}' if unread else ''}"
    if tally.undecided:
        verb = "needs" if tally.undecided == 1 else "need"
        person = f"{tally.undecided:,} of {plural(tally.total, 'check')} {verb} a person to decide"
        return f"{person}{f', and {unread}' if unread else ''}{_skipped(tally)}"
    return f"{_passing(tally)}, but {unread}"
