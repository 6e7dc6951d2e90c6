"""Writes files and folders whole or not at all: beside their place first, then moved there."""

import os
import re
import shutil
import sys
import time
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

from plain_verdict.runtime.errors import WriteError

_PART = re.compile(r"\..*\.[0-9a-f]{8}\.part")
_PART_LASTS_S = 3600  # a part that old was left by a process that was killed
_LOCK_NAME = ".plain-verdict.lock"
_OPEN_PAUSES_S = (0.05, 0.2, 0.5, 1.0)
"""Between tries to move a file that another program has open: Windows refuses that, and readers are soon done."""


def write_bytes(path: Path, data: bytes) -> None:
    """Write a file over what was there. Raises WriteError."""
    with staged_path(path) as part:
        part.write_bytes(data)
        replace_file(part, path)


def replace_file(part: Path, path: Path) -> None:
    """Move a file over what was there; where another program has that open, a few times. Raises OSError."""
    _patiently(part.replace, path)


def rename(part: Path, path: Path) -> None:
    """Move a file or folder to where nothing is, as patiently. Raises OSError."""
    _patiently(part.rename, path)


def _patiently(move: Callable[[Path], object], path: Path) -> None:
    for pause_s in _OPEN_PAUSES_S if sys.platform == "win32" else ():
        with suppress(PermissionError):
            move(path)
            return
        time.sleep(pause_s)
    move(path)


def write_new(path: Path, data: bytes) -> bool:
    """Write a file where nothing has its name, and return whether that is so. Raises WriteError."""
    with staged_path(path) as part:
        part.write_bytes(data)
        try:
            os.link(part, path)
        except FileExistsError:
            return False
        except OSError:  # a file system without links
            if path.exists():
                return False
            rename(part, path)
    return True


def replace_folder(path: Path, files: Iterable[tuple[str, bytes]]) -> None:
    """Write a folder over what was there. Raises WriteError."""
    with staged_path(path) as part:
        part.mkdir()
        for name, content in files:
            (part / name).parent.mkdir(exist_ok=True)
            (part / name).write_bytes(content)
        replace_path(part, path)


def remove_files(folder: Path, names: Iterable[str]) -> None:
    """Remove files of a folder that are no longer wanted. Raises WriteError."""
    for name in names:
        try:
            (folder / name).unlink(missing_ok=True)
        except OSError as error:
            raise WriteError(f"could not be removed ({error.strerror})", path=str(folder / name)) from error


@contextmanager
def lock_folder(folder: Path) -> Iterator[None]:
    """Keep other runs from placing or removing pages in a folder meanwhile, where the system can lock one."""
    if sys.platform == "win32":
        with _lock_file(folder / _LOCK_NAME):
            yield
        return
    import fcntl  # not on every system

    handle = os.open(folder, os.O_RDONLY)
    try:
        with suppress(OSError):  # a file system without locks
            fcntl.flock(handle, fcntl.LOCK_EX)
        yield
    finally:
        os.close(handle)


@contextmanager
def _lock_file(path: Path) -> Iterator[None]:
    """Lock a file of the folder, as Windows locks no folder. It stays: another run may wait for it."""
    if sys.platform != "win32":
        yield
        return
    import msvcrt  # of Windows only

    handle = os.open(path, os.O_RDWR | os.O_CREAT)
    try:
        with suppress(OSError):  # a file system without locks, or a run that holds it longer than ten seconds
            msvcrt.locking(handle, msvcrt.LK_LOCK, 1)
        yield
        with suppress(OSError):
            os.lseek(handle, 0, os.SEEK_SET)
            msvcrt.locking(handle, msvcrt.LK_UNLCK, 1)
    finally:
        os.close(handle)


@contextmanager
def staged_path(path: Path) -> Iterator[Path]:
    """Give a place for a file or folder beside the path, from which it can be moved in when whole."""
    part = path.with_name(f".{path.name[:80]}.{os.urandom(4).hex()}.part")
    _remove_left_parts(path.parent)
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


def _remove_left_parts(folder: Path) -> None:
    """Remove the parts that runs which were killed left behind, once nobody can be writing them any more."""
    long_ago = time.time() - _PART_LASTS_S
    with suppress(OSError):
        for path in folder.iterdir():
            if _PART.fullmatch(path.name):
                with suppress(OSError):
                    if path.lstat().st_mtime < long_ago:
                        shutil.rmtree(path) if path.is_dir() and not path.is_symlink() else path.unlink()


def replace_path(part: Path, path: Path) -> None:
    """Put a page in an older one's place; of a folder, a kill in between leaves none, never half of one."""
    if not part.is_dir() or not path.exists():
        replace_file(part, path)
        return
    old = path.with_name(f".{path.name[:80]}.{os.urandom(4).hex()}.part")
    rename(path, old)
    rename(part, path)
    shutil.rmtree(old)
