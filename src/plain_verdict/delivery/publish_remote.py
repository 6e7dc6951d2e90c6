"""Publishes a page at places elsewhere: the page, then the index and the newest copy; what is too old goes last."""

import math
from collections.abc import Iterable, Iterator, Mapping, Sequence
from functools import partial
from pathlib import Path
from urllib.parse import quote

import msgspec

from plain_verdict.delivery.local.naming import highest_number, numbered
from plain_verdict.delivery.report_index.entries import (
    HEAD_BYTES,
    Entry,
    entries_in,
    is_index_head,
    is_page_head,
    line_in,
    newest_first,
)
from plain_verdict.delivery.report_index.refreshing import find_entries, make_index
from plain_verdict.delivery.report_index.title import IndexWords
from plain_verdict.history.pages import runs_in_page
from plain_verdict.inputs.progress import OnStep
from plain_verdict.model import KeptRun, epoch_s
from plain_verdict.model.marks import FIRST_PAGE
from plain_verdict.remote.interface import Files
from plain_verdict.remote.patiently import do_patiently
from plain_verdict.report import Report
from plain_verdict.request import Request
from plain_verdict.runtime.errors import DeliveryError, PlainVerdictError
from plain_verdict.runtime.patience import Patience

_TRIES = 4  # somebody else may write the same index at the same moment
_MOST_NUMBERS = 1_000
_SPARED_S = 600  # pages published so shortly before are not removed
_MOST_PAGES_READ = 20  # for the trends of the index: it keeps those of series that did not change


class _Wanted(msgspec.Struct, frozen=True):
    """What is published: files by their names below ``name``, which is the page's own; "" as a name is the page.

    Each is read when it is written there: those of a folder may be large together.
    """

    name: str
    in_folder: bool
    files: tuple[tuple[str, Path], ...]
    latest: str
    keep: int
    overwrite: bool
    index: IndexWords | None


def publish_remotely(
    report: Report, request: Request, page: Path, packed: Path | None, on_step: OnStep
) -> tuple[tuple[str, ...], tuple[PlainVerdictError, ...]]:
    """Publish a page at each place; return its addresses, and what failed: that costs no other place."""
    addresses: list[str] = []
    failed: list[PlainVerdictError] = []
    commit_message = f"{report.verdict.word.capitalize()}: {report.title} {report.kept.build.build}".rstrip()
    for target in request.destinations:
        wanted = _wanted(request, page, packed, target.keep, target.link or target.destination.address)
        try:
            with on_step(f"Publishing to {target.destination.shown}"):
                job = partial(_publish, wanted=wanted)
                patience = Patience(target.patience_s)
                name = do_patiently(target.destination, job, patience, on_step, commit_message)
        except DeliveryError as error:
            # What the job itself says names a file there, and not yet where that is.
            is_whole = "://" in error.path or Path(error.path).is_absolute()
            path = error.path if is_whole else target.destination.name(error.path)
            failed.append(DeliveryError(error.what, path=path, hint=error.hint))
            continue
        at = f"{name}/" if wanted.in_folder else name
        base = target.link or target.destination.address
        addresses.append(f"{base}{quote(at)}" if base else target.destination.name(at))
    return tuple(addresses), tuple(failed)


def _files_of(folder: Path) -> tuple[tuple[str, Path], ...]:
    inside = sorted(file for file in folder.rglob("*") if file.is_file())
    # The first page last: what it leads to is there before it.
    inside.sort(key=lambda file: file == folder / FIRST_PAGE)
    return tuple((f"/{file.relative_to(folder).as_posix()}", file) for file in inside)


