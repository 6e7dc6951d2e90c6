"""An input: how it is opened and how it is named."""

import glob
from collections.abc import Callable
from pathlib import Path
from typing import BinaryIO

import msgspec

from plain_verdict.model import Kind
from plain_verdict.text.cleaning import single_line

_PATH_CHARS = 400  # shown of a path
STANDARD_INPUT_NAME = "standard input"
"""How what is piped in is named; all else is named after a file."""
RESULT_SUFFIXES = (".xml", ".jsonl", ".har", ".tap", ".json", ".ndjson", ".zip", ".tar", ".tgz", ".gz")
"""Endings of names by which results are expected in a file, whatever is in it."""


def shown_path(path: object) -> str:
    """Return a path as outputs name it: one line, not too long."""
    return single_line(str(path), _PATH_CHARS)


class Source(msgspec.Struct, frozen=True):
    """One input: how to open it, and how it is named on the page.

    ``file`` is where it stands, "" where it comes from no file.
    ``explicit`` is False for a file found by walking a folder: one that is not a result file is then skipped.
    ``given`` are the folders, as the user named them, that it was found in.
    ``go`` is 0 for the first go, and counts the retries that the user names.
    ``kind`` is what the user says that its checks are; None leaves it to the format.
    """

    path: str
    open: Callable[[], BinaryIO]
    size_bytes: int
    explicit: bool = True
    file: str = ""
    given: tuple[str, ...] = ()
    go: int = 0
    kind: Kind | None = None
    written_s: float | None = None
    """When it was written, as a POSIX time stamp; None where nobody knows, as of a copy."""
    passed_over: str = ""
    """Why it is not read, whatever it holds: "is a hidden file"; "" for one that is read."""
    damage: Callable[[], str] = str
    """Says, once it is read, why it could not be unpacked to its end; "" where it could."""
    on_rows: Callable[[int], object] = int
    """Told how many rows are read, by readers of files that are made of them."""
    fetch: Callable[[], bytes] | None = None
    """Fetches its content from elsewhere, for whoever reads it: here, or on another machine. Raises ReadError."""
    hash_remotely: Callable[[], str] | None = None
    """Returns the hash of its content as whoever is nearer to it knows it; None: it is read for that here."""

    @property
    def root(self) -> str:
        """Return the widest folder that the user named and that it was found in, else its own; "" for none."""
        named = [folder for folder in self.given if not glob.has_magic(folder)]
        return (
            str(Path(min(named, key=lambda folder: len(Path(folder).parts))).absolute()) if named else self.folder
        )

    @property
    def folder(self) -> str:
        """Return the folder it stands in, "" where it stands in none."""
        return str(Path(self.file).parent) if self.file else ""
