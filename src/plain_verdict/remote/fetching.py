"""Brings results from places elsewhere into a folder of this machine, for as long as they are read."""

import re
import tempfile
from collections.abc import Callable, Collection, Iterator, Sequence
from contextlib import contextmanager, suppress
from functools import partial
from io import BytesIO
from pathlib import Path, PurePosixPath
from urllib.parse import unquote

import msgspec

from plain_verdict.inputs.discovery import split_kind
from plain_verdict.inputs.progress import OnStep, no_progress
from plain_verdict.inputs.source import RESULT_SUFFIXES, Source, shown_path
from plain_verdict.model import Unread
from plain_verdict.remote.interface import Destination, Files, Found, Result
from plain_verdict.remote.opening import is_remote, open_destination
from plain_verdict.remote.patiently import PatienceOver, do_patiently
from plain_verdict.runtime.errors import DeliveryError, ReadError, UsageError
from plain_verdict.runtime.patience import Patience
from plain_verdict.text.formatting import format_duration

_MAGIC = re.compile(r"[*?\[]")
_OF_THIS_MACHINE = "file://"
_FILE_PATIENCE_S = 600.0  # for each file
_MOST_FETCHED = 20_000  # a pattern that fits more is wrong
_LEFT_SUFFIXES = (*(suffix for suffix in RESULT_SUFFIXES if suffix != ".har"), ".csv", ".load")
"""Of files that workers fetch: what may be evidence of a result as well, like recorded traffic, is needed here."""
_ACCESS_HINT = "check the address and your credentials"


class Left(msgspec.Struct, frozen=True):
    """A result file that is left where it is: called, it fetches the file, on any machine."""

    address: str
    name: str
    shown: str
    size_bytes: int

    def __call__(self) -> bytes:
        """Return its content. Raises ReadError."""
        destination = open_destination(self.address)
        try:
            destination.check()
            data = _within_patience(destination, lambda files, _: files.read(self.name), no_progress)
        except (DeliveryError, UsageError) as error:
            raise ReadError(error.what, path=self.shown, hint=error.hint or _ACCESS_HINT) from error
        if data is None:
            raise ReadError("is gone", path=self.shown, hint="try again, when nobody writes there")
        return data


class Fetched(msgspec.Struct):
    """Arguments that are all paths of this machine; ``shown`` is how paths below a folder are named instead.

    ``left`` are the files among them that are still to be fetched: there is nothing in these here. None: all are
    fetched at once.
    """

    arguments: list[list[str]]
    shown: dict[str, str] = {}
    unread: list[Unread] = []
    on_step: OnStep = no_progress
    left: dict[str, Left] | None = None

    def fetch_unread(self, read: Collection[str]) -> None:
        """Fetch what was left and held no results: it may be evidence. ``read`` are paths of results, as shown."""
        archives = tuple(path for path in read if any(f"{suffix}/" in path.lower() for suffix in RESULT_SUFFIXES))
        for path, left in (self.left or {}).items():
            if left.shown not in read and not any(inside.startswith(f"{left.shown}/") for inside in archives):
                with suppress(ReadError):  # whoever was to read it has told of it
                    Path(path).write_bytes(left())

    def source(self, source: Source) -> Source:
        """Return a source, to be fetched where that is still to be done."""
        left = (self.left or {}).get(source.file)
        if left is None:
            return source
        return msgspec.structs.replace(source, open=lambda: BytesIO(left()), size_bytes=left.size_bytes, fetch=left)


@contextmanager
def fetched(groups: Sequence[Sequence[str]], on_step: OnStep, *, leave: bool = False) -> Iterator[Fetched]:
    """Give the arguments with what is elsewhere fetched; it is removed at the end. Raises UsageError.

    ``leave``: result files are left to whoever reads them.
    """
    if not any(is_remote(split_kind(argument)[1]) for arguments in groups for argument in arguments):
        yield Fetched([list(arguments) for arguments in groups])
        return
    with tempfile.TemporaryDirectory(prefix="plain-verdict-") as name:
        result = Fetched([], {}, [], on_step, {} if leave else None)
        for arguments in groups:
            local_paths: list[str] = []
            for argument in arguments:
                kind, path = split_kind(argument)
                before = f"{kind.value}=" if kind else ""
                if path.startswith(_OF_THIS_MACHINE):
                    local_paths.append(before + unquote(path.removeprefix(_OF_THIS_MACHINE)))
                elif is_remote(path):
                    local_paths += [
                        before + found for found in _fetch(path, Path(name, str(len(result.shown))), result)
                    ]
                else:
                    local_paths.append(argument)
            result.arguments.append(local_paths)
        yield result


def _fetch(address: str, folder: Path, result: Fetched) -> list[str]:
    """Fetch what an address means and return it as arguments: of a pattern each file, else one, or a folder."""
    base, wanted = _split_address(address)
    try:
        if _MAGIC.search(wanted):
            return [str(folder / name) for name in _copied(base, wanted, folder, result)]
        if _copied(address, "**", folder, result):
            return [str(folder)]
        if _copied(base, wanted, folder, result):
            return [str(folder / wanted)]
        result.unread.append(Unread(shown_path(address), "does not exist", hint=_ACCESS_HINT))
    except DeliveryError as error:
        result.unread.append(Unread(shown_path(address), error.what, hint=error.hint or _ACCESS_HINT))
    return []


