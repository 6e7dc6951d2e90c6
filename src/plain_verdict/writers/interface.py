"""What a writer is: the contract of all outputs."""

from collections.abc import Iterator
from typing import NamedTuple, Protocol, runtime_checkable

from plain_verdict.report import Report


class OutputFile(NamedTuple):
    """A file of an output: its name in it, and its text in pieces or its bytes."""

    name: str
    content: Iterator[str] | bytes

    def chunks(self) -> Iterator[bytes]:
        """Yield its bytes, in pieces: text as UTF-8. Text can be gone through once."""
        if isinstance(self.content, bytes):
            yield self.content
        else:
            yield from (piece.encode() for piece in self.content)


class Writer(Protocol):
    """Writes a report in one format; the same report gives the same bytes. It opens no file."""

    @property
    def name(self) -> str:
        """Return the output's name, by which it is asked for."""
        ...

    @property
    def suffix(self) -> str:
        """Return the ending of its file's name; "" for a folder of files."""
        ...

    @property
    def about(self) -> str:
        """Return what it is, for help and docs."""
        ...

    @property
    def is_layout(self) -> bool:
        """Return whether it is a layout of the page itself."""
        ...

    def render(self, report: Report) -> Iterator[OutputFile]:
        """Yield the files of the output, one for each that is not a folder."""
        ...


@runtime_checkable
class CheckedWriter(Protocol):
    """A writer that may lack something, as a library that is an extra."""

    def check(self) -> None:
        """Make sure that it can write. Raises UsageError."""
        ...
