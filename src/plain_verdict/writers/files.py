"""Writes pages whole or not at all, and never over another one unless asked to."""

import os
import secrets
import shutil
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from pathlib import Path

from plain_verdict.errors import UsageError, WriteError
from plain_verdict.writers.naming import numbered

_MOST_OF_ONE_NAME = 100_000


def check_target(path: Path, *, folder: bool, overwrite: bool, make_folder: bool = True) -> None:
    """Make sure that a page can be written there; the folder around it is created. Raises UsageError."""
    if folder and path.exists() and not path.is_dir():
        raise UsageError("is a file; a page in a folder needs a folder's name", path=str(path), hint="change --out")
    if folder and overwrite and path.exists() and not is_ours(path) and any(path.iterdir()):
        raise UsageError("is a folder that this tool did not make", path=str(path), hint="choose another --out")
    if not folder and path.is_dir():
        raise UsageError("is a folder", path=str(path), hint=f"try --out {path / 'verdict.html'}")
    if not make_folder:
        return
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise UsageError(f"its folder can't be made ({error.strerror})", path=str(path)) from error
    if not os.access(path.parent, os.W_OK):
        raise UsageError("its folder can't be written to", path=str(path), hint="choose another place")


def write_page(path: Path, pieces: Iterable[str], *, overwrite: bool) -> Path:
    """Write a page in pieces and return where it is: with a counter where the name is taken.

    Raises WriteError.
    """
    with _beside(path) as part:
        with part.open("x", encoding="utf-8", newline="\n", errors="backslashreplace") as file:
            file.writelines(pieces)
            file.flush()
            os.fsync(file.fileno())
        return _placed(part, path, overwrite=overwrite)


def write_bytes(path: Path, data: bytes) -> None:
    """Write a file over what was there. Raises WriteError."""
    with _beside(path) as part:
        part.write_bytes(data)
        part.replace(path)


def write_folder(path: Path, files: Iterable[tuple[str, Iterator[str] | bytes]], *, overwrite: bool) -> Path:
    """Write a page in a folder and return where it is: with a counter where the name is taken.

    Raises WriteError.
    """
    with _beside(path) as part:
        part.mkdir()
        for name, content in files:
            file = part / name
            file.parent.mkdir(exist_ok=True)
            if isinstance(content, bytes):
                file.write_bytes(content)
            else:
                with file.open("x", encoding="utf-8", newline="\n", errors="backslashreplace") as text:
                    text.writelines(content)
        return _placed(part, path, overwrite=overwrite)


@contextmanager
def _beside(path: Path) -> Iterator[Path]:
    """Give a place for a file or folder beside the path, from which it can be moved in when whole."""
    part = path.with_name(f".{path.name[:80]}.{secrets.token_hex(4)}.part")
    try:
        try:
            yield part
        finally:
            if part.is_dir():
                shutil.rmtree(part)
            else:
                part.unlink(missing_ok=True)
    except OSError as error:
        raise WriteError(
            f"could not be written ({error.strerror or error})",
            path=str(path),
            hint="an older page there is as it was",
        ) from error


def _placed(part: Path, path: Path, *, overwrite: bool) -> Path:
    """Move what is whole to its place."""
    if overwrite:
        _replace(part, path)
        return path
    for number in range(1, _MOST_OF_ONE_NAME):
        target = numbered(path, number)
        # Each way fails where something has the name, also when another process took it a moment ago.
        try:
            if part.is_dir():
                if not target.exists():
                    part.rename(target)
                    return target
            else:
                os.link(part, target)
                return target
        except FileExistsError:
            continue
        except OSError:
            if target.exists():
                continue
            part.rename(target)  # a file system without links
            return target
    raise WriteError("has too many of its name", path=str(path), hint="remove some, or use --keep")


def _replace(part: Path, path: Path) -> None:
    """Put a page in an older one's place; of a folder, a kill in between leaves none, never half of one."""
    if not part.is_dir() or not path.exists():
        part.replace(path)
        return
    old = path.with_name(f".{path.name[:80]}.{secrets.token_hex(4)}.part")
    path.rename(old)
    part.rename(path)
    shutil.rmtree(old)


def is_ours(page: Path) -> bool:
    """Return whether a file or folder is a page that this tool made."""
    return made_when(page) is not None


def made_when(page: Path) -> str | None:
    """Return when a page, or a page in a folder, was made, as ISO 8601; None for anything else."""
    file = page / "index.html" if page.is_dir() else page
    try:
        with file.open("rb") as opened:
            head = opened.read(4000)
    except OSError:
        return None
    _, found, rest = head.partition(b'<meta name="plain-verdict-page" content="made ')
    return rest.partition(b'"')[0].decode("ascii", "replace") if found else None
