"""Earlier runs in the files that reports leave: pages, summaries, digests; and the pages beside a new one."""

import contextlib
import heapq
import mmap
import zlib
from array import array
from base64 import b64decode
from collections.abc import Iterable, Iterator
from hashlib import blake2b
from pathlib import Path
from urllib.parse import quote, unquote

import msgspec

from plain_verdict.history.digest import LETTERS, Digest, decode_digest, runs_of, unpack, unzip
from plain_verdict.history.interface import NAME_CHARS
from plain_verdict.history.summaries import is_summary, run_of_summary
from plain_verdict.model import Build, CheckIndex, KeptRun, Outcome, Past, kept_run
from plain_verdict.model.marks import DIGEST, FIRST_PAGE, PAGE_MARK, RUN_MARK
from plain_verdict.runtime.errors import ReadError
from plain_verdict.runtime.guard import guarded

_PAGE_HEAD_BYTES = 4000
_MARK_WORDS = (3, 4, 5)  # words of a page's mark: without a build's key, and without a title, in older versions
_MOST_BESIDE = 300
"""Pages in the folder of a new one that are looked at, the newest first."""
_MOST_NAMED_PAGES = 5_000  # on a command line
_MOST_READ_BYTES = 1_000_000_000  # of all pages together: they are read into memory
_READ_SUFFIXES = (".html", ".htm", ".json", ".json.gz")
_GZIP_MARK = b"\x1f\x8b"
_SCHEMA_BYTES = 200  # the schema is the first key
_SCHEMAS = (b'"plain-verdict/digest/', b'"plain-verdict/summary/')
_LETTERS = [LETTERS[outcome] for outcome in Outcome]
"""As the columns number outcomes: by their place in the model's own order."""


def series_mark(series: str) -> str:
    """Return a series as a page's head names it, without its words."""
    return blake2b(series.encode("utf-8", "surrogatepass"), digest_size=6).hexdigest()


def run_mark(build: Build) -> str:
    """Return run, series, moment, title and build, as a page's head names them and ``pages_beside`` reads them."""
    run = f"{build.id} {series_mark(build.series)} {build.moment.timestamp():.3f}"
    return f"{run} {series_mark(build.title)} {quote(build.build, safe='')}".rstrip()


def read_earlier(arguments: Iterable[str]) -> tuple[list[KeptRun], list[str], list[str]]:
    """Return the runs that pages, digests, summaries and folders hold; what can't be read; and empty folders."""
    runs: list[KeptRun] = []
    trouble: list[str] = []
    notes: list[str] = []
    for argument in arguments:
        path = Path(argument)
        try:
            files = list(_files_of(path))
        except OSError as error:
            trouble.append(
                f"{argument} can't be read ({error.strerror or error}), so it is not used as an earlier run."
            )
            continue
        for file, named in files:
            try:
                with guarded(str(file)):
                    runs += read_kept(file)
            except ReadError as error:
                if named or is_page(file):
                    trouble.append(f"{file} {error.what}, so it is not used as an earlier run; {error.hint}.")
        if not files:
            notes.append(f"{argument} contains no report of this program, so it is not used as an earlier run.")
    return newest_kept(runs), trouble, notes


def _files_of(path: Path) -> Iterator[tuple[Path, bool]]:
    """Yield the files that an argument means, and whether it names them. Raises OSError."""
    if not path.is_dir():
        yield path, True
    elif is_page(path / FIRST_PAGE):
        yield path / FIRST_PAGE, True
    else:
        found = [inside for inside in path.iterdir() if inside.name.endswith(_READ_SUFFIXES) or inside.is_dir()]
        for inside in sorted(heapq.nlargest(_MOST_NAMED_PAGES, found, _changed)):
            if not inside.is_dir():
                yield inside, False
            elif is_page(inside / FIRST_PAGE):
                yield inside / FIRST_PAGE, False


def _changed(path: Path) -> tuple[float, str]:
    """Return when a file was changed, and its name, by which builds are mostly counted."""
    try:
        return path.stat().st_mtime, path.name
    except OSError:
        return 0.0, path.name


def newest_kept(runs: Iterable[KeptRun]) -> list[KeptRun]:
    """Return each run once, the one that was kept exactly rather than a rounded one, in the order of time."""
    by_id: dict[str, KeptRun] = {}
    for run in runs:
        known = by_id.get(run.build.id)
        if known is None or (known.coarse and not run.coarse):
            by_id[run.build.id] = run
    return sorted(by_id.values(), key=lambda run: (run.build.moment, run.build.id))


def is_page(file: Path) -> bool:
    """Return whether a file is a page that this tool made."""
    return meta_of(file, PAGE_MARK) is not None


def meta_of(file: Path, name: str) -> str | None:
    """Return what a meta element in a page's head says; None where there is none, or no file."""
    try:
        with file.open("rb") as opened:
            head = opened.read(_PAGE_HEAD_BYTES)
    except OSError:
        return None
    _, found, rest = head.partition(f'<meta name="{name}" content="'.encode())
    return rest.partition(b'"')[0].decode("ascii", "replace") if found else None


class PageBeside(msgspec.Struct, frozen=True):
    """A page in the folder of a new one: which run it is of, in which series, its place in time.

    ``title`` is a mark, as that of the series; ``build`` is the key of the build. Pages of older versions say
    neither.
    """

    file: Path
    run: str
    series: str
    moment: float
    title: str = ""
    build: str = ""


