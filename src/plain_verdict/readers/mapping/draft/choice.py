"""What the checks of a file are, as a draft has chosen them."""

from collections import Counter
from collections.abc import Mapping
from typing import NamedTuple

from plain_verdict.model import Outcome
from plain_verdict.readers.mapping.draft.exchanges import ExchangeFields
from plain_verdict.readers.mapping.draft.fields import Candidate, Field, Level
from plain_verdict.readers.mapping.draft.guess import Guess, Legend, guess, meanings_of
from plain_verdict.readers.mapping.draft.meaning import Role, fit_of

_OF_ATTEMPT = (
    *(Role.OUTCOME, Role.TOOK, Role.STARTED, Role.ENDED, Role.MESSAGE, Role.TYPE, Role.DETAIL, Role.EXPECTED),
    *(Role.ACTUAL, Role.EVIDENCE, Role.OUTPUT),
)
ERRORS = (Role.MESSAGE, Role.TYPE, Role.DETAIL)
Inner = tuple[Level, Guess]
"""A list in the items, with the roles of its fields."""


class Choice(NamedTuple):
    """What the checks of a file are: the way to them, the roles of their fields, and what stands in them."""

    candidate: Candidate
    made: Guess
    attempts: Inner | None = None
    steps: Inner | None = None
    problems: Inner | None = None
    evidence: Inner | None = None
    expectations: Inner | None = None
    exchange: ExchangeFields | None = None
    is_compliance: bool = False
    """Whether the items are rules, or places that break them."""
    are_findings: bool = False
    """Whether each item is a place that breaks a rule, so that it failed."""
    error: Field | None = None
    """What only items that failed have, where nothing else tells how they ended."""
    score: float = 0.0
    rivals: tuple[str, ...] = ()
    """Where other lists stand that look like checks, too."""

    @property
    def roles(self) -> Mapping[Role, Field]:
        """Return the roles, those of an attempt where attempts have them."""
        if self.attempts is None:
            return self.made.roles
        of_attempt = {role: field for role, field in self.attempts[1].roles.items() if role in _OF_ATTEMPT}
        of_check = {role: field for role, field in self.made.roles.items() if role not in _OF_ATTEMPT}
        return {**of_check, **of_attempt}


def inherits_name(choice: Choice) -> bool:
    """Return whether checks have no name of their own, but what stands around them does."""
    around = choice.candidate.levels[:-1]
    return not is_named(choice.made) and bool(around) and is_named(guess(around[-1]))


def is_named(made: Guess) -> bool:
    """Return whether items have a name that is called one."""
    return Role.NAME in made.roles and fit_of(Role.NAME, made.roles[Role.NAME].path) > 0


def tally_of(choice: Choice, legend: Legend) -> Counter[Outcome]:
    """Return how many of the items that were looked at ended in each outcome, as far as that is known."""
    field = choice.roles.get(Role.OUTCOME)
    if field is None:
        return Counter()
    found = meanings_of(field, legend)
    return Counter({outcome: values.total() for outcome, values in found.known.items()})


def known_share(field: Field, legend: Legend) -> float:
    """Return of which share of the values it is known which outcome they mean."""
    found = meanings_of(field, legend)
    known = sum(values.total() for values in found.known.values())
    return known / max(1, known + found.unknown.total())
