"""Says why in one sentence, the number that matters first."""

from plain_verdict.model import Cause, Tally, Value, Word
from plain_verdict.words import listed, plural, spelled

_MANY_SKIPPED = 0.1
"""From this share of all checks on, skipped ones belong in the sentence itself."""
_NAME_CHARS = 90


class Situation(Value, frozen=True):
    """What the sentence is made of; ``gaps`` counts inputs of which results are missing."""

    tally: Tally
    gaps: int = 0
    waived: int = 0
    cause: Cause | None = None
    broken: tuple[str, ...] = ()
    unmeasured: tuple[str, ...] = ()


def why(word: Word, situation: Situation) -> str:
    """Return the sentence's part after the word."""
    tally = situation.tally
    bad = tally.failed + tally.errored
    if word is Word.NOT_FIT:
        if not bad:
            return f"{_passing(tally)}, but {_broken(situation)}."
        return f"{_failing(tally)}{_asides(situation)}{_skipped(tally)}."
    if word is Word.FIT:
        return f"{_allowed(situation)}." if bad else f"{_passing(tally)}."
    return f"{_open(situation)}."


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


def _asides(situation: Situation) -> str:
    """Return what is waived, and the biggest cause."""
    tally, cause = situation.tally, situation.cause
    bad = tally.failed + tally.errored
    text = f", {situation.waived:,} of them waived" if situation.waived else ""
    if cause:
        number = "all of them" if len(cause.checks) == bad else f"{len(cause.checks):,} of them"
        name = cause.name if len(cause.name) <= _NAME_CHARS else cause.name[: _NAME_CHARS - 1] + "…"
        text += f", {number} {'because of' if cause.by_rule else 'with'} “{name}”"
    return text


def _allowed(situation: Situation) -> str:
    """Say that what failed may fail."""
    tally = situation.tally
    bad = tally.failed + tally.errored
    passed = f"{tally.passed:,} of {plural(tally.total, 'check')} passed"
    if situation.waived == bad:
        return f"{passed}; {bad:,} failed and {'is' if bad == 1 else 'are'} waived{_skipped(tally)}"
    aside = f", {situation.waived:,} of them waived" if situation.waived else ""
    return f"{passed}; {bad:,} failed{aside}, which the conditions allow{_skipped(tally)}"


def _broken(situation: Situation) -> str:
    if len(situation.broken) == 1:
        return f"a condition is broken: {situation.broken[0][:1].lower()}{situation.broken[0][1:]}"
    return f"{spelled(len(situation.broken), 'condition')} are broken: {listed(situation.broken, most=2)}"


def _skipped(tally: Tally) -> str:
    return _aside(tally) if tally.skipped and tally.skipped >= tally.total * _MANY_SKIPPED else ""


def _aside(tally: Tally) -> str:
    return f"; {tally.skipped:,} {'was' if tally.skipped == 1 else 'were'} skipped"


def _passing(tally: Tally) -> str:
    if not tally.ran:
        return "nothing ran"
    if not tally.skipped:
        return "the only check passed" if tally.total == 1 else f"all {tally.total:,} checks passed"
    if tally.skipped > tally.ran:
        verb = "passed" if tally.ran == 1 else "all passed"
        return f"only {tally.ran:,} of {tally.total:,} checks ran, and {verb}; {tally.skipped:,} were skipped"
    return f"{tally.passed:,} of {tally.total:,} checks passed and none failed{_aside(tally)}"


def _open(situation: Situation) -> str:
    """Say why nothing can be said for certain."""
    tally = situation.tally
    bad = tally.failed + tally.errored
    unread = f"{spelled(situation.gaps, 'result file')} could not be read whole" if situation.gaps else ""
    if not unread and situation.unmeasured:
        unread = f"there is nothing to measure for “{situation.unmeasured[0]}”"
    if not tally.total:
        return f"no check was found{f', and {unread}' if unread else ''}"
    if not tally.ran:
        skipped = "the only check was skipped" if tally.total == 1 else f"all {tally.total:,} checks were skipped"
        return f"nothing ran: {skipped}{f', and {unread}' if unread else ''}"
    if tally.undecided:
        verb = "needs" if tally.undecided == 1 else "need"
        person = f"{tally.undecided:,} of {plural(tally.total, 'check')} {verb} a person to decide"
        return f"{person}{f', and {unread}' if unread else ''}{_skipped(tally)}"
    return f"{_allowed(situation) if bad else _passing(tally)}, but {unread}"
