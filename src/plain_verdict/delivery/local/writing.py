"""Puts a page into its place, with what belongs to it there: zip file, newest copy, which pages stay."""

from collections.abc import Iterable, Iterator
from pathlib import Path

import msgspec

from plain_verdict.delivery.local.files import write_folder, write_page
from plain_verdict.delivery.local.retention import keep_latest, remove_oldest
from plain_verdict.delivery.local.zip_folder import zip_folder

File = tuple[str, Iterator[str] | bytes]
"""A file's name, and its text in pieces or its bytes."""


class WriteOptions(msgspec.Struct, frozen=True):
    """What is done where a page is put. ``keep`` 0 keeps all; ``latest`` "" keeps no copy of the newest."""

    overwrite: bool = False
    zip: bool = False
    latest: str = ""
    keep: int = 0


class Written(msgspec.Struct, frozen=True):
    """What was written, and which pages were removed for it; all full paths. ``page`` is a file or a folder."""

    page: Path
    packed: Path | None = None
    latest: Path | None = None
    removed: tuple[Path, ...] = ()


def write_report(target: Path, files: Iterable[File], options: WriteOptions, *, folder: bool) -> Written:
    """Write a page whole or not at all, with a counter where its name is taken. Raises WriteError."""
    placed: list[Written] = []

    def finish(page: Path) -> None:
        """Do what belongs to the page while no other run places or removes one."""
        packed = zip_folder(page) if options.zip else None
        latest = keep_latest(page, options.latest) if options.latest else None
        removed = remove_oldest(page, options.keep, latest) if options.keep else []
        placed.append(Written(page, packed, latest, tuple(removed)))

    if folder:
        write_folder(target, files, overwrite=options.overwrite, then=finish)
    else:
        pieces = (piece for _, content in files for piece in _texts(content))
        write_page(target, pieces, overwrite=options.overwrite, then=finish)
    return placed[0]


def _texts(content: Iterator[str] | bytes) -> Iterator[str]:
    if isinstance(content, bytes):
        yield content.decode()
    else:
        yield from content
