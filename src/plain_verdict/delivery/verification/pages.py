"""Opens pages to verify them: in one file, in a folder, or packed as a zip file."""

import io
import re
import zipfile
import zlib
from collections.abc import Iterator
from hashlib import sha256
from pathlib import Path, PurePosixPath

import msgspec

from plain_verdict.history.digest import unpack
from plain_verdict.history.pages import element_of, runs_in_page
from plain_verdict.model import KeptRun
from plain_verdict.model.judged_content import JUDGED_SCHEMA, JudgedContent
from plain_verdict.model.marks import CHECKSUM, FIRST_PAGE, JUDGED, PAGE_MARK, SUMS_FILE
from plain_verdict.runtime.errors import ReadError

REPORT_BYTES = 1_000_000_000
"""Of a report at most: it is read into memory."""
FORMS_HINT = "name the HTML page, its folder or zip file, the PDF report, the mail, or the JSON summary"
_MARK_WITHIN_BYTES = 4_000
_END = re.compile(
    b'<script type="text/plain" id="%b">sha256 ([0-9a-f]{64})</script>\n</body>\n</html>\n\\Z' % CHECKSUM.encode()
)
_END_BYTES = 300
_SUM = re.compile(r"([0-9a-f]{64})  (.+)")
_NAMED_FILES = 10
_YEARS = (1970, 9000)  # zones and ages can be added and taken away from these


class Opened(msgspec.Struct, frozen=True):
    """A report. ``hash_named`` is the SHA-256 by which an attestation names it.

    ``damage`` says how it is not as it was written; nothing where it is whole. ``covers`` says what was looked at.
    ``page`` are the bytes of its first page, which tells the outcome of each check; nothing where there is none.
    """

    form: str
    hash_named: str
    covers: str
    content: JudgedContent | None
    damage: tuple[str, ...] = ()
    page: bytes = b""

    def find_run(self) -> KeptRun | None:
        """Return the outcome of each check; None where the report does not tell them one by one."""
        try:
            return runs_in_page(self.page)[-1] if self.page else None
        except ReadError:  # it is damaged, which is told already
            return None


def is_page_data(data: bytes) -> bool:
    """Return whether bytes are those of a page of this program, and not of a mail that has one in it."""
    return data.lstrip().startswith(b"<!doctype html>") and PAGE_MARK.encode() in data[:_MARK_WITHIN_BYTES]


def open_page(data: bytes) -> Opened:
    """Return the page in one file. Raises ReadError for one of a version that wrote no checksum."""
    damage = _damage_of(data)
    if not damage and f'id="{JUDGED}"'.encode() not in data:
        raise ReadError("is one page of a report in a folder", hint="name the folder")
    content = None
    try:
        content = decode_judged(unpack(element_of(data, JUDGED)))
    except ReadError as error:
        damage.append(f"What it says of itself can't be read: it {error.what}.")
    return Opened("page", sha256(data).hexdigest(), "all its bytes", content, tuple(damage), data)


def _damage_of(data: bytes) -> list[str]:
    if _is_whole(data):
        return []
    # Git and old mail programs do so.
    if b"\r\n" in data and _is_whole(data.replace(b"\r\n", b"\n")):
        return ["Its line ends were changed, and nothing else: something moved it as text."]
    if _END.search(data, max(0, len(data) - _END_BYTES)):
        return ["It was changed after it was written: its bytes do not give its checksum."]
    if f'id="{CHECKSUM}"'.encode() in data or f'id="{JUDGED}"'.encode() in data:
        return ["Its end is not as it was written: it is truncated, or something was added."]
    what = "is truncated, or was made by a version that wrote no checksum"
    raise ReadError(what, hint="make it again, or get it again from where it was written")


def _is_whole(data: bytes) -> bool:
    end = _END.search(data, max(0, len(data) - _END_BYTES))
    return end is not None and sha256(memoryview(data)[: end.start()]).hexdigest().encode() == end[1]


class _Named(msgspec.Struct):
    schema: str = ""


