"""Finds the files that the user's arguments mean: files, folders, shell-style patterns, standard input."""

import glob
import os
import sys
from collections.abc import Iterator, Mapping, Sequence
from functools import partial
from io import BytesIO
from pathlib import Path
from typing import BinaryIO

import msgspec

from plain_verdict.inputs.source import RESULT_SUFFIXES, STANDARD_INPUT_NAME, Source, shown_path
from plain_verdict.model import Kind, Unread
from plain_verdict.runtime.errors import UsageError

STANDARD_INPUT = "-"


class Discovered(msgspec.Struct, frozen=True):
    """The inputs, in the order of their paths, and the arguments that led to none."""

    sources: tuple[Source, ...]
    unread: tuple[Unread, ...]


_Path = tuple[str, bool, Unread | None]
"""A path, whether it was named rather than found in a folder, and what keeps it from being read."""
_TOOL_FOLDERS = frozenset(
    (".git", ".hg", ".svn", ".venv", ".tox", ".nox", ".cache", ".gradle", ".m2", ".npm", ".yarn")
)
"""Hidden folders in which tools keep what is theirs; nobody looks for results there."""


class _Found(msgspec.Struct):
    """A file that the arguments lead to."""

    explicit: bool
    given: dict[str, None]
    go: int
    kind: Kind | None = None


Kinds = Mapping[Kind, Sequence[str]]
"""Files, folders and patterns by the kind of run that they come from."""


def discover(
    arguments: Sequence[str],
    retries: Sequence[Sequence[str]] = (),
    kinds: Kinds | None = None,
    shown: Mapping[str, str] | None = None,
) -> Discovered:
    """Return the inputs that the arguments mean, each once. Patterns are expanded here, ``**`` as well.

    A file that stands among ``retries``, too, belongs to the last of them. ``kinds`` say what files are that no
    argument calls ``api=`` or so. ``shown`` are folders whose files were fetched, and how those are named.
    """
    found: dict[str, _Found] = {}
    unread: list[Unread] = []
    piped: list[Source] = []
    for go, go_arguments in enumerate((arguments, *retries)):
        for argument in dict.fromkeys(go_arguments):
            kind, path = split_kind(argument)
            if path != STANDARD_INPUT:
                unread += _find(path, kind, go, found)
            elif not go:
                piped.append(_standard_input(kind))
    _set_kinds(found, kinds or {})
    return Discovered((*piped, *_sources(_once_each(found), shown or {})), tuple(unread))


def split_kind(argument: str) -> tuple[Kind | None, str]:
    """Return the kind that stands before an argument, as in ``api=fares/*.xml``, and the rest."""
    word, sign, rest = argument.partition("=")
    is_kind = sign and word in tuple(Kind) and rest and not os.path.lexists(argument)
    return (Kind(word), rest) if is_kind else (None, argument)


def _set_kinds(found: dict[str, _Found], kinds: Kinds) -> None:
    """Give the files their kinds that the settings name, where the arguments say none."""
    meant = {
        os.path.realpath(path): kind
        for kind, patterns in kinds.items()
        for pattern in patterns
        for path, _, trouble in _expand(pattern)
        if not trouble
    }
    for path, file in found.items() if meant else ():
        file.kind = file.kind or meant.get(os.path.realpath(path))


def _find(argument: str, kind: Kind | None, go: int, found: dict[str, _Found]) -> Iterator[Unread]:
    """Add the files that an argument means to those found; yield what is wrong with it."""
    try:
        paths = list(_expand(argument))
    except (OSError, ValueError) as error:  # a name that is too long, or holds a NUL
        yield Unread(shown_path(argument), f"can't be searched for ({_reason(error)})", hint="check the path")
        return
    for path, explicit, trouble in paths:
        if trouble:
            yield trouble
            continue
        file = found.setdefault(path, _Found(explicit, {}, go))
        file.explicit, file.go = file.explicit or explicit, max(file.go, go)
        if kind and file.kind and kind is not file.kind:
            what = f"is given as {file.kind.value} and as {kind.value}"
            raise UsageError(what, path=shown_path(path), hint="name it under one kind")
        file.kind = file.kind or kind
        if not explicit:
            file.given[argument] = None
    if not paths:
        yield _nothing(argument)


