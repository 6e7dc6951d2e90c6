"""Finds the files that the user's arguments mean: files, folders, shell-style patterns, standard input."""

import glob
import os
import sys
from collections.abc import Iterator, Sequence
from functools import partial
from io import BytesIO
from pathlib import Path
from typing import BinaryIO

import msgspec

from plain_verdict.errors import UsageError
from plain_verdict.inputs.source import RESULT_SUFFIXES, Source, shown_path
from plain_verdict.model import Unread

STANDARD_INPUT = "-"


class Discovered(msgspec.Struct, frozen=True):
    """The inputs, in the order of their paths, and the arguments that led to none."""

    sources: tuple[Source, ...]
    unread: tuple[Unread, ...]


class _Found(msgspec.Struct):
    """A file that the arguments lead to."""

    explicit: bool
    given: dict[str, None]
    go: int


def discover(arguments: Sequence[str], retries: Sequence[Sequence[str]] = ()) -> Discovered:
    """Return the inputs that the arguments mean, each once. Patterns are expanded here, ``**`` as well.

    A file that stands among ``retries``, too, belongs to the last of them.
    """
    found: dict[str, _Found] = {}
    unread: list[Unread] = []
    for go, several in enumerate((arguments, *retries)):
        for argument in dict.fromkeys(several):
            if argument != STANDARD_INPUT:
                unread += _find(argument, go, found)
    piped = (_standard_input(),) if STANDARD_INPUT in arguments else ()
    return Discovered((*piped, *_sources(_once_each(found))), tuple(unread))


def _find(argument: str, go: int, found: dict[str, _Found]) -> Iterator[Unread]:
    """Add the files that an argument means to those found; yield what is wrong with it."""
    try:
        paths = list(_expand(argument))
    except (OSError, ValueError) as error:  # a name that is too long, or holds a NUL
        yield Unread(shown_path(argument), f"can't be looked for ({_reason(error)})", hint="check the path")
        return
    number = 0
    for path, explicit, trouble in paths:
        if trouble:
            yield trouble
            continue
        number += 1
        file = found.setdefault(path, _Found(explicit, {}, go))
        file.explicit, file.go = file.explicit or explicit, max(file.go, go)
        if not explicit:
            file.given[argument] = None
    if not number and not any(trouble for *_, trouble in paths):
        yield _nothing(argument)


def _reason(error: Exception) -> str:
    return (error.strerror or "") if isinstance(error, OSError) else "it can't be a path"


def _expand(argument: str) -> Iterator[tuple[str, bool, Unread | None]]:
    """Yield (path, whether it was named rather than found in a folder, what keeps it from being read)."""
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


def _walk(folder: str) -> Iterator[tuple[str, bool, Unread | None]]:
    troubles: list[Unread] = []

    def closed(error: OSError) -> None:
        path = shown_path(error.filename or folder)
        troubles.append(Unread(path, f"can't be opened ({error.strerror})", hint="check the folder's permissions"))

    root = os.path.realpath(folder)
    for parent, folders, names in os.walk(folder, onerror=closed):
        folders[:] = sorted(name for name in folders if not name.startswith("."))
        for name in folders:
            path = Path(parent, name)
            # A link inside is walked as what it leads to; one that leads out would bring in what nobody named.
            if path.is_symlink() and not Path(os.path.realpath(path)).is_relative_to(root):
                what = "is a link to another folder, which is not followed"
                yield (
                    str(path),
                    False,
                    Unread(shown_path(path), what, hint="give that folder as well"),
                )
        for name in names:
            path = Path(parent, name)
            # Pipes and devices would block or never end.
            if name.startswith("."):
                continue
            if path.is_file():
                yield str(path), False, None
            elif path.is_symlink() and name.lower().endswith(RESULT_SUFFIXES):
                what = "is a link that points to nothing"
                yield str(path), False, Unread(shown_path(path), what, hint="remove it, or mend it")
    for trouble in troubles:
        yield trouble.path, False, trouble


def _once_each(found: dict[str, _Found]) -> Iterator[tuple[str, _Found]]:
    """Yield each file once, however often and in whatever spelling it was named."""
    first: dict[str, _Found] = {}
    for path in sorted(found):
        real = os.path.realpath(path)
        if real in first:
            # What is said of one spelling is said of the file.
            first[real].go = max(first[real].go, found[path].go)
            first[real].given |= found[path].given
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
        return Unread(shown, "points to nothing", hint="it is a link; check what it should lead to")
    return Unread(shown, "does not exist", hint="check the path, and the folder the command runs in")


def _sources(paths: Iterator[tuple[str, _Found]]) -> list[Source]:
    found = list(paths)
    here = _working_folder()
    outside = [os.path.abspath(path) for path, _ in found if not _is_below(path, here)]  # noqa: PTH100  keeps links
    # Two folders up from the files: the page then names their folder, and nothing of the machine above it.
    base = Path(os.path.commonpath([str(Path(path).parent) for path in outside])).parent if outside else Path()
    sources = []
    for path, told in found:
        file = Path(os.path.abspath(path))  # noqa: PTH100
        shown = file.relative_to(here if here and _is_below(path, here) else base)
        regular = file.is_file()
        sources.append(
            Source(
                shown_path(shown.as_posix()),
                partial(_open if regular else _refuse, path),
                file.stat().st_size if regular else 0,
                told.explicit,
                str(file),
                tuple(told.given),
                told.go,
            )
        )
    return sorted(sources, key=lambda source: source.path)


def _working_folder() -> Path | None:
    """Return the folder that paths are shown from; None for the root, from which they would name the machine."""
    here = Path.cwd()
    return here if here.parent != here else None


def _is_below(path: str, folder: Path | None) -> bool:
    """Return whether the file stands in the folder or below it."""
    return folder is not None and Path(os.path.abspath(path)).is_relative_to(folder)  # noqa: PTH100


def _open(path: str) -> BinaryIO:
    return Path(path).open("rb")


def _refuse(path: str) -> BinaryIO:
    raise OSError(None, "it is no regular file" if os.path.lexists(path) else "it is gone", path)


def _standard_input() -> Source:
    if sys.stdin is None:
        raise UsageError("standard input is closed", hint="pipe results into it, or name files")
    data = sys.stdin.buffer.read()
    return Source("standard input", partial(BytesIO, data), len(data))
