"""What comes of pieces of work that others do: processes, threads, the workers of a cluster."""

from typing import NamedTuple, TypeVar

Piece = TypeVar("Piece")
Made = TypeVar("Made")


class EngineError(Exception):
    """A piece of work could not be done on a cluster, and trying again did not help."""


ON_CLUSTER = "see that its workers have the same plain-verdict[cluster], or leave --engine out"
"""What to do where work fails there."""


class Lost(NamedTuple):
    """What comes of a piece of work whose worker was lost twice; ``why`` goes on from the piece's name."""

    why: str
    hint: str
