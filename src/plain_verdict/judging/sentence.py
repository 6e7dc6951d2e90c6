"""Says why in one sentence, the number that matters first, and never more than three numbers in one breath."""

from collections.abc import Sequence

from plain_verdict.model import Cause, ConditionResult, Kind, KindVerdict, Tally, Value, VerdictWord
from plain_verdict.text.formatting import join_list, plural, shorten, spelled

_MANY_SKIPPED = 0.1
"""From this share of all checks on, skipped ones belong in the sentence itself."""
_SENTENCE_NAME_CHARS = 90  # of a condition in the verdict's sentence: two of them fit on two lines
_NAMED_KINDS = 2  # in the sentence: more are more numbers than one breath has
_NAMED_BROKEN = 2  # conditions that the sentence names; the reasons have all


class Changes(Value, frozen=True):
    """How many failures are new since an earlier run, fixed, or failing again; ``since`` names that run."""

    since: str
    new: int
    fixed: int
    failing_again: int = 0


class SentenceFacts(Value, frozen=True):
    """What the sentence is made of; ``gaps`` counts inputs of which results are missing."""

    tally: Tally
    gaps: int = 0
    waived: int = 0
    aside: str = "waived"
    """What is reported of those that may fail: waived, or not counted."""
    kinds: tuple[KindVerdict, ...] = ()
    cause: Cause | None = None
    broken: tuple[ConditionResult, ...] = ()
    unmeasured: tuple[str, ...] = ()
    requests: int = 0
    """Of load runs."""
    changes: Changes | None = None
    """Since an earlier run, if there is one."""


class Explanation(Value, frozen=True):
    """The sentence's part after the word, and which facts it leaves to remarks."""

    text: str
    skipped: bool = False
    waived: bool = False
    cause: bool = False
    errored: bool = False
    """Whether what could not finish is distinguished from what failed."""
    undecided: bool = False
    new: bool = False
    """Whether it says how many failures are new."""
    conditions: bool = False
    """Whether every broken condition is given whole."""


def explain(word: VerdictWord, facts: SentenceFacts) -> Explanation:
    """Return the sentence's part after the word."""
    tally = facts.tally
    bad = tally.failed + tally.errored
    if word is VerdictWord.NOT_FIT:
        if bad:
            return _not_fit(facts)
        text = f"{_passing(tally)}, but {_broken(facts.broken)}." if tally.total else f"{_broken(facts.broken)}."
        return Explanation(text, skipped=True, conditions=len(facts.broken) <= _NAMED_BROKEN)
    if word is VerdictWord.UNDECIDED:
        return _open(facts)
    return _allowed(facts) if bad else Explanation(f"{_passing(tally)}.", skipped=True)


def _not_fit(facts: SentenceFacts) -> Explanation:
    """Say how much failed, and the one thing besides that matters most."""
    text, whole = _failing(facts.tally)
    aside, settled = _most_telling(facts, whole=whole)
    names = [condition.name for condition in facts.broken if condition.name]
    broken = ""
    if names:
        quoted = join_list([f"“{name}”" for name in names], most=2)
        ending = "condition {} is not met" if len(names) == 1 else "conditions {} are not met"
        broken = f", and the {ending.format(quoted)}"
    single_sort = not (facts.tally.failed and facts.tally.errored)
    return Explanation(f"{text}{_by_kind(facts.kinds)}{aside}{broken}.", errored=single_sort, **settled)


def _by_kind(kinds: Sequence[KindVerdict]) -> str:
    """Return which kinds the failures are of, where the run has several; of more than two each has its own line."""
    bad = [(kind.tally.failed + kind.tally.errored, name_kind(kind.kind)) for kind in kinds]
    counted = [f"{number:,} {name}" for number, name in bad if number]
    return f" ({join_list(counted)})" if len(kinds) > 1 and len(counted) <= _NAMED_KINDS else ""


def name_kind(kind: Kind) -> str:
    """Return a kind as a sentence has it."""
    return "API" if kind is Kind.API else kind.value


