"""Several mappings for one file: checks by one and load sums by another; further ones are named as unused."""

from collections.abc import Sequence
from itertools import chain

import msgspec

from plain_verdict.inputs.source import Source
from plain_verdict.model import ReadingNote, ResultFile
from plain_verdict.readers.interface import TOGETHER, Head, Reader
from plain_verdict.readers.mapping.reader import MappingReader
from plain_verdict.settings.limits import Limits
from plain_verdict.settings.mappings import ResultMapping


def together(fitting: Sequence[MappingReader]) -> Reader:
    """Return the reader of a file that these mappings fit, the first of them first."""
    first, *others = fitting
    beside = next((other for other in others if _go_together(first.mapping, other.mapping)), None)
    unused = [other.format for other in others if other is not beside]
    return TogetherReader(first, beside, unused) if beside or unused else first


def _go_together(first: ResultMapping, other: ResultMapping) -> bool:
    """Return whether two mappings read different things: checks, or sums of a load run."""
    return first.is_load != other.is_load and not first.samples and not other.samples


class TogetherReader:
    """Reads a file by one or two mappings, and says which others fit it as well."""

    roots: frozenset[str] = frozenset()

    def __init__(self, first: MappingReader, beside: MappingReader | None, unused: Sequence[str]) -> None:
        self._readers = [first, *([beside] if beside else [])]
        self._unused = unused
        self.format = TOGETHER.join(reader.format for reader in self._readers)

    def recognises(self, head: Head) -> bool:
        """Return whether all of the mappings fit a file."""
        return all(reader.recognises(head) for reader in self._readers)

    def read(self, source: Source, limits: Limits) -> ResultFile:
        """Return the file's checks and load results. Raises ReadError."""
        files = [reader.read(source, limits) for reader in self._readers]
        why = f"which is not used because of “{self._readers[0].format}”"
        unused = [ReadingNote(source.path, f"also fits the mapping “{name}”, {why}") for name in self._unused]
        with_checks = max(files, key=lambda file: bool(file.checks))
        return msgspec.structs.replace(
            with_checks,
            payloads=tuple(chain.from_iterable(file.payloads for file in files)),
            notes=(*chain.from_iterable(file.notes for file in files), *unused),
            title=next(filter(None, (file.title for file in files)), ""),
        )
