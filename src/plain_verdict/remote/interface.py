"""What a place is: files that can be listed, read and written, together or one by one."""

from collections.abc import Callable, Sequence
from typing import Protocol, TypeVar

import msgspec

from plain_verdict.runtime.patience import Patience

Result = TypeVar("Result")


class Found(msgspec.Struct, frozen=True):
    """A file, as seen from the place, and a stamp that changes when it does and sorts by when it was written.

    ``written_s`` is when that was, in seconds since 1970 by the place's clock; 0 where the place does not know.
    ``size_bytes`` is 0 where it does not know that.
    """

    file: str
    stamp: str
    written_s: float = 0.0
    size_bytes: int = 0


class Files(Protocol):
    """The files of a place, named as seen from there. All raise DeliveryError, which names the place and why."""

    def find(self) -> Sequence[Found] | None:
        """Return all files there and below; None where the place can't list them."""
        ...

    def read(self, file: str, most: int | None = None) -> bytes | None:
        """Return a file, or its first bytes; None where there is none."""
        ...

    def write(self, file: str, data: bytes, *, new: bool = False) -> bool:
        """Write a file whole or not at all; ``new``: where none has its name. Return whether it was written."""
        ...

    def remove(self, file: str) -> None:
        """Remove a file that may be gone already."""
        ...


class Destination(Protocol):
    """Where pages are published, or results come from."""

    @property
    def shown(self) -> str:
        """Return its address as it may be shown."""
        ...

    @property
    def address(self) -> str:
        """Return where a browser opens its files, with a slash at the end; "" where that is not known."""
        ...

    def name(self, file: str) -> str:
        """Return the address of one of its files as it may be shown."""
        ...

    def do(self, job: Callable[[Files], Result], message: str, patience: Patience) -> Result:
        """Do a job on its files; ``message`` says what for. Where others were faster it is done again.

        ``patience`` stops other programs that it starts.
        """
        ...

    def check(self) -> None:
        """Make sure that what reaches the place is installed. Raises UsageError."""
        ...