def _wanted(request: Request, page: Path, packed: Path | None, keep: int, link: str) -> _Wanted:
    in_folder = page.is_dir()
    files = _files_of(page) if in_folder else (("", page),)
    if packed:
        files = ((".zip", packed), *files)
    report = request.report
    latest = report.latest
    if latest and not in_folder and not Path(latest).suffix:
        latest += page.suffix
    words = request.index_words
    index = msgspec.structs.replace(words, link=link) if request.index and words else None
    name = page.relative_to(request.root).as_posix() if page.is_relative_to(request.root) else page.name
    return _Wanted(name, in_folder, files, latest, keep, report.overwrite, index)


def _publish(files: Files, wanted: _Wanted) -> str:
    """Write all of it and return the name that the page has there."""
    index = files.read(FIRST_PAGE, HEAD_BYTES) if wanted.index else None
    if index and not is_index_head(index):
        what = "its index.html is not an index of this program"
        raise DeliveryError(what, path=FIRST_PAGE, hint="publish in another folder, or without --index")
    name = _write_page(files, wanted)
    too_old = _write_index(files, wanted, name) if wanted.index or wanted.keep else []
    if wanted.latest:
        _write_latest(files, wanted)
    if wanted.keep:
        _remove_old(files, too_old)
        if files.read(_first_of(name, wanted), 1) is None:
            hint = "publish it again; keep more pages there, or let fewer runs publish at once"
            raise DeliveryError("was removed there by another run meanwhile", path=name, hint=hint)
    return name


def _write_page(files: Files, wanted: _Wanted) -> str:
    """Write the page under the first name that is free, or over the one that is there."""
    path = Path(wanted.name)
    if wanted.overwrite:
        there = files.read(_first_of(wanted.name, wanted), HEAD_BYTES)
        if there and not is_page_head(there):
            raise DeliveryError("exists and was not written by this program", path=wanted.name, hint="change --out")
        _write_over(files, wanted.name, wanted)
        return wanted.name
    found = files.find()
    least = highest_number(path, [page.file for page in found or ()]) + 1
    for number in range(least, least + _MOST_NUMBERS):
        name = numbered(path, number).as_posix()
        taken = found is None and files.read(_first_of(name, wanted), 1) is not None
        if not taken and _write_all(files, name, wanted.files, new=True):
            return name
    raise DeliveryError("has too many pages of that name", path=wanted.name, hint="remove some, or use keep")


def _first_of(name: str, wanted: _Wanted) -> str:
    """Return the file to open of a page."""
    return f"{name}/{FIRST_PAGE}" if wanted.in_folder else name


def _write_all(files: Files, name: str, contents: Iterable[tuple[str, Path]], *, new: bool) -> bool:
    """Write files below a name; return False where another run was faster."""
    return all(files.write(f"{name}{below}", file.read_bytes(), new=new) for below, file in contents)


def _write_over(files: Files, name: str, wanted: _Wanted) -> None:
    """Write files below a name over what is there, and remove what the page before had besides."""
    _write_all(files, name, wanted.files, new=False)
    if wanted.in_folder:
        made = {f"{name}{below}" for below, _ in wanted.files}
        for found in files.find() or ():
            if found.file.startswith(f"{name}/") and found.file not in made:
                files.remove(found.file)


def _write_index(files: Files, wanted: _Wanted, name: str) -> list[Entry]:
    """Write the index until it has all that is there, also what others wrote meanwhile; return pages too old."""
    entries: dict[str, Entry] = {}
    too_old: list[Entry] = []
    content = wanted.files[-1][1].read_bytes()
    page = _first_of(name, wanted)
    listing = _Listing(files, page, content)
    read_runs = _RemoteRuns(files, {page: content})
    for _ in range(_TRIES):
        before = (files.read(FIRST_PAGE) or b"") if wanted.index else b""
        now = listing.entries(before, wanted.latest)
        if now == entries:
            break
        entries = now
        too_old = _too_old(entries, wanted, page, listing.written_s)
        if wanted.index is None:
            break
        gone = {entry.file for entry in too_old}
        left = {file: entry for file, entry in entries.items() if file not in gone}
        made = make_index(left, wanted.index.link or page, wanted.index, before, read_runs)
        for file, data in made.files:
            files.write(file, data)
        if not listing.is_whole:
            break
    return too_old


