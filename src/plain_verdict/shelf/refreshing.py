"""Refreshes a shelf: of a folder, or of any place that can list and read its pages."""

import os
from collections.abc import Callable, Iterable, Iterator, Mapping
from contextlib import suppress
from pathlib import Path
from typing import Protocol

from plain_verdict.delivery.files import alone, write_bytes
from plain_verdict.errors import ReadError, WriteError
from plain_verdict.history.pages import read_kept
from plain_verdict.model.marks import FIRST_PAGE
from plain_verdict.report.shelf_line import ShelfLine, line_of
from plain_verdict.shelf.entries import (
    HEAD_BYTES,
    Entry,
    entries_in,
    is_page_head,
    is_shelf_head,
    line_in,
    newest_first,
    packed,
)
from plain_verdict.shelf.feed import is_feed_head, write_feed
from plain_verdict.shelf.page import write_shelf
from plain_verdict.shelf.words import ShelfWords

FEED = "feed.xml"
_DEEPEST = 4
"""Folders below the shelf that are looked into."""
_MOST_FILES = 100_000
_PAGES = (".html", ".htm")


class Pages(Protocol):
    """A place with pages."""

    def stamps(self) -> Iterable[tuple[str, str]]:
        """Yield files that may be pages, as seen from here, each with a stamp that changes when it does."""
        ...

    def line(self, file: str) -> ShelfLine | None:
        """Return what a page says of itself; None for what is no page of ours."""
        ...


def find_entries(pages: Pages, before: bytes) -> dict[str, Entry]:
    """Return the entries of all pages. ``before`` is the shelf as it was: what it knows need not be read again."""
    known = entries_in(before)
    entries: dict[str, Entry] = {}
    for file, stamp in pages.stamps():
        entry = known.get(file)
        entries[file] = entry if entry and entry.stamp == stamp else Entry(file, stamp, pages.line(file))
    return entries


def make_shelf(entries: Mapping[str, Entry], home: str, words: ShelfWords) -> tuple[tuple[str, bytes], ...]:
    """Return the files of a shelf. ``home`` tells its place from others."""
    newest = newest_first(entries)
    page = "".join(write_shelf(newest, packed(entries[file] for file in sorted(entries)), words))
    feed = write_feed(newest, words.title, words.brand.organisation, words.link or home, words.link)
    # The page first: no feed tells of what the shelf does not have.
    return (FIRST_PAGE, page.encode("utf-8", "replace")), (FEED, feed)


def refresh_folder(folder: Path, words: ShelfWords) -> int:
    """Write the shelf of a folder and return how many pages stand on it. Raises WriteError.

    Others that refresh it at the same time wait for each other, and the last one sees what all have written.
    """
    check_shelf(folder)
    with alone(folder):
        index = folder / FIRST_PAGE
        before = index.read_bytes() if index.is_file() else b""
        pages = FolderPages(folder)
        entries = find_entries(pages, before)
        for name, data in make_shelf(entries, pages.home, words):
            write_bytes(folder / name, data)
    return len(newest_first(entries))


def check_shelf(folder: Path) -> None:
    """Make sure that a shelf can stand in a folder. Raises WriteError."""
    if not folder.is_dir():
        raise WriteError("is no folder", path=str(folder), hint="name a folder that holds pages")
    for name, is_ours in ((FIRST_PAGE, is_shelf_head), (FEED, is_feed_head)):
        head = head_of(folder / name)
        if head and not is_ours(head):
            what = "is a page itself" if is_page_head(head) else "is a file that this tool did not make"
            raise WriteError(what, path=str(folder / name), hint="name the folder above, or move it away")


def head_of(file: Path) -> bytes:
    """Return the beginning of a file; nothing where it can't be read."""
    with suppress(OSError), file.open("rb") as opened:
        return opened.read(HEAD_BYTES)
    return b""


class FolderPages:
    """The pages in a folder and in the folders below; a page in a folder counts as one, and is not looked into."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder

    @property
    def home(self) -> str:
        """Return the folder's path."""
        return self._folder.resolve().as_uri()

    def stamps(self) -> Iterator[tuple[str, str]]:
        """Yield the files, at most 100,000."""
        for number, found in enumerate(_walk(self._folder, "", 0, self._is_page)):
            if number >= _MOST_FILES:
                return
            yield found

    def line(self, file: str) -> ShelfLine | None:
        """Return what a page says; an older one's digest is read for it."""
        path = self._folder / file
        head = head_of(path)
        if not is_page_head(head):
            return None
        line = line_in(head)
        if line is not None:
            return line
        try:
            return line_of(read_kept(path)[-1].build)
        except (ReadError, IndexError):
            return None

    def _is_page(self, file: str) -> bool:
        return is_page_head(head_of(self._folder / file))


def _walk(folder: Path, way: str, depth: int, is_page: Callable[[str], bool]) -> Iterator[tuple[str, str]]:
    folders = []
    with suppress(OSError), os.scandir(folder / way) as found:
        for item in found:
            if item.name.startswith("."):
                continue
            if item.is_dir(follow_symlinks=False):
                folders.append(f"{way}{item.name}/")
            elif item.name.endswith(_PAGES) and not (depth == 0 and item.name == FIRST_PAGE):
                with suppress(OSError):
                    about = item.stat()
                    yield f"{way}{item.name}", f"{about.st_mtime_ns:020d} {about.st_size}"
    for one in sorted(folders) if depth < _DEEPEST else ():
        first = folder / one / FIRST_PAGE
        if is_page(f"{one}{FIRST_PAGE}"):
            about = first.stat()
            yield f"{one}{FIRST_PAGE}", f"{about.st_mtime_ns:020d} {about.st_size}"
        else:
            yield from _walk(folder, one, depth + 1, is_page)
