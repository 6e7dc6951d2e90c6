"""Two runs side by side: what differs between them, each list with how many entries it has in all."""

from datetime import datetime
from typing import Generic, TypeVar

import msgspec

from plain_verdict.model.facts import Value
from plain_verdict.model.history import Past
from plain_verdict.model.load import Comparison
from plain_verdict.model.requirement import RequirementState
from plain_verdict.model.rule import Severity
from plain_verdict.model.run_detail import OperationResult
from plain_verdict.model.tally import Tally
from plain_verdict.model.verdict import VerdictWord

Item = TypeVar("Item")


class Listed(msgspec.Struct, Generic[Item], frozen=True):
    """The first entries of a list, and how many there are."""

    entries: tuple[Item, ...] = ()
    number: int = 0


class ComparedRun(Value, frozen=True):
    """One of the two runs. ``page`` is the link to its page, or ""."""

    label: str
    title: str
    series: str
    build: str
    commit: str
    moment: datetime
    verdict: VerdictWord
    why: str
    tally: Tally
    page: str = ""


class FactDifference(Value, frozen=True):
    """A fact whose values differ; None where a run has none."""

    key: str
    before: str | None
    after: str | None


class CheckDifference(Value, frozen=True):
    """A check in both runs: its outcomes, messages, and seconds where they are known."""

    id: str
    name: str
    before: Past
    after: Past
    message_before: str = ""
    message_after: str = ""
    before_s: float | None = None
    after_s: float | None = None
    owner: str = ""


class CauseDifference(Value, frozen=True):
    """A cause, and how many failures it has in each run."""

    name: str
    before: int
    after: int


class DurationDifference(Value, frozen=True):
    """A check that takes significantly longer or less long, in seconds.

    ``change`` is a share, less what all checks have in common; ``low`` and ``high`` bound it with 95 % confidence.
    """

    id: str
    name: str
    before_s: float
    after_s: float
    change: float
    low: float
    high: float


class DurationChanges(Value, frozen=True):
    """The durations that changed; of ``compared`` ones. ``pace`` is the share by which all together changed.

    ``builds`` are those that the usual scatter of a duration is known from; 0: from all durations of the two runs.
    """

    found: tuple[DurationDifference, ...] = ()
    number: int = 0
    compared: int = 0
    pace: float = 0.0
    builds: int = 0


class OperationDifference(Value, frozen=True):
    """An operation of an API whose calls went wrong in one run, or more of them; None: it was not called."""

    name: str
    before: OperationResult | None
    after: OperationResult | None


class RuleDifference(Value, frozen=True):
    """A rule whose outcome differs."""

    id: str
    name: str
    severity: Severity
    before: Past
    after: Past


class RequirementDifference(Value, frozen=True):
    """A requirement whose state differs; None where a run does not have it."""

    id: str
    title: str
    before: RequirementState | None
    after: RequirementState | None


class RunComparison(msgspec.Struct, frozen=True):
    """All that differs from the run ``before`` to the run ``after``.

    ``not_run`` failed before and neither failed nor passed after; ``stopped`` passed before, and are skipped or
    undecided after. ``builds_between`` is None for runs of different
    series. ``commits`` is the number of commits between them; None where it is not known.
    """

    before: ComparedRun
    after: ComparedRun
    shared: int
    """Checks in both runs."""
    facts: tuple[FactDifference, ...] = ()
    equal_facts: int = 0
    new: Listed[CheckDifference] = Listed()
    fixed: Listed[CheckDifference] = Listed()
    still_failing: Listed[CheckDifference] = Listed()
    not_run: Listed[CheckDifference] = Listed()
    stopped: Listed[CheckDifference] = Listed()
    causes: tuple[CauseDifference, ...] = ()
    durations: DurationChanges = DurationChanges()
    operations: tuple[OperationDifference, ...] = ()
    load: Comparison | None = None
    rules: tuple[RuleDifference, ...] = ()
    requirements: tuple[RequirementDifference, ...] = ()
    only_before: Listed[CheckDifference] = Listed()
    only_after: Listed[CheckDifference] = Listed()
    builds_between: int | None = None
    commits: int | None = None
    notes: tuple[str, ...] = ()