def _reason(error: Exception) -> str:
    return (error.strerror or "") if isinstance(error, OSError) else "it can't be a path"


def _expand(argument: str) -> Iterator[_Path]:
    """Yield what an argument means."""
    if os.path.lexists(argument):
        matches = [argument]
    elif glob.has_magic(argument):
        matches = glob.glob(argument, recursive=True)
    else:
        matches = []
    for match in matches:
        if Path(match).is_dir():
            # A pattern like results/** also matches folders: their files are matches of their own.
            if match == argument or not argument.endswith("**"):
                yield from _walk(match)
        else:
            yield match, True, None


def _walk(folder: str) -> Iterator[_Path]:
    """Yield what stands in a folder and below it, as ``_expand`` does; what is hidden as well."""
    closed: list[OSError] = []
    root = os.path.realpath(folder)
    for parent, folders, names in os.walk(folder, onerror=closed.append):
        folders[:] = sorted(name for name in folders if name not in _TOOL_FOLDERS)
        yield from (_refused_link(Path(parent, name)) for name in folders if _leads_out(Path(parent, name), root))
        for name in names:
            yield from _file(Path(parent, name))
    for error in closed:
        shown = shown_path(error.filename or folder)
        what = f"can't be opened ({error.strerror})"
        yield shown, False, Unread(shown, what, hint="check the folder's permissions")


def _leads_out(path: Path, root: str) -> bool:
    """Return whether a folder is a link that leads out of the root: it would bring in what nobody named."""
    return path.is_symlink() and not Path(os.path.realpath(path)).is_relative_to(root)


def _refused_link(path: Path) -> _Path:
    what = "is a link to another folder, which is not followed"
    return str(path), False, Unread(shown_path(path), what, hint="give that folder, too")


def _file(path: Path) -> Iterator[_Path]:
    """Yield a file; pipes and devices are passed over, as they would block or never end."""
    if path.is_file():
        yield str(path), False, None
    elif path.is_symlink() and path.name.lower().endswith(RESULT_SUFFIXES):
        what = "is a link that points to nothing"
        yield str(path), False, Unread(shown_path(path), what, hint="remove or correct it")


def _once_each(found: dict[str, _Found]) -> Iterator[tuple[str, _Found]]:
    """Yield each file once, however often and in whatever spelling it was named."""
    first: dict[str, _Found] = {}
    for path in sorted(found):
        real = os.path.realpath(path)
        if real in first:
            # What is reported of one spelling is reported of the file.
            first[real].go = max(first[real].go, found[path].go)
            first[real].given |= found[path].given
            first[real].kind = first[real].kind or found[path].kind
        else:
            first[real] = found[path]
    seen: set[str] = set()
    for path in sorted(found):
        real = os.path.realpath(path)
        if real not in seen:
            seen.add(real)
            yield path, first[real]


def _nothing(argument: str) -> Unread:
    shown = shown_path(argument)
    if Path(argument).is_dir():
        return Unread(shown, "is a folder without any file", hint="check that the run wrote its results there")
    if glob.has_magic(argument):
        return Unread(shown, "matches no file", hint="check the pattern, and the folder the command runs in")
    if os.path.lexists(argument):
        return Unread(shown, "points to nothing", hint="it is a link; check its target")
    kind = argument.partition("=")[0]
    if kind != argument and kind.isalpha():
        return Unread(shown, "does not exist", hint=f"check the path; kinds are {', '.join(Kind)}")
    return Unread(shown, "does not exist", hint="check the path, and the folder the command runs in")