def _most_telling(facts: SentenceFacts, *, whole: bool) -> tuple[str, dict[str, bool]]:
    """Return what to say besides how much failed, and which of the explanation's flags it settles."""
    if facts.cause:
        cause, tally = facts.cause, facts.tally
        all_of_them = len(cause.checks) == tally.failed + tally.errored
        number = "all of them" if all_of_them else f"{len(cause.checks):,} of them"
        name = shorten(cause.name, _SENTENCE_NAME_CHARS)
        return f", {number} {'because of' if cause.by_rule else 'with'} “{name}”", {"cause": True}
    if facts.waived:
        return f", {facts.waived:,} of them {facts.aside}", {"waived": True}
    if facts.changes:
        return f", {_how_many_new(facts)}", {"new": True}
    if _many_skipped(facts.tally) and not whole:
        return _aside(facts.tally), {"skipped": True}
    return "", {}


def _how_many_new(facts: SentenceFacts) -> str:
    """Return how many of what failed are new since an earlier run."""
    bad = facts.tally.failed + facts.tally.errored
    new, again = (facts.changes.new, facts.changes.failing_again) if facts.changes else (0, 0)
    if bad == 1:
        return "and it is new" if new else "and it is failing again" if again else "and it is not new"
    return "none of them new" if not new else "all of them new" if new == bad else f"{new:,} of them new"


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


def _allowed(facts: SentenceFacts) -> Explanation:
    """Say that what failed may fail."""
    tally = facts.tally
    bad = tally.failed + tally.errored
    passed = f"{tally.passed:,} of {plural(tally.total, 'check')} passed"
    if facts.waived == bad:
        verb = "is" if bad == 1 else "are"
        return Explanation(f"{passed}; {bad:,} failed and {verb} {facts.aside}.", waived=True)
    if facts.changes:
        return Explanation(f"{passed}; {bad:,} failed, {_how_many_new(facts)}; the conditions allow it.", new=True)
    return Explanation(f"{passed}; {bad:,} failed, and the conditions allow it.")


def _broken(broken: tuple[ConditionResult, ...]) -> str:
    words = [f"{condition.words} ({condition.met})" for condition in broken]
    if len(broken) == 1:
        return f"a condition is not met: {words[0][:1].lower()}{words[0][1:]}"
    return f"{spelled(len(broken), 'condition')} are not met: {join_list(words, most=_NAMED_BROKEN)}"


def _many_skipped(tally: Tally) -> bool:
    return tally.skipped > 0 and tally.skipped >= tally.total * _MANY_SKIPPED


def _aside(tally: Tally) -> str:
    return f"; {tally.skipped:,} {'was' if tally.skipped == 1 else 'were'} skipped"


def _passing(tally: Tally) -> str:
    if not tally.ran:
        return "no check ran"
    if not tally.skipped:
        return "the only check passed" if tally.total == 1 else f"all {tally.total:,} checks passed"
    if tally.skipped > tally.ran:
        verb = "passed" if tally.ran == 1 else "all passed"
        return f"only {tally.ran:,} of {tally.total:,} checks ran, and {verb}; {tally.skipped:,} were skipped"
    return f"{tally.passed:,} of {tally.total:,} checks passed and none failed{_aside(tally)}"


def _open(facts: SentenceFacts) -> Explanation:
    """Say why nothing can be said for certain."""
    tally = facts.tally
    unread = _unread(facts)
    ending = f", and {unread}" if unread else ""
    if not tally.ran:
        return Explanation(f"{_nothing_ran(facts)}{ending}.", skipped=True)
    if tally.undecided:
        verb = "is" if tally.undecided == 1 else "are"
        return Explanation(
            f"{tally.undecided:,} of {plural(tally.total, 'check')} {verb} undecided{ending}.", undecided=True
        )
    if tally.failed + tally.errored:
        allowed = _allowed(facts)
        return Explanation(f"{allowed.text.removesuffix('.')}, but {unread}.", waived=allowed.waived)
    return Explanation(f"{_passing(tally)}, but {unread}.", skipped=True)


def _unread(facts: SentenceFacts) -> str:
    """Return what is missing to tell more, "" for nothing."""
    if facts.gaps:
        return f"{spelled(facts.gaps, 'result file')} {'is' if facts.gaps == 1 else 'are'} incomplete"
    return f"the condition “{facts.unmeasured[0]}” has no results to measure" if facts.unmeasured else ""


def _nothing_ran(facts: SentenceFacts) -> str:
    total = facts.tally.total
    if total:
        skipped = "the only check was skipped" if total == 1 else f"all {total:,} checks were skipped"
        return f"no check ran: {skipped}"
    if facts.requests:
        return f"{plural(facts.requests, 'request')} were measured, and no condition sets a target for them"
    return "no checks were found"
