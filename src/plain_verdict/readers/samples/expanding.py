"""Makes a result file of a condensed load run."""

from plain_verdict.inputs.source import Source
from plain_verdict.load.condensed import expand
from plain_verdict.load.state import samples_of
from plain_verdict.model import Kind, ReadingNote, ResultFile
from plain_verdict.readers.samples.reading import moment_of
from plain_verdict.text.cleaning import single_line
from plain_verdict.text.formatting import plural

_NOTE_CHARS = 400  # a condensed file may come from anybody


def read_condensed(source: Source, data: bytes) -> ResultFile:
    """Return what a condensed file holds. Raises ValueError, in words, for one that is none."""
    head, state = expand(data)
    notes = [
        _missing(source.path, f"was condensed from incomplete samples: {sentence}") for sentence in head.incomplete
    ]
    if head.bad_rows:
        what = f"was condensed without {plural(head.bad_rows, 'row')} that could not be read"
        notes.append(ReadingNote(source.path, what))
    return ResultFile(
        payloads=(samples_of(Kind.LOAD, state, head.bad_rows),),
        notes=tuple(notes),
        started=moment_of(state.first_us),
        ended=moment_of(state.last_us),
    )


def _missing(path: str, what: str) -> ReadingNote:
    return ReadingNote(path, single_line(what, _NOTE_CHARS), results_missing=True)
