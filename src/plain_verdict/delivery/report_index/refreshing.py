"""Refreshes an index: of a folder, or of any place that can list and read its pages."""

import os
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
from contextlib import suppress
from itertools import islice
from pathlib import Path

import msgspec

from plain_verdict.delivery.report_index.entries import (
    HEAD_BYTES,
    Entry,
    entries_in,
    is_index_head,
    is_page_head,
    line_in,
    newest_first,
    packed,
)
from plain_verdict.delivery.report_index.feed import is_feed_head, write_feed
from plain_verdict.delivery.report_index.page import bodies_in, by_series, write_index
from plain_verdict.delivery.report_index.title import IndexWords
from plain_verdict.delivery.report_index.trends import (
    KeptTrend,
    ReadRuns,
    Trends,
    make_trends,
    packed_trends,
    trends_in,
)
from plain_verdict.history.pages import read_kept
from plain_verdict.model.marks import FIRST_PAGE
from plain_verdict.runtime.atomic_files import lock_folder, write_bytes
from plain_verdict.runtime.errors import WriteError

FEED = "feed.xml"
_DEEPEST_FOLDERS = 4
"""Folders below the index that are looked into."""
_MOST_FILES = 100_000  # in one folder: the index is made from what it lists
_PAGES = (".html", ".htm")


def find_entries(
    found: Iterable[tuple[str, str]], head_of: Callable[[str], bytes], before: bytes, latest: str = ""
) -> dict[str, Entry]:
    """Return the entries of all pages among files that are found, each with a stamp that changes when it does.

    ``head_of`` gives the beginning of one; ``before`` is the index as it was: what it knows need not be read again.
    A page in a folder counts as one, and is not looked into; ``latest`` is a copy of another.
    """
    known = entries_in(before)
    entries: dict[str, Entry] = {}
    for file, stamp in sorted(found):
        if not _may_be_page(file):
            continue
        entry = known.get(file)
        if entry is None or entry.stamp != stamp:
            head = head_of(file)
            entry = Entry(file, stamp, line_in(head) if is_page_head(head) else None)
        entries[file] = entry
    return _each_once(entries, latest)


def _each_once(entries: Mapping[str, Entry], latest: str) -> dict[str, Entry]:
    """Return entries without copies of others, and without what lies in the folder of a page."""
    firsts = {file.removesuffix(FIRST_PAGE) for file, entry in entries.items() if entry.line and _is_first(file)}
    copies = (f"{latest}/",) if latest else ()
    return {
        file: entry
        for file, entry in entries.items()
        if file != latest and not file.startswith(copies) and (_is_first(file) or not _is_inside(file, firsts))
    }


def _may_be_page(file: str) -> bool:
    """Return whether a file has the name of a page; one with an empty part would be a link to elsewhere."""
    return file.endswith(_PAGES) and file != FIRST_PAGE and "" not in file.split("/")


def _is_first(file: str) -> bool:
    return file.endswith(f"/{FIRST_PAGE}")


def _is_inside(file: str, folders: Collection[str]) -> bool:
    """Return whether a file stands in one of the folders, each with its slash, or below it."""
    return any(file[: at + 1] in folders for at, char in enumerate(file) if char == "/")


class MadeIndex(msgspec.Struct, frozen=True):
    """The files of an index, how many pages it has, and notes on those that could not be read whole."""

    files: tuple[tuple[str, bytes], ...]
    pages: int
    notes: tuple[str, ...] = ()


def make_index(
    entries: Mapping[str, Entry], home: str, words: IndexWords, before: bytes, read_runs: ReadRuns
) -> MadeIndex:
    """Return an index. ``home`` tells its place from others; ``before`` is the index as it was."""
    newest, known = newest_first(entries), trends_in(before)
    series = by_series(newest)
    trends = make_trends(series, known, read_runs, words)
    kept = packed(entries[file] for file in sorted(entries)), packed_trends(trends.by_series)
    page = "".join(
        write_index(newest, trends.by_series, kept, words, folded=_unchanged(series, trends, known, before))
    )
    feed = write_feed(newest, words.title, words.brand.organisation, words.link or home, words.link)
    # The page first: no feed tells of what the index does not have.
    files = (FIRST_PAGE, page.encode("utf-8", "replace")), (FEED, feed)
    return MadeIndex(files, len(newest), tuple(map(words.mask, trends.notes)))


def _unchanged(
    series: Mapping[str, Sequence[Entry]], trends: Trends, known: Mapping[str, KeptTrend], before: bytes
) -> dict[str, str]:
    """Return the compressed bodies of the series that are as they were: making them takes longest."""
    bodies = bodies_in(before)
    newest = {name: entries[0].line.id for name, entries in series.items() if entries[0].line}
    return {
        name: bodies[newest[name]]
        for name, trend in trends.by_series.items()
        if known.get(name) is trend and newest.get(name) in bodies
    }


def refresh_folder(folder: Path, words: IndexWords) -> MadeIndex:
    """Write the index of a folder and return it. Raises WriteError.

    Others that refresh it at the same time wait for each other, and the last one sees what all have written.
    """
    check_index(folder)
    with lock_folder(folder):
        index = folder / FIRST_PAGE
        before = index.read_bytes() if index.is_file() else b""
        found = islice(_walk(folder, "", 0), _MOST_FILES)
        entries = find_entries(found, lambda file: head_of(folder / file), before)
        made = make_index(entries, folder.resolve().as_uri(), words, before, lambda file: read_kept(folder / file))
        for name, data in made.files:
            write_bytes(folder / name, data)
    return made


def check_index(folder: Path) -> None:
    """Make sure that an index can stand in a folder. Raises WriteError."""
    if not folder.is_dir():
        raise WriteError("is not a folder", path=str(folder), hint="name a folder that holds pages")
    for name, is_ours in ((FIRST_PAGE, is_index_head), (FEED, is_feed_head)):
        head = head_of(folder / name)
        if head and not is_ours(head):
            what = "is a page itself" if is_page_head(head) else "exists and was not written by this program"
            raise WriteError(what, path=str(folder / name), hint="name the folder above, or move it away")


def head_of(file: Path) -> bytes:
    """Return the beginning of a file; nothing where it can't be read."""
    with suppress(OSError), file.open("rb") as opened:
        return opened.read(HEAD_BYTES)
    return b""


def _walk(folder: Path, way: str, depth: int) -> Iterator[tuple[str, str]]:
    """Yield the files of a folder and of the folders below that may be pages, with their stamps."""
    folders = []
    with suppress(OSError), os.scandir(folder / way) as found:
        for item in found:
            if item.name.startswith("."):
                continue
            if item.is_dir(follow_symlinks=False):
                folders.append(f"{way}{item.name}/")
            elif item.name.endswith(_PAGES):
                with suppress(OSError):
                    about = item.stat()
                    yield f"{way}{item.name}", f"{about.st_mtime_ns:020d} {about.st_size}"
    for folder_name in sorted(folders) if depth < _DEEPEST_FOLDERS else ():
        yield from _walk(folder, folder_name, depth + 1)