def _sources(paths: Iterator[tuple[str, _Found]], fetched: Mapping[str, str]) -> list[Source]:
    found = list(paths)
    remote = {path: name for path, _ in found if (name := _name_of_remote(path, fetched))} if fetched else {}
    names = remote | _names_of_local([path for path, _ in found if path not in remote])
    sources = [_source(path, origin, names[path], is_copy=path in remote) for path, origin in found]
    return sorted(sources, key=lambda source: source.path)


def _names_of_local(paths: Sequence[str]) -> dict[str, str]:
    """Return what files of this machine are called: below the working folder, or else below what they share."""
    working_folder = _working_folder()
    files = {path: Path(os.path.abspath(path)) for path in paths}  # noqa: PTH100  keeps links
    inside = {path for path in paths if working_folder and _is_below(path, working_folder)}
    outside = [str(file.parent) for path, file in files.items() if path not in inside]
    # Two folders up from the files: the page then names their folder, and nothing of the machine above it.
    base = _shared_folder(outside)
    bases = {path: working_folder if path in inside else base for path in files}
    return {path: _below(file, bases[path]).as_posix() for path, file in files.items()}


def _shared_folder(folders: Sequence[str]) -> Path | None:
    """Return the folder above all folders, and above the one they share; None on several drives of Windows."""
    try:
        return Path(os.path.commonpath(folders)).parent if folders else Path()
    except ValueError:
        return None


def _below(file: Path, base: Path | None) -> Path:
    return Path(*file.parts[-2:]) if base is None else file.relative_to(base)


def _source(path: str, origin: _Found, name: str, *, is_copy: bool) -> Source:
    file = Path(os.path.abspath(path))  # noqa: PTH100  keeps links
    regular = file.is_file()  # to open a pipe or a device could wait for ever
    status = file.stat() if regular else None
    return Source(
        shown_path(name),
        partial(_open if regular else _refuse, path),
        status.st_size if status else 0,
        origin.explicit,
        str(file),
        tuple(origin.given),
        origin.go,
        origin.kind,
        status.st_mtime if status and not is_copy else None,
        "" if origin.explicit or not _is_hidden(path, origin.given) else "is a hidden file",
    )


def _is_hidden(path: str, given: Mapping[str, None]) -> bool:
    """Return whether a file, or a folder below those that were named, has a name that begins with a dot."""
    parts = Path(path).parts
    below = min((len(Path(folder).parts) for folder in given if not glob.has_magic(folder)), default=len(parts) - 1)
    return any(part.startswith(".") and part not in (".", "..") for part in parts[below:])


def _name_of_remote(path: str, fetched: Mapping[str, str]) -> str:
    """Return how a file is called where it was fetched from; "" for one of this machine."""
    return next(
        (
            f"{shown}{Path(path).relative_to(folder).as_posix()}"
            for folder, shown in fetched.items()
            if _is_below(path, Path(folder))
        ),
        "",
    )


def _working_folder() -> Path | None:
    """Return the folder that paths are shown from; None for the root, from which they would name the machine."""
    path = Path.cwd()
    return path if path.parent != path else None


def _is_below(path: str, folder: Path | None) -> bool:
    """Return whether the file stands in the folder or below it."""
    return folder is not None and Path(os.path.abspath(path)).is_relative_to(folder)  # noqa: PTH100  keeps links


def _open(path: str) -> BinaryIO:
    return Path(path).open("rb")


def _refuse(path: str) -> BinaryIO:
    raise OSError(None, "it is not a regular file" if os.path.lexists(path) else "it is gone", path)


def _standard_input(kind: Kind | None) -> Source:
    if sys.stdin is None:
        raise UsageError("standard input is closed", hint="pipe results into the command, or name files")
    data = sys.stdin.buffer.read()
    return Source(STANDARD_INPUT_NAME, partial(BytesIO, data), len(data), kind=kind)
