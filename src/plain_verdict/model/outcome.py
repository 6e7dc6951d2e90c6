"""How things end."""

from collections.abc import Iterable
from enum import StrEnum


class Kind(StrEnum):
    """What sort of run a check comes from."""

    FUNCTIONAL = "functional"
    API = "api"
    LOAD = "load"
    COMPLIANCE = "compliance"


class Outcome(StrEnum):
    """How a check, an attempt or a step ended, in the order in which outputs list them."""

    FAILED = "failed"
    ERRORED = "errored"
    UNDECIDED = "undecided"
    SKIPPED = "skipped"
    PASSED = "passed"


BAD = (Outcome.FAILED, Outcome.ERRORED)
"""The outcomes that need a cause."""
_WEIGHT = (Outcome.PASSED, Outcome.SKIPPED, Outcome.UNDECIDED, Outcome.FAILED, Outcome.ERRORED)


def gravest(outcomes: Iterable[Outcome]) -> Outcome:
    """Return the outcome that outweighs the others: errored, failed, undecided, skipped, passed."""
    # Most passed: only the others are weighed.
    others = [outcome for outcome in outcomes if outcome is not Outcome.PASSED]
    return max(others, key=_WEIGHT.index) if others else Outcome.PASSED
