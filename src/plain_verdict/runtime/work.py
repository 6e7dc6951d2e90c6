"""What comes of pieces of work that others do: processes, threads, the workers of a cluster."""

from typing import NamedTuple, Protocol, TypeVar

Piece = TypeVar("Piece")
Made = TypeVar("Made")
MadeOf = TypeVar("MadeOf", covariant=True)


WIRE_LEVEL = 1
"""Of zlib (RFC 1950), for what goes to another machine: more costs workers more than a network does."""


class EngineError(Exception):
    """A piece of work could not be done on a cluster, and trying again did not help."""


ON_CLUSTER = "see that its workers have memory enough, or leave --engine out"
"""What to do where work fails there."""


class Lost(NamedTuple):
    """What comes of a piece of work whose worker was lost twice; ``why`` goes on from the piece's name."""

    why: str
    hint: str


class Begun(Protocol[MadeOf]):
    """A piece of work that others do meanwhile."""

    def result(self) -> MadeOf:
        """Return what came of it. Raises what the work raises, and EngineError for a cluster."""
        ...

    def result_or_lost(self) -> MadeOf | Lost:
        """Return what came of it, also where it cost two workers their lives."""
        ...

    def cancel(self) -> object:
        """Take it back."""
        ...