def decode_judged(data: bytes | msgspec.Raw) -> JudgedContent:
    """Return what a report says was judged, if it can be judged again. Raises ReadError."""
    try:
        schema = msgspec.json.decode(data, type=_Named).schema
        if schema != JUDGED_SCHEMA:
            raise ReadError(f"is of another version of the program ({schema[:60]!r})")
        content = msgspec.json.decode(data, type=JudgedContent)
    except msgspec.MsgspecError as error:
        raise ReadError(f"has data on what was judged that can't be read ({error})") from error
    if content.made.tzinfo is None or not _YEARS[0] <= content.made.year <= _YEARS[1]:
        raise ReadError(f"was made at no moment of a calendar ({content.made})")
    return content


def open_folder(folder: Path) -> Opened:
    """Return the page in a folder. Raises ReadError and OSError."""
    if not (folder / FIRST_PAGE).is_file():
        raise ReadError(f"has no {FIRST_PAGE} of a report", hint=FORMS_HINT)
    files = [file for file in sorted(folder.rglob("*")) if file.is_file()]
    if sum(file.stat().st_size for file in files) > REPORT_BYTES:
        raise ReadError("is too large for a report", hint=FORMS_HINT)
    return _of_files("folder", {file.relative_to(folder).as_posix(): file.read_bytes() for file in files})


def open_packed(files: dict[str, bytes]) -> Opened:
    """Return the page in a folder that was packed, by the names of its files in the archive. Raises ReadError."""
    pages = [name for name in files if PurePosixPath(name).name == FIRST_PAGE]
    if len(pages) != 1:
        raise ReadError(f"has no {FIRST_PAGE} of a report", hint=FORMS_HINT)
    folder = pages[0].removesuffix(FIRST_PAGE)
    return _of_files("zip file", {name.removeprefix(folder): content for name, content in files.items()})


def unzipped(data: bytes) -> dict[str, bytes]:
    """Return the files in a zip file by their names. Raises ReadError."""
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as packed:
            entries = [entry for entry in packed.infolist() if not entry.is_dir()]
            if sum(entry.file_size for entry in entries) > REPORT_BYTES:
                raise ReadError("unpacks to too much for a report", hint=FORMS_HINT)
            if len({entry.filename for entry in entries}) < len(entries):
                # Programs differ in which of them they show.
                raise ReadError("has several files of one name", hint="get it again")
            return {entry.filename: packed.read(entry) for entry in entries}
    except (zipfile.BadZipFile, zlib.error, EOFError, NotImplementedError, RuntimeError) as error:
        raise ReadError(f"is a damaged zip file ({error})", hint="get it again") from error


def _of_files(form: str, files: dict[str, bytes]) -> Opened:
    """Return the report in several files, by their names below its folder."""
    page, sums = files[FIRST_PAGE], files.pop(SUMS_FILE, None)
    if not is_page_data(page):
        raise ReadError(f"has no {FIRST_PAGE} of a report", hint=FORMS_HINT)
    opened = open_page(page)
    if sums is None:
        missing = f"{SUMS_FILE} is missing, the list of what belongs to it."
        return Opened(form, opened.hash_named, "its first page only", opened.content, (*opened.damage, missing))
    lines = sums.decode("utf-8", "replace").splitlines()
    listed = {found[2]: found[1] for line in lines if (found := _SUM.fullmatch(line))}
    damage = list(_damage_of_files(files, listed))
    if "".join(f"{listed[name]}  {name}\n" for name in sorted(listed)).encode() != sums:
        damage.append(f"Changed: {SUMS_FILE}, the list of what belongs to it.")
    covers = f"all bytes of its {len(listed):,} files"
    named = sha256(sums).hexdigest()
    return Opened(form, named, covers, opened.content, (*opened.damage, *damage), page)


def _damage_of_files(files: dict[str, bytes], listed: dict[str, str]) -> Iterator[str]:
    hashes = {name: sha256(content).hexdigest() for name, content in files.items()}
    by_state = {
        "missing": sorted(listed.keys() - hashes),
        "changed": sorted(name for name in listed.keys() & hashes if listed[name] != hashes[name]),
        "not part of the report": sorted(hashes.keys() - listed),
    }
    return (_named(names, state) for state, names in by_state.items() if names)


def _named(names: list[str], state: str) -> str:
    more = f" and {len(names) - _NAMED_FILES:,} more" if len(names) > _NAMED_FILES else ""
    return f"{state.capitalize()}: {', '.join(names[:_NAMED_FILES])}{more}."
