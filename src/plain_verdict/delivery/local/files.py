"""Writes pages whole or not at all, and never over another one unless asked to."""

import os
from collections.abc import Callable, Iterable, Iterator
from pathlib import Path

from plain_verdict.delivery.local.naming import highest_number, numbered
from plain_verdict.delivery.local.page_mark import is_our_mail, is_ours
from plain_verdict.runtime.atomic_files import lock_folder, rename, replace_path, staged_path
from plain_verdict.runtime.errors import UsageError, WriteError
from plain_verdict.text.page_text import UNENCODABLE, page_text

_MOST_OF_A_NAME = 1_000  # numbers tried before a name is given up as taken
Then = Callable[[Path], None]


def _nothing(_: Path) -> None:
    """Do nothing with a page that is placed."""


def check_target(path: Path, *, folder: bool, overwrite: bool, make_folder: bool = True) -> None:
    """Make sure that a page can be written there; the folder around it is created. Raises UsageError."""
    if folder:
        _check_folder(path, overwrite=overwrite)
    else:
        _check_file(path, overwrite=overwrite)
    if make_folder:
        _make_folder_around(path)


def check_folder(path: Path) -> None:
    """Make sure that files can be written into a folder; it is made where it is not there. Raises UsageError."""
    if path.exists() and not path.is_dir():
        raise UsageError("is a file, where a folder is wanted", path=str(path), hint="name another")
    _make_folder_around(path / "any")


def _check_folder(path: Path, *, overwrite: bool) -> None:
    if path.exists() and not path.is_dir():
        raise UsageError("is a file; a page in a folder needs a folder's name", path=str(path), hint="change --out")
    if overwrite and path.exists() and not is_ours(path) and any(path.iterdir()):
        raise UsageError("is a folder that this program did not write", path=str(path), hint="choose another --out")


def _check_file(path: Path, *, overwrite: bool) -> None:
    if path.is_dir():
        raise UsageError("is a folder", path=str(path), hint=f"try --out {path / 'verdict.html'}")
    holds_something = path.is_file() and path.stat().st_size > 0
    if overwrite and holds_something and not (is_ours(path) or is_our_mail(path)):
        raise UsageError("exists and was not written by this program", path=str(path), hint="choose another --out")


def _make_folder_around(path: Path) -> None:
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise UsageError(f"its folder can't be made ({error.strerror})", path=str(path)) from error
    if not os.access(path.parent, os.W_OK):
        raise UsageError("its folder can't be written to", path=str(path), hint="choose another place")


def write_page(path: Path, pieces: Iterable[str], *, overwrite: bool, then: Then = _nothing) -> Path:
    """Write a page in pieces and return where it is: with a counter where the name is taken.

    ``then`` is called once it is in its place, before any other run places or removes a page there.
    Raises WriteError.
    """
    with staged_path(path) as part:
        with part.open("x", encoding="utf-8", newline="\n", errors=UNENCODABLE) as file:
            file.writelines(map(page_text, pieces))
            file.flush()
            os.fsync(file.fileno())
        with lock_folder(path.parent):
            placed = _placed(part, path, overwrite=overwrite)
            then(placed)
            return placed


def write_folder(
    path: Path, files: Iterable[tuple[str, Iterator[str] | bytes]], *, overwrite: bool, then: Then = _nothing
) -> Path:
    """Write a page in a folder and return where it is: with a counter where the name is taken.

    ``then`` is called as for a page. Raises WriteError.
    """
    with staged_path(path) as part:
        part.mkdir()
        for name, content in files:
            file = part / name
            file.parent.mkdir(exist_ok=True)
            if isinstance(content, bytes):
                file.write_bytes(content)
            else:
                with file.open("x", encoding="utf-8", newline="\n", errors=UNENCODABLE) as text:
                    text.writelines(map(page_text, content))
        with lock_folder(path.parent):
            placed = _placed(part, path, overwrite=overwrite)
            then(placed)
            return placed


def _first_free(path: Path) -> int:
    """Return the number after the highest that a page of this name has; 1 where there is none.

    A number that was given once is not given again, although its page may be gone.
    """
    return highest_number(Path(path.name), (other.name for other in path.parent.iterdir())) + 1


def _placed(part: Path, path: Path, *, overwrite: bool) -> Path:
    """Move what is whole to its place."""
    if overwrite:
        replace_path(part, path)
        return path
    first = _first_free(path)
    for number in range(first, first + _MOST_OF_A_NAME):
        target = numbered(path, number)
        # Each way fails where something has the name, also when another process took it a moment ago.
        try:
            if part.is_dir():
                if not target.exists():
                    rename(part, target)
                    return target
            else:
                os.link(part, target)
                return target
        except FileExistsError:
            continue
        except OSError:
            if target.exists():
                continue
            rename(part, target)  # a file system without links
            return target
    raise WriteError("exists with too many counters", path=str(path), hint="remove some, or use --keep")
