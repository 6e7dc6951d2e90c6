"""Brings results from places elsewhere into a folder of this machine, for as long as they are read."""

import re
import tempfile
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path, PurePosixPath
from urllib.parse import unquote

import msgspec

from plain_verdict.inputs.discovery import split_kind
from plain_verdict.inputs.progress import OnStep, no_progress
from plain_verdict.inputs.source import shown_path
from plain_verdict.model import Unread
from plain_verdict.remote.interface import Files
from plain_verdict.remote.opening import is_remote, open_destination
from plain_verdict.remote.patiently import PatienceOver, do_patiently
from plain_verdict.runtime.errors import DeliveryError, UsageError
from plain_verdict.runtime.patience import Patience
from plain_verdict.text.formatting import format_duration

_MAGIC = re.compile(r"[*?\[]")
_OF_THIS_MACHINE = "file://"
_FILE_PATIENCE_S = 600.0  # for each file
_MOST_FETCHED = 20_000  # a pattern that fits more is wrong
_ACCESS_HINT = "check the address and your credentials"


class Fetched(msgspec.Struct):
    """Arguments that are all paths of this machine; ``shown`` is how paths below a folder are named instead."""

    arguments: list[list[str]]
    shown: dict[str, str] = {}
    unread: list[Unread] = []
    on_step: OnStep = no_progress


@contextmanager
def fetched(groups: Sequence[Sequence[str]], on_step: OnStep) -> Iterator[Fetched]:
    """Give the arguments with what is elsewhere fetched; it is removed at the end. Raises UsageError."""
    if not any(is_remote(split_kind(argument)[1]) for arguments in groups for argument in arguments):
        yield Fetched([list(arguments) for arguments in groups])
        return
    with tempfile.TemporaryDirectory(prefix="plain-verdict-") as name:
        result = Fetched([], {}, [], on_step)
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
    patience = Patience(_FILE_PATIENCE_S)
    try:
        return do_patiently(
            destination, lambda files: _copy(files, wanted, folder, patience.renew), patience, result.on_step
        )
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


def _listed(files: Files, wanted: str) -> list[str]:
    """Return the names of the files that fit a pattern. Raises DeliveryError."""
    found = files.find()
    if found is None:
        if wanted == "**":
            return []
        hint = "name each file; only WebDAV servers list what they have"
        raise DeliveryError("can't be listed", hint=hint)
    fits = _pattern_of(wanted)
    names = [file_found.file for file_found in found if file_found.file and fits.fullmatch(file_found.file)]
    if len(names) > _MOST_FETCHED:
        raise DeliveryError(f"has more than {_MOST_FETCHED:,} files there", hint="name fewer")
    return names


def _copy(files: Files, wanted: str, folder: Path, on_file: Callable[[], object]) -> list[str]:
    """Copy the files that are wanted into a folder and return their names; tell of each."""
    folder.mkdir(parents=True, exist_ok=True)
    listed = bool(_MAGIC.search(wanted))
    names = _listed(files, wanted) if listed else [wanted]
    copied = []
    for name in names:
        if ".." in PurePosixPath(name).parts or PurePosixPath(name).is_absolute():
            raise DeliveryError(
                "has a name that leads out of its folder", path=name, hint="name the files you want"
            )
        data = files.read(name)
        on_file()
        if data is None:
            if listed:
                raise DeliveryError(
                    "lists a file that is gone", path=name, hint="try again, when nobody writes there"
                )
            continue
        path = folder / name
        path.parent.mkdir(parents=True, exist_ok=True)
        path.write_bytes(data)
        copied.append(name)
    return copied


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
