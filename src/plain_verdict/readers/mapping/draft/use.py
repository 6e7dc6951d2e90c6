"""Reads a file of an unknown format by a mapping that is drafted for it, where the draft is certain."""

import msgspec

from plain_verdict.inputs.source import Source
from plain_verdict.model import ReadingNote, ResultFile
from plain_verdict.readers.interface import Head, Reader
from plain_verdict.readers.mapping.draft.certainty import Drafted, drafted_mapping
from plain_verdict.readers.mapping.reader import MappingReader
from plain_verdict.runtime.errors import ReadError
from plain_verdict.settings.limits import DEFAULT_LIMITS, Limits
from plain_verdict.settings.mappings import ResultMapping, StepMapping

DRAFTED = "drafted mapping"
"""The format's name in outputs."""


class DraftReader:
    """Reads one file by its draft."""

    roots: frozenset[str] = frozenset()
    format = DRAFTED

    def __init__(self, drafted: Drafted) -> None:
        mapping = _without_durations(drafted.mapping) if drafted.unit_is_guess else drafted.mapping
        self._reader = MappingReader(mapping, is_ours=True)
        self._left_out = ", without durations, whose unit nothing tells" if drafted.unit_is_guess else ""

    def recognises(self, head: Head) -> bool:  # noqa: ARG002  as all readers
        """Return False: a draft is made for one file."""
        return False

    def read(self, source: Source, limits: Limits) -> ResultFile:
        """Return what the file holds, with a note on how it was read. Raises ReadError."""
        file = self._reader.read(source, limits)
        how = f"is read by a drafted mapping{self._left_out}"
        what = f"{how}; plain-verdict mapping {source.path} > mapping.toml keeps it"
        return msgspec.structs.replace(file, notes=(ReadingNote(source.path, what), *file.notes))


def _without_durations(mapping: ResultMapping) -> ResultMapping:
    checks = mapping.check if isinstance(mapping.check, tuple) else (mapping.check,)
    return msgspec.structs.replace(
        mapping,
        check=tuple(msgspec.structs.replace(check, took="", step=_without_took(check.step)) for check in checks),
    )


def _without_took(steps: StepMapping | tuple[StepMapping, ...]) -> tuple[StepMapping, ...]:
    return tuple(
        msgspec.structs.replace(step, took="", step=_without_took(step.step))
        for step in (steps if isinstance(steps, tuple) else (steps,))
    )


def reader_of_draft(source: Source, *, drafts: bool) -> Reader | ReadError | None:
    """Return the reader of a draft that is certain, or why there is none; None for what is nothing like results."""
    try:
        drafted = drafted_mapping(source, DEFAULT_LIMITS)
    except ReadError as error:
        is_summary = error.what.startswith("has sums")
        return error if is_summary else None
    if not drafted.looks_like_results:
        return None
    if drafts and not drafted.doubts:
        return DraftReader(drafted)
    why = f": {drafted.doubts[0]}" if drafted.doubts else ""
    what = "looks like results, but is of no known format"
    hint = f"run plain-verdict mapping {source.path} > mapping.toml, check it, and add --mapping mapping.toml{why}"
    return ReadError(what, path=source.path, hint=hint)
