"""The verdict on a run: conditions, causes, waivers."""

from collections.abc import Iterable
from datetime import date
from enum import StrEnum

import msgspec

from plain_verdict.model.check import Check
from plain_verdict.model.facts import Value
from plain_verdict.model.outcome import Kind
from plain_verdict.model.quarantine import Quarantined
from plain_verdict.model.rule import AssessedRisk
from plain_verdict.model.tally import Tally


class VerdictWord(StrEnum):
    """The verdict in a word."""

    FIT = "fit"
    NOT_FIT = "not fit"
    UNDECIDED = "undecided"


class State(StrEnum):
    """How a condition stands, the gravest first. ``open``: nobody can tell."""

    NOT_MET = "not met"
    OPEN = "open"
    MET = "met"


class ConditionResult(Value, frozen=True):
    """One rule the run must keep to be fit, in words, and the number it met.

    ``name`` is short; "" where the rule says no more than that nothing may fail.
    """

    words: str
    state: State
    met: str
    name: str = ""
    is_target: bool = False
    """Whether checks of load results tell it one by one."""


class Cause(Value, frozen=True):
    """A named reason that several failures share. ``typical`` is a message in pieces: (text, whether it varies)."""

    name: str
    checks: tuple[Check, ...]
    typical: tuple[tuple[str, bool], ...] = ()
    type: str = ""
    by_rule: bool = False
    identity: str = ""
    """What is the same of it in every build, where its name may change: the name of a failed rule."""
    advice: str = ""
    owner: str = ""
    link: str = ""


class NotCounted(StrEnum):
    """Why a verdict leaves a failure out, in words that follow a number."""

    WAIVED = "waived"
    BELOW_THRESHOLD = "below the severity threshold"
    SUPPRESSED = "suppressed"
    IN_QUARANTINE = "in quarantine"


class Waived(Value, frozen=True):
    """That a check may fail, why, and until which day; None: nothing ends it."""

    reason: str
    until: date | None
    who: str = ""
    link: str = ""
    by: NotCounted = NotCounted.WAIVED

    @property
    def word(self) -> str:
        """Return what is reported of it: a suppression with a last day is a waiver."""
        if self.by is NotCounted.IN_QUARANTINE:
            return self.by.value
        return "waived" if self.until else "not counted"


class Topic(StrEnum):
    """What a remark is about, the gravest first; each has its place in a report."""

    INPUTS = "inputs"
    CONDITIONS = "conditions"
    FAILURES = "failures"
    UNDECIDED = "undecided"
    RISKS = "risks"
    CHANGES = "changes"
    NOT_COUNTED = "not counted"
    RETRIES = "retries"
    SKIPPED = "skipped"
    COUNTS = "counts"
    """What the results say in numbers, wherever they are shown."""


class Remark(Value, frozen=True):
    """What a reader should know besides the verdict's sentence: ``lead`` leads to its place, ``rest`` goes on."""

    topic: Topic
    lead: str
    rest: str = "."

    @property
    def text(self) -> str:
        """Return the whole sentence."""
        return f"{self.lead}{self.rest}"


def aside_word(waived_checks: Iterable[Waived]) -> str:
    """Return what is reported of checks that may fail: what holds for each of them, else not counted."""
    words = {waived.word for waived in waived_checks}
    return words.pop() if len(words) == 1 else "not counted" if words else "waived"


class KindVerdict(Value, frozen=True):
    """The judgement on one kind of a run: ``why`` goes on from the word."""

    kind: Kind
    word: VerdictWord
    why: str
    tally: Tally


class Verdict(msgspec.Struct, frozen=True):
    """The judgement: a word, why, every reason behind it, and what ``why`` leaves unsaid, the gravest first.

    ``why`` goes on from the word ("all 12 checks passed."); the others are sentences of their own.
    """

    word: VerdictWord
    why: str
    reasons: tuple[str, ...]
    remarks: tuple[Remark, ...] = ()
    conditions: tuple[ConditionResult, ...] = ()
    causes: tuple[Cause, ...] = ()
    kinds: tuple[KindVerdict, ...] = ()
    """Of each kind that the run has, in the order of their names' list."""
    waived: dict[str, Waived] = {}
    """By check id."""
    quarantine: tuple[Quarantined, ...] = ()
    """Checks in quarantine, and those that just left."""
    overdue_risks: tuple[AssessedRisk, ...] = ()
    """Open risks of assessments that are past their deadline, the longest overdue first."""
    notes: tuple[str, ...] = ()
    """For the team that keeps the rules: what covered nothing, what was switched off."""

    @property
    def sentence(self) -> str:
        """Return the verdict as one sentence to read aloud."""
        return f"{self.word.capitalize()}: {self.why}"

    def aside_of(self, cause: Cause) -> str:
        """Return that all of a cause is waived or not counted; "" where it is not."""
        waived_checks = [self.waived[check.id] for check in cause.checks if check.id in self.waived]
        return aside_word(waived_checks) if len(waived_checks) == len(cause.checks) else ""

    @property
    def all_remarks(self) -> tuple[str, ...]:
        """Return what a reader should know besides the sentence, as sentences."""
        return tuple(remark.text for remark in self.remarks)
