"""Does a job at a destination within the time that it gets, and tells once that it waits long."""

from collections.abc import Callable, Sequence
from contextlib import ExitStack

from plain_verdict.inputs.progress import OnProgress, OnStep
from plain_verdict.remote.interface import Destination, Files, Found, Result
from plain_verdict.runtime.errors import DeliveryError
from plain_verdict.runtime.patience import Patience, do_within
from plain_verdict.text.formatting import format_duration

_SHOWN_AFTER_S = 10.0


class PatienceOver(DeliveryError):  # noqa: N818  the name says which case it is
    """What is done at a destination took longer than it may."""


class _Patient:
    """The files of a destination, until the patience is over: then nothing more is begun."""

    def __init__(self, files: Files, patience: Patience) -> None:
        self._files = files
        self._patience = patience

    def find(self) -> Sequence[Found] | None:
        """Return all files."""
        self._patience.check()
        return self._files.find()

    def read(self, file: str, most: int | None = None) -> bytes | None:
        """Return a file, or its first bytes."""
        self._patience.check()
        return self._files.read(file, most)

    def write(self, file: str, data: bytes, *, new: bool = False) -> bool:
        """Write a file."""
        self._patience.check()
        return self._files.write(file, data, new=new)

    def remove(self, file: str) -> None:
        """Remove a file."""
        self._patience.check()
        self._files.remove(file)


def do_patiently(
    destination: Destination, job: Callable[[Files], Result], patience: Patience, on_step: OnStep, message: str = ""
) -> Result:
    """Do a job at a destination. Raises DeliveryError, also where the patience ends before the job does."""
    with ExitStack() as shown:
        steps: list[OnProgress] = []

        def on_wait(waited_s: float) -> None:
            if waited_s >= _SHOWN_AFTER_S:
                if not steps:
                    steps.append(shown.enter_context(on_step(f"Still waiting for {destination.shown}")))
                steps[0](int(waited_s), int(patience.limit_s))

        try:
            return do_within(
                patience,
                lambda: destination.do(lambda files: job(_Patient(files, patience)), message, patience),
                on_wait,
            )
        except TimeoutError as error:
            what = f"did not finish within {format_duration(patience.limit_s)}"
            hint = "see whether it answers; “patience” in [[publish]] gives it more time"
            raise PatienceOver(what, path=destination.shown, hint=hint) from error
