"""What the user wants of samples."""

from typing import NamedTuple

from plain_verdict.runtime.executors import Engine


class SamplesOptions(NamedTuple):
    """Where they are counted; which columns hold the team's own numbers; seconds at the beginning to leave out."""

    engine: Engine
    metrics: tuple[str, ...] = ()
    leave_out_s: float = 0.0


IN_THREADS = SamplesOptions(Engine())