def pages_beside(folder: Path) -> list[PageBeside]:
    """Return the pages in a folder that say which run they are of, the newest run first."""
    found = []
    for file in _newest_pages(folder):
        marks = (meta_of(file, RUN_MARK) or "").split()
        if len(marks) in _MARK_WORDS:
            run, series, moment, *rest = marks
            with contextlib.suppress(ValueError):
                found.append(PageBeside(file, run, series, float(moment), *map(unquote, rest)))
    return sorted(found, key=lambda page: (-page.moment, page.file.name))


def _newest_pages(folder: Path) -> list[Path]:
    """Return the files that may be pages in a folder, those changed last first."""
    found = []
    with contextlib.suppress(OSError):
        for path in folder.iterdir():
            file = path / FIRST_PAGE if path.suffix != ".html" and path.is_dir() else path
            if file.suffix == ".html" and file.name[:1] != ".":
                with contextlib.suppress(OSError):
                    found.append((file.stat().st_mtime, str(file), file))
    return [file for _, _, file in heapq.nlargest(_MOST_BESIDE, found)]


def holds_runs(file: Path) -> bool:
    """Return whether a file is a page, a digest or a summary, and no result file."""
    try:
        with file.open("rb") as opened:
            head = opened.read(_PAGE_HEAD_BYTES)
    except OSError:
        return False
    if head[:2] == _GZIP_MARK:
        with contextlib.suppress(zlib.error):
            head = zlib.decompressobj(wbits=31).decompress(head, _SCHEMA_BYTES)
    return PAGE_MARK.encode() in head or any(schema in head[:_SCHEMA_BYTES] for schema in _SCHEMAS)


def read_kept(file: Path) -> list[KeptRun]:
    """Return the runs that one file holds, the oldest first. Raises ReadError, which names the file."""
    try:
        return _read_kept(file)
    except ReadError as error:
        raise ReadError(error.what, path=str(file), hint=error.hint) from error


def _read_kept(file: Path) -> list[KeptRun]:
    try:
        if file.stat().st_size > _MOST_READ_BYTES:
            raise ReadError("is too large for a report", hint="name another")
        with file.open("rb") as opened:
            head = opened.read(_PAGE_HEAD_BYTES)
            if PAGE_MARK.encode() in head:
                return _runs_of_page(file)
            data = head + opened.read()
    except OSError as error:
        raise ReadError(
            f"can't be read ({error.strerror or error})", hint="name a report of this program"
        ) from error
    data = unzip(data) if data[:2] == _GZIP_MARK else data
    if data[:1] != b"{":
        raise ReadError(
            "is not a report, summary or digest of this program", hint="name one that this program wrote"
        )
    if is_summary(data):
        return [run_of_summary(data)]
    return runs_of(decode_digest(data))


def _runs_of_page(file: Path) -> list[KeptRun]:
    with file.open("rb") as opened, mmap.mmap(opened.fileno(), 0, access=mmap.ACCESS_READ) as page:
        return runs_in_page(page)


def runs_in_page(page: bytes | mmap.mmap) -> list[KeptRun]:
    """Return the runs that a page holds, the oldest first. Raises ReadError."""
    digest = decode_digest(unpack(element_of(page, DIGEST)))
    if digest.checks is not None:
        return runs_of(digest)
    return runs_of(digest, _index_texts(digest, unpack(element_of(page, "columns")), element_of(page, "ids")))


def element_of(page: bytes | mmap.mmap, id_: str) -> bytes:
    """Return the content of one of the page's data elements; text of results is escaped, and never looks so."""
    opening = f'<script type="text/plain" id="{id_}">'.encode()
    start = page.rfind(opening)
    end = page.find(b"</script>", start)
    if start < 0:
        raise ReadError(f"is a page without a {id_}: of an older version, or truncated", hint="make it again")
    if end < 0:
        raise ReadError("is a page that is truncated", hint="make it again")
    return page[start + len(opening) : end]


class _Columns(msgspec.Struct):
    """What the columns of a folded page tell of its checks; see writers/html/folding.py."""

    suites: list[tuple[str, int]]
    outcome: str
    tail: dict[str, str]
    seconds: str
    name: str


def _index_texts(digest: Digest, data: bytes, packed_ids: bytes) -> KeptRun:
    """Return the run itself from the columns of its folded page."""
    try:
        columns = msgspec.json.decode(data, type=_Columns)
        raw = b64decode(packed_ids, validate=True).hex()
        number = len(columns.outcome)
        ids = [f"c-{raw[at : at + 12]}" for at in range(0, 12 * number, 12)]
        for index_text, tail in columns.tail.items():
            ids[int(index_text)] += tail
        names = columns.name.split("\n")
        seconds = list(map(float, columns.seconds.split("\n"))) if number else []
        paths = [path for path, count in columns.suites for _ in range(count)]
        retried = frozenset(digest.retried)
        rows = sorted(zip(ids, paths, names, columns.outcome, seconds, strict=True))
    except (ValueError, IndexError, msgspec.MsgspecError) as error:
        raise ReadError(f"is a page whose columns can't be read ({error})", hint="make it again") from error
    index = CheckIndex(
        tuple([row[0] for row in rows]), tuple([_whole_name(path, name) for _, path, name, *_ in rows])
    )
    letters = "".join(
        Past.PASSED_ON_RETRY if id_ in retried else _LETTERS[int(code)] for id_, _, _, code, _ in rows
    )
    times = array("I", [min(round(max(row[4], 0) * 1000), 2**32 - 1) for row in rows])
    return kept_run(digest.run, index, letters, times, detail=digest.detail)


def _whole_name(path: str, name: str) -> str:
    return f"{path} › {name}"[:NAME_CHARS] if path else name
