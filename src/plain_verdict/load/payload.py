"""What a file of samples holds, between its reader and the numbers of the run."""

from plain_verdict.load.state import LoadState
from plain_verdict.model import Payload


class SamplesPayload(Payload, frozen=True):
    """The state that the numbers of a load run are made of, and how many rows of its file are no samples."""

    state: LoadState
    bad_rows: int = 0
