"""What a reader is: the contract of all formats, and the values they share."""

from collections.abc import Callable
from pathlib import Path
from typing import BinaryIO, Protocol

import msgspec

from plain_verdict.model import ResultFile
from plain_verdict.settings import Limits

RESULT_SUFFIXES = (".xml", ".jsonl", ".json", ".ndjson", ".zip", ".tar", ".tgz", ".gz")
"""Endings of names by which results are expected in a file, whatever is in it."""


class Source(msgspec.Struct, frozen=True):
    """One input: how to open it, and how it is named on the page.

    ``file`` is where it stands, "" where it comes from no file.
    ``explicit`` is False for a file found by walking a folder: one that is no result file is then left alone.
    ``given`` are the folders, as the user named them, that it was found in.
    ``go`` is 0 for the first go, and counts the retries that the user names.
    """

    path: str
    open: Callable[[], BinaryIO]
    size_bytes: int
    explicit: bool = True
    file: str = ""
    given: tuple[str, ...] = ()
    go: int = 0

    @property
    def folder(self) -> str:
        """Return the folder it stands in, "" where it stands in none."""
        return str(Path(self.file).parent) if self.file else ""


class Head(msgspec.Struct, frozen=True):
    """The beginning of a file, by which its format is told. ``root`` is the XML root element's local name.

    ``doctype`` is the name after ``<!DOCTYPE``; both are "" where there is none.
    """

    data: bytes
    text: str
    root: str = ""
    doctype: str = ""


class Reader(Protocol):
    """Reads one format."""

    format: str
    """The format's name in outputs, like ``junit-xml``."""
    told_by: str
    """What a file of the format begins with, in words, for hints."""
    roots: frozenset[str]
    """The XML root elements that this reader takes; empty for a format that is not XML."""

    def recognises(self, head: Head) -> bool:
        """Return whether a file that begins like this is of the reader's format."""
        ...

    def read(self, source: Source, limits: Limits) -> ResultFile:
        """Return what the file holds.

        Raises ReadError when nothing of it can be used; smaller trouble becomes reading notes.
        """
        ...