def _copied(base: str, wanted: str, folder: Path, result: Fetched) -> list[str]:
    """Copy what is wanted below an address and return the names; note how they are shown."""
    destination = open_destination(base)
    destination.check()
    result.shown[str(folder)] = destination.shown.rstrip("/") + "/"
    taken = partial(_copy, wanted=wanted, folder=folder, result=result, address=base)
    return _within_patience(destination, taken, result.on_step)


def _within_patience(
    destination: Destination, job: Callable[[Files, Callable[[], object]], Result], on_step: OnStep
) -> Result:
    """Do a job that tells of each file that it has; each may take its time. Raises DeliveryError."""
    patience = Patience(_FILE_PATIENCE_S)
    try:
        return do_patiently(destination, lambda files: job(files, patience.renew), patience, on_step)
    except PatienceOver as error:
        what = f"gave no whole file within {format_duration(_FILE_PATIENCE_S)}"
        raise DeliveryError(what, path=error.path, hint="check the address and the network") from error


def _split_address(address: str) -> tuple[str, str]:
    """Return the folder that an address names at least, and what is wanted below it."""
    head, sign, way = address.partition("#") if address.startswith("git+") else ("", "", address)
    if sign:
        branch, _, way = way.partition(":")
        head = f"{head}#{branch}:"
    parts = way.split("/")
    fixed = next((at for at, part in enumerate(parts) if _MAGIC.search(part)), len(parts) - 1)
    if not sign and fixed < 3:
        raise UsageError("names no folder", path=address, hint="write it like s3://bucket/folder/*.xml")
    return head + "/".join(parts[:fixed]), "/".join(parts[fixed:])


def _listed(files: Files, wanted: str) -> list[Found]:
    """Return the files that fit a pattern. Raises DeliveryError."""
    found = files.find()
    if found is None:
        if wanted == "**":
            return []
        hint = "name each file; only WebDAV servers list what they have"
        raise DeliveryError("can't be listed", hint=hint)
    fits = _pattern_of(wanted)
    fitting = [file_found for file_found in found if file_found.file and fits.fullmatch(file_found.file)]
    if len(fitting) > _MOST_FETCHED:
        raise DeliveryError(f"has more than {_MOST_FETCHED:,} files there", hint="name fewer")
    return fitting


def _copy(
    files: Files, on_file: Callable[[], object], *, wanted: str, folder: Path, result: Fetched, address: str
) -> list[str]:
    """Copy the files that are wanted into a folder and return their names; tell of each."""
    folder.mkdir(parents=True, exist_ok=True)
    listed = bool(_MAGIC.search(wanted))
    copied = []
    for found in _listed(files, wanted) if listed else [Found(wanted, "")]:
        name = found.file
        if ".." in PurePosixPath(name).parts or PurePosixPath(name).is_absolute():
            raise DeliveryError(
                "has a name that leads out of its folder", path=name, hint="name the files you want"
            )
        left = _left(found, folder, result, address)
        data = _data(files, name, is_listed=listed, is_left=left is not None)
        on_file()
        if data is None:
            continue
        path = folder / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(data)
        if left is not None and result.left is not None:
            result.left[str(path)] = left
        copied.append(name)
    return copied


def _left(found: Found, folder: Path, result: Fetched, address: str) -> Left | None:
    """Return a result file that is left to whoever reads it; None for one that is fetched now."""
    if result.left is None or not found.file.lower().endswith(_LEFT_SUFFIXES):
        return None
    shown = shown_path(f"{result.shown.get(str(folder), '')}{found.file}")
    return Left(address, found.file, shown, found.size_bytes)


def _data(files: Files, name: str, *, is_listed: bool, is_left: bool) -> bytes | None:
    """Return a file, of one that is left nothing but that it is there; None for none. Raises DeliveryError."""
    if is_left and is_listed:
        return b""
    data = files.read(name, 1 if is_left else None)
    if data is None and is_listed:
        raise DeliveryError("lists a file that is gone", path=name, hint="try again, when nobody writes there")
    return b"" if is_left and data else data


def _pattern_of(wanted: str) -> re.Pattern[str]:
    """Return the expression of a shell-style pattern."""
    pieces = re.split(r"(\*\*/|\*\*|\*|\?|\[!?[^\]/]+\])", wanted)
    meant = {"**/": "(?:[^/]+/)*", "**": ".*", "*": "[^/]*", "?": "[^/]"}

    def expression(piece: str) -> str:
        if piece.startswith("[") and piece.endswith("]"):
            inside = piece[1:-1].replace("\\", "\\\\")
            return f"[^{inside[1:]}]" if inside.startswith("!") else f"[{inside}]"
        return meant.get(piece) or re.escape(piece)

    return re.compile("".join(map(expression, pieces)), re.DOTALL)
