"""The requirements: requirements, and which checks say whether they are met."""

from enum import StrEnum

from plain_verdict.model.facts import Value


class RequirementState(StrEnum):
    """How a requirement stands, the gravest first."""

    NOT_MET = "not met"
    UNDECIDED = "undecided"
    NOT_CHECKED = "not checked"
    MET = "met"


class Requirement(Value, frozen=True):
    """One requirement, as its file tells it. ``group`` stands above it; ``steps`` are those of a scenario.

    ``disambiguator`` is there for scenarios of one name: the feature, or the file and line.
    """

    id: str
    title: str = ""
    group: tuple[str, ...] = ()
    link: str = ""
    owner: str = ""
    priority: str = ""
    steps: tuple[str, ...] = ()
    source: str = ""
    disambiguator: str = ""

    @property
    def label(self) -> str:
        """Return its id with what sets it apart from another of that id."""
        return f"{self.id} ({self.disambiguator})" if self.disambiguator else self.id


class RequirementResult(Value, frozen=True):
    """A requirement with how it stands, and the ids of its checks.

    ``not_run`` are the scenarios, and the rows of outlines, that carry its id and no check ran, where others did.
    """

    requirement: Requirement
    state: RequirementState
    checks: tuple[str, ...] = ()
    not_run: tuple[str, ...] = ()


class Requirements(Value, frozen=True):
    """All that was asked. ``unknown`` are names that checks have and no file knows; ``notes`` on the files."""

    results: tuple[RequirementResult, ...] = ()
    unknown: tuple[tuple[str, int], ...] = ()
    """Each with how many checks name it."""
    notes: tuple[str, ...] = ()
    given: bool = False
    """Whether a file of requirements was given, even one that holds none."""
    whole: bool = True
    """Whether every file, and every row of it, could be read, and looked for in the names of all checks."""

    def count(self, state: RequirementState) -> int:
        """Return how many stand so."""
        return sum(result.state is state for result in self.results)
