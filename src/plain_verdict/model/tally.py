"""How many checks ended in each outcome."""

from collections import Counter
from collections.abc import Iterable

from plain_verdict.model.check import Check
from plain_verdict.model.checks import Checks
from plain_verdict.model.facts import Value
from plain_verdict.model.outcome import Outcome


class Tally(Value, frozen=True):
    """How many checks ended in each outcome."""

    passed: int = 0
    failed: int = 0
    errored: int = 0
    skipped: int = 0
    undecided: int = 0

    @property
    def total(self) -> int:
        """Return the number of all checks."""
        return self.passed + self.failed + self.errored + self.skipped + self.undecided

    @property
    def ran(self) -> int:
        """Return the number of checks that were not left out."""
        return self.total - self.skipped

    def of(self, outcome: Outcome) -> int:
        """Return the number of checks with this outcome."""
        return int(getattr(self, outcome.value))


def tally_of(checks: Iterable[Check]) -> Tally:
    """Return how many of the checks ended in each outcome."""
    detailed = checks.detailed if isinstance(checks, Checks) else checks
    numbers = Counter([check.attempts[-1].outcome for check in detailed])
    if isinstance(checks, Checks):
        numbers[Outcome.PASSED] += checks.plain_number
    return Tally(**{outcome.value: numbers[outcome] for outcome in Outcome})
