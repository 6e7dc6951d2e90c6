"""Reads samples of a load run: told by their header, read by libraries that only load runs need."""

from plain_verdict.inputs.source import Source
from plain_verdict.model import Kind, ResultFile
from plain_verdict.readers.interface import Head
from plain_verdict.readers.samples.columns import looks_like_samples
from plain_verdict.readers.samples.options import IN_THREADS, SamplesOptions
from plain_verdict.runtime.errors import ReadError
from plain_verdict.settings.limits import Limits
from plain_verdict.text.json_text import flatten
from plain_verdict.text.packages import install_command


class SamplesReader:
    """Reads one file."""

    format = "samples"
    roots: frozenset[str] = frozenset()

    def __init__(self, options: SamplesOptions = IN_THREADS) -> None:
        self._options = options

    def recognises(self, head: Head) -> bool:
        """Return whether the first line names a time and a duration, and one of the next has them."""
        columns = head.csv_columns
        named_as_load = head.source is not None and head.source.kind is Kind.LOAD
        if columns:
            # Where the user reports it, what is missing is given by name.
            return named_as_load or any(looks_like_samples(columns, row) for row in head.csv_rows[1:] or ((),))
        objects = [flatten(record) for record in head.json_lines if type(record) is dict]
        if named_as_load:
            return bool(objects)
        return any(looks_like_samples(tuple(record), tuple(record.values())) for record in objects)

    def read(self, source: Source, limits: Limits) -> ResultFile:  # noqa: ARG002  a file of any size is read in blocks
        """Return the state of all whole rows; rows that are none are counted, and named by their lines."""
        try:
            from plain_verdict.readers.samples.reading import (  # NumPy, for samples only
                read_samples,  # numpy and pyarrow, for load results only
            )
        except ImportError as error:
            raise needs_libraries(source, error) from error
        return read_samples(source, self._options)


def needs_libraries(source: Source, error: ImportError) -> ReadError:
    """Return the error for a load result where the libraries for it are not installed."""
    what = f"holds a load run, which needs more libraries ({error.name})"
    return ReadError(what, path=source.path, hint=f"install them: {install_command('load')}")
