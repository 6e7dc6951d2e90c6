"""The mappings that come with the program: formats of test runners as data, one file each, in ``formats``."""

import tomllib
from collections.abc import Sequence
from functools import cache
from pathlib import Path

import msgspec

from plain_verdict.inputs.source import Source
from plain_verdict.model import ResultFile
from plain_verdict.readers.interface import Head
from plain_verdict.readers.mapping.reader import MappingReader
from plain_verdict.readers.xml.text import HEAD_BYTES
from plain_verdict.runtime.errors import ReadError
from plain_verdict.settings.limits import Limits
from plain_verdict.settings.mappings import ResultMapping

_FORMATS = Path(__file__).parent / "formats"


class Marks(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """What marks a file before its places are looked for: root elements, or keys of its first JSON object."""

    roots: tuple[str, ...] = ()
    keys: tuple[str, ...] = ()


class ShippedFormat(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A format: its marks, and the mapping that reads it."""

    recognised: Marks
    mapping: tuple[ResultMapping, ...]


@cache
def shipped_formats() -> tuple[ShippedFormat, ...]:
    """Return the formats, in the order of their names."""
    return tuple(
        msgspec.convert(tomllib.loads(path.read_text("utf-8")), ShippedFormat)
        for path in sorted(_FORMATS.glob("*.toml"))
    )


@cache
def _readers() -> Sequence[tuple[Marks, MappingReader]]:
    return [
        (known.recognised, MappingReader(mapping, is_ours=True))
        for known in shipped_formats()
        for mapping in known.mapping
    ]


def reader_for(head: Head) -> MappingReader | None:
    """Return the reader of the format whose marks a file has; None where it is of none of them."""
    return next((reader for marks, reader in _readers() if _has(marks, head) and reader.recognises(head)), None)


class ShippedMappings:
    """Reads files of all formats that come as mappings."""

    format = "mapping"

    @property
    def roots(self) -> frozenset[str]:
        """Return the root elements of those that are XML."""
        return frozenset(root for known in shipped_formats() for root in known.recognised.roots)

    def recognises(self, head: Head) -> bool:
        """Return whether a format has the marks of a file, and finds what it needs in it."""
        return reader_for(head) is not None

    @staticmethod
    def reader_for(head: Head) -> MappingReader | None:
        """Return the reader of the format whose marks a file has; None where it is of none of them."""
        return reader_for(head)

    def read(self, source: Source, limits: Limits) -> ResultFile:
        """Return what the file holds, by the reader of its format. Raises ReadError."""
        with source.open() as stream:
            reader = reader_for(Head(stream.read(HEAD_BYTES), source))
        if reader is None:
            raise ReadError("is of no format that comes as a mapping", path=source.path)
        return reader.read(source, limits)


def _has(marks: Marks, head: Head) -> bool:
    if marks.roots:
        return head.text[:1] == "<" and head.xml.root in marks.roots
    return head.text[:1] == "{" and any(
        isinstance(line, dict) and line.keys() >= set(marks.keys) for line in head.json_lines
    )
