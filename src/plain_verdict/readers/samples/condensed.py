"""Reads condensed load runs: what ``plain-verdict condense`` writes on each machine."""

from plain_verdict.inputs.source import Source
from plain_verdict.model import ResultFile
from plain_verdict.readers.interface import Head
from plain_verdict.readers.samples.reader import needs_libraries
from plain_verdict.runtime.errors import ReadError
from plain_verdict.settings.limits import Limits


class CondensedReader:
    """Reads one file."""

    format = "condensed"
    roots: frozenset[str] = frozenset()

    def recognises(self, head: Head) -> bool:
        """Return whether the first line says that it is one."""
        return head.data.startswith(b'{"format":"plain-verdict load"')

    def read(self, source: Source, limits: Limits) -> ResultFile:
        """Return the state that the file holds. Raises ReadError."""
        with source.open() as stream:
            data = stream.read(limits.whole_bytes + 1)
        if len(data) > limits.whole_bytes:
            raise ReadError("is too large for a condensed load run", path=source.path, hint="condense it again")
        try:
            from plain_verdict.readers.samples.expanding import read_condensed  # NumPy, for load results only
        except ImportError as error:
            raise needs_libraries(source, error) from error
        try:
            return read_condensed(source, data)
        except (ValueError, OverflowError) as error:
            hint = "condense the samples again with this version"
            raise ReadError(f"can't be read: {error}", path=source.path, hint=hint) from error
