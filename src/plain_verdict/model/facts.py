"""Facts, and the keys that several stages know."""

from collections import Counter

import msgspec


class Value(msgspec.Struct, frozen=True, gc=False):
    """A plain immutable value; without reference cycles, so the garbage collector can leave it alone."""


class Fact(Value, frozen=True, array_like=True):
    """A key and value about a run, a suite or a check.

    Encoded it is a list, so that the names of its fields stand in no text that is searched for secrets.
    """

    key: str
    value: str


class Masked(Value, frozen=True):
    """How many secrets were masked, and how many of them were known, by what each is called."""

    count: int = 0
    known: tuple[tuple[str, int], ...] = ()

    def __add__(self, other: "Masked") -> "Masked":
        known = Counter(dict(self.known)) + Counter(dict(other.known))
        return Masked(self.count + other.count, tuple(sorted(known.items())))


class Owner(Value, frozen=True):
    """Who owns checks: a person or a team, and how to reach them; "" where the team says nothing."""

    name: str
    mail: str = ""
    link: str = ""


OWNER = "owner"
"""The key of who looks after a check; a check may have several."""
BUILD = "build"
"""The key by which a run is called among those of its series."""
JOB = "job"
"""The key of the address of the pipeline's own page."""
MACHINE = "machine"
"""The host that a suite ran on: a reader tells it, the timeline has a track for each."""
BRANCH, COMMIT = "branch", "commit"
"""What the repository tells of a run."""
BROWSER, PLATFORM, REGION = "browser", "platform", "region"
VARIANT_FACTS = (BROWSER, PLATFORM, REGION)
"""Facts under which the same check is a variant and not another attempt."""
