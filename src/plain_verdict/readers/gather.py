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

from plain_verdict.model import Unread
from plain_verdict.readers.interface import Source
from plain_verdict.text import one_line

STANDARD_INPUT = "-"
_PATH_CHARS = 400


class Gathered(msgspec.Struct, frozen=True):
    """The inputs, in the order of their paths, and the arguments that led to none."""

    sources: tuple[Source, ...]
    unread: tuple[Unread, ...]


def gather(arguments: Sequence[str]) -> Gathered:
    """Return the inputs that the arguments mean, each once. Patterns are expanded here, ``**`` as well."""
    found: dict[str, bool] = {}
    unread: list[Unread] = []
    piped = (_standard_input(),) if STANDARD_INPUT in arguments else ()
    for argument in dict.fromkeys(arguments):
        if argument == STANDARD_INPUT:
            continue
        paths = list(_expand(argument))
        for path, explicit in paths:
            found[path] = found.get(path, False) or explicit
        if not paths:
            unread.append(_nothing(argument))
    return Gathered((*piped, *_sources(_once_each(found))), tuple(unread))


def _expand(argument: str) -> Iterator[tuple[str, bool]]:
    """Yield (path, whether it was named rather than found in a folder)."""
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
                yield from ((path, False) for path in _walk(match))
        else:
            yield match, True


def _walk(folder: str) -> Iterator[str]:
    for parent, folders, names in os.walk(folder):
        folders[:] = [name for name in folders if not name.startswith(".")]
        for name in names:
            path = Path(parent, name)
            # Pipes and devices would block or never end.
            if not name.startswith(".") and path.is_file():
                yield str(path)


def _once_each(found: dict[str, bool]) -> Iterator[tuple[str, bool]]:
    """Yield each file once, however often and in whatever spelling it was named."""
    seen: set[str] = set()
    for path in sorted(found):
        real = os.path.realpath(path)
        if real not in seen:
            seen.add(real)
            yield path, found[path]


def _nothing(argument: str) -> Unread:
    shown = one_line(argument, _PATH_CHARS)
    if Path(argument).is_dir():
        return Unread(shown, "is a folder without any file", hint="check that the run wrote its results there")
    if glob.has_magic(argument):
        return Unread(shown, "matches no file", hint="check the pattern, and the folder the command runs in")
    return Unread(shown, "does not exist", hint="check the path, and the folder the command runs in")


def _sources(paths: Iterator[tuple[str, bool]]) -> list[Source]:
    found = list(paths)
    outside = [os.path.abspath(path) for path, _ in found if not _is_here(path)]  # noqa: PTH100  keeps links
    # Two folders up from the files: the page then names their folder, and nothing of the machine above it.
    base = Path(os.path.commonpath([str(Path(path).parent) for path in outside])).parent if outside else Path()
    sources = []
    for path, explicit in found:
        file = Path(os.path.abspath(path))  # noqa: PTH100
        shown = file.relative_to(Path.cwd() if _is_here(path) else base)
        regular = file.is_file()
        sources.append(
            Source(
                one_line(shown.as_posix(), _PATH_CHARS),
                partial(_open if regular else _refuse, path),
                file.stat().st_size if regular else 0,
                explicit,
                str(file),
            )
        )
    return sorted(sources, key=lambda source: source.path)


def _is_here(path: str) -> bool:
    """Return whether the file stands in the working folder or below it."""
    return Path(os.path.abspath(path)).is_relative_to(Path.cwd())  # noqa: PTH100


def _open(path: str) -> BinaryIO:
    return Path(path).open("rb")


def _refuse(path: str) -> BinaryIO:
    raise OSError(None, "it is no regular file" if os.path.lexists(path) else "it is gone", path)


def _standard_input() -> Source:
    data = sys.stdin.buffer.read()
    return Source("standard input", partial(BytesIO, data), len(data))