class _Listing:
    """The pages of a place as entries; the head of each is read once.

    ``written_s`` is when each file was written, as far as is known; it is not whole where nothing can be listed.
    """

    def __init__(self, files: Files, page: str, content: bytes) -> None:
        self._files = files
        self._page = page
        self._heads = {page: content[:HEAD_BYTES]}
        self.written_s: dict[str, float] = {}
        self.is_whole = True

    def entries(self, before: bytes, latest: str) -> dict[str, Entry]:
        """Return what is there now; ``before`` is the index there, ``latest`` the name of a copy."""
        found = self._files.find()
        self.is_whole = found is not None
        if found is None:
            # What the index knows, and this page.
            return entries_in(before) | {self._page: Entry(self._page, "", line_in(self._heads[self._page]))}
        self.written_s = {file.file: file.written_s for file in found}
        return find_entries(((file.file, file.stamp) for file in found), self._head_of, before, latest)

    def _head_of(self, file: str) -> bytes:
        if file not in self._heads:
            self._heads[file] = self._files.read(file, HEAD_BYTES) or b""
        return self._heads[file]


class _RemoteRuns:
    """Reads the runs that pages of a place hold, each page once, and few: each comes over the network."""

    def __init__(self, files: Files, known: dict[str, bytes]) -> None:
        self._files = files
        self._known = known
        self._runs: dict[str, list[KeptRun]] = {}

    def __call__(self, file: str) -> list[KeptRun]:
        """Return the runs that a page holds; none past the most that are read. Raises ReadError."""
        if file not in self._runs and len(self._runs) < _MOST_PAGES_READ:
            data = self._known.get(file) or self._files.read(file)
            self._runs[file] = runs_in_page(data) if data else []
        return self._runs.get(file, [])


def _too_old(
    entries: Mapping[str, Entry], wanted: _Wanted, page: str, written_s: Mapping[str, float]
) -> list[Entry]:
    """Return the pages to remove: by when each was published, as a run of an old build may be published now.

    Those of the last minutes stay: whoever published them is being told of them.
    """
    if not wanted.keep:
        return []

    def published_s(entry: Entry) -> tuple[float, float, str]:
        made_s = epoch_s(entry.line.made) if entry.line else 0.0
        return written_s.get(entry.file) or made_s, made_s, entry.file

    others = sorted((entry for entry in newest_first(entries) if entry.file != page), key=published_s, reverse=True)
    since_s = published_s(entries[page])[0] - _SPARED_S if page in entries else -math.inf
    return [entry for entry in others[wanted.keep - 1 :] if published_s(entry)[0] < since_s]


def _write_latest(files: Files, wanted: _Wanted) -> None:
    first = files.read(_first_of(wanted.latest, wanted), HEAD_BYTES)
    if first and not is_page_head(first):
        raise DeliveryError("is not a report of this program", path=wanted.latest, hint="choose another --latest")
    _write_over(files, wanted.latest, wanted)


def _belonging_to(folders: Sequence[str], files: Files) -> Iterator[str]:
    """Yield what lies in folders of pages, and the folders packed."""
    inside, packed = tuple(f"{folder}/" for folder in folders), {f"{folder}.zip" for folder in folders}
    for found in files.find() or ():
        if found.file.startswith(inside) or found.file in packed:
            yield found.file


def _remove_old(files: Files, too_old: Sequence[Entry]) -> None:
    """Remove pages; one in a folder with all that is in it."""
    gone = [entry.file for entry in too_old]
    folders = [file.removesuffix(f"/{FIRST_PAGE}") for file in gone if file.endswith(f"/{FIRST_PAGE}")]
    gone += _belonging_to(folders, files) if folders else ()
    for file in dict.fromkeys(gone):
        files.remove(file)
