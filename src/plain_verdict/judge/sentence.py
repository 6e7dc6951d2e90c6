"""Says why in one sentence, the number that matters first, and never more than three numbers in one breath."""

from plain_verdict.model import Cause, ConditionResult, Tally, Value, Word
from plain_verdict.words import listed, plural, spelled

_MANY_SKIPPED = 0.1
"""From this share of all checks on, skipped ones belong in the sentence itself."""
_NAME_CHARS = 90
_MOST_BROKEN = 2


class Situation(Value, frozen=True):
    """What the sentence is made of; ``gaps`` counts inputs of which results are missing."""

    tally: Tally
    gaps: int = 0
    waived: int = 0
    cause: Cause | None = None
    broken: tuple[ConditionResult, ...] = ()
    unmeasured: tuple[str, ...] = ()


class Said(Value, frozen=True):
    """The sentence's part after the word, and which facts it leaves to remarks."""

    text: str
    skipped: bool = False
    waived: bool = False
    cause: bool = False
    errored: bool = False
    """Whether what could not finish is told apart from what failed."""
    undecided: bool = False
    conditions: bool = False
    """Whether every broken condition is told whole."""


def why(word: Word, situation: Situation) -> Said:
    """Return the sentence's part after the word."""
    tally = situation.tally
    bad = tally.failed + tally.errored
    if word is Word.NOT_FIT:
        if bad:
            return _not_fit(situation)
        text = f"{_passing(tally)}, but {_broken(situation.broken)}."
        return Said(text, skipped=True, conditions=len(situation.broken) <= _MOST_BROKEN)
    if word is Word.UNDECIDED:
        return _open(situation)
    return _allowed(situation) if bad else Said(f"{_passing(tally)}.", skipped=True)


def _not_fit(situation: Situation) -> Said:
    """Say how much failed, and the one thing besides that matters most."""
    tally = situation.tally
    bad = tally.failed + tally.errored
    text, whole = _failing(tally)
    told = {"errored": not (tally.failed and tally.errored)}
    if situation.cause:
        cause = situation.cause
        number = "all of them" if len(cause.checks) == bad else f"{len(cause.checks):,} of them"
        name = cause.name if len(cause.name) <= _NAME_CHARS else cause.name[: _NAME_CHARS - 1] + "…"
        text += f", {number} {'because of' if cause.by_rule else 'with'} “{name}”"
        told["cause"] = True
    elif situation.waived:
        text += f", {situation.waived:,} of them waived"
        told["waived"] = True
    elif _many_skipped(tally) and not whole:
        text += _aside(tally)
        told["skipped"] = True
    names = [condition.name for condition in situation.broken if condition.name]
    if names:
        quoted = listed([f"“{name}”" for name in names], most=2)
        text += f", and the {'condition' if len(names) == 1 else 'conditions'} {quoted} "
        text += "is broken" if len(names) == 1 else "are broken"
    return Said(f"{text}.", **told)


def _failing(tally: Tally) -> tuple[str, bool]:
    """Return how many checks failed, and whether that is all of them."""
    if tally.failed == tally.total:
        return ("the only check failed" if tally.total == 1 else f"all {tally.total:,} checks failed"), True
    if tally.errored == tally.total:
        alone = tally.total == 1
        return (
            "the only check could not finish" if alone else f"none of {tally.total:,} checks could finish"
        ), True
    bad = tally.failed + tally.errored
    verb = (
        "failed" if not tally.errored else "could not finish" if not tally.failed else "failed or could not finish"
    )
    return f"{bad:,} of {plural(tally.total, 'check')} {verb}", False


def _allowed(situation: Situation) -> Said:
    """Say that what failed may fail."""
    tally = situation.tally
    bad = tally.failed + tally.errored
    passed = f"{tally.passed:,} of {plural(tally.total, 'check')} passed"
    if situation.waived == bad:
        return Said(f"{passed}; {bad:,} failed and {'is' if bad == 1 else 'are'} waived.", waived=True)
    return Said(f"{passed}; {bad:,} failed, which the conditions allow.")


def _broken(broken: tuple[ConditionResult, ...]) -> str:
    words = [f"{condition.words} ({condition.met})" for condition in broken]
    if len(broken) == 1:
        return f"a condition is broken: {words[0][:1].lower()}{words[0][1:]}"
    return f"{spelled(len(broken), 'condition')} are broken: {listed(words, most=_MOST_BROKEN)}"


def _many_skipped(tally: Tally) -> bool:
    return tally.skipped > 0 and tally.skipped >= tally.total * _MANY_SKIPPED


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


def _open(situation: Situation) -> Said:
    """Say why nothing can be said for certain."""
    tally = situation.tally
    bad = tally.failed + tally.errored
    unread = f"{spelled(situation.gaps, 'result file')} could not be read whole" if situation.gaps else ""
    if not unread and situation.unmeasured:
        unread = f"there is nothing to measure for “{situation.unmeasured[0]}”"
    ending = f", and {unread}" if unread else ""
    if not tally.total:
        return Said(f"no check was found{ending}.", skipped=True)
    if not tally.ran:
        skipped = "the only check was skipped" if tally.total == 1 else f"all {tally.total:,} checks were skipped"
        return Said(f"nothing ran: {skipped}{ending}.", skipped=True)
    if tally.undecided:
        verb = "needs" if tally.undecided == 1 else "need"
        return Said(
            f"{tally.undecided:,} of {plural(tally.total, 'check')} {verb} a person to decide{ending}.",
            undecided=True,
        )
    if bad:
        allowed = _allowed(situation)
        return Said(f"{allowed.text.removesuffix('.')}, but {unread}.", waived=allowed.waived)
    return Said(f"{_passing(tally)}, but {unread}.", skipped=True)
