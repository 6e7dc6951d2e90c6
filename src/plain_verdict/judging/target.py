"""A target: what a condition says of one request or metric of a load run."""

import msgspec

from plain_verdict.model import Kind, State
from plain_verdict.model.ids import check_id
from plain_verdict.settings.rules import ConditionRule

SUITE = ("Load targets",)


class Target(msgspec.Struct, frozen=True):
    """A condition on one request, on all, or on a metric: its words, and whether it is met."""

    rule: ConditionRule
    request: str
    words: str
    state: State
    bound: str
    met: str
    short: str
    """The value, of a duration without its confidence interval."""
    limit: float

    @property
    def id(self) -> str:
        """Return the id of its check."""
        return check_id(Kind.LOAD, SUITE, self.words)
