"""Keeps a copy of the newest page under a fixed name, and not more pages than wanted."""

import shutil
from collections.abc import Iterator
from contextlib import suppress
from datetime import datetime
from pathlib import Path

from plain_verdict.delivery.local.page_mark import is_ours, made_when
from plain_verdict.delivery.local.zip_folder import is_packed
from plain_verdict.model import epoch_s
from plain_verdict.runtime.atomic_files import replace_folder, write_bytes
from plain_verdict.runtime.errors import UsageError, WriteError


def check_latest(name: str) -> None:
    """Make sure that the name is one beside the page. Raises UsageError."""
    if name and (Path(name).name != name or name in (".", "..")):
        raise UsageError("is not a plain name", path=name, hint="--latest names a file beside the page")


def keep_latest(page: Path, name: str) -> Path:
    """Copy a page, whole or not at all, to a name next to it and return where it is. Raises WriteError."""
    target = page.with_name(name if page.is_dir() or Path(name).suffix else f"{name}{page.suffix}")
    if target == page:
        return target
    if target.exists() and not is_ours(target):
        raise WriteError("is not a report of this program", path=str(target), hint="choose another --latest")
    if page.is_dir():
        files = (file for file in sorted(page.rglob("*")) if file.is_file())
        copies = ((file.relative_to(page).as_posix(), file.read_bytes()) for file in files)
        replace_folder(target, copies)
    else:
        write_bytes(target, page.read_bytes())
    return target


def remove_oldest(page: Path, number: int, latest: Path | None) -> list[Path]:
    """Remove the oldest pages beside a page until ``number`` are left, that one among them; return which went.

    Only what carries this tool's mark is counted or removed; the copy of the newest is neither. What was written
    after the page, by another run, stays: that run removes. Raises WriteError.
    """
    written = page.stat().st_mtime
    others = sorted(_others(page, latest), reverse=True)[max(0, number - 1) :]
    gone = [path for _, when, path in others if when <= written]
    for path in gone:
        try:
            _remove(path)
        except FileNotFoundError:
            continue
        except OSError as error:
            raise WriteError(f"could not be removed ({error.strerror})", path=str(path)) from error
    return gone


def _others(page: Path, latest: Path | None) -> Iterator[tuple[float, float, Path]]:
    """Yield the other pages of the same layout, each after what tells its age."""
    for path in page.parent.iterdir():
        made = made_when(path) if path.name[:1] != "." and path not in (page, latest) else None
        if made and path.is_dir() == page.is_dir() and not path.is_symlink():
            with suppress(OSError):  # another job may have removed it just now
                yield _moment(made), path.stat().st_mtime, path


def _remove(path: Path) -> None:
    """Remove a page, a folder with the zip file made of it."""
    if not path.is_dir():
        path.unlink(missing_ok=True)
        return
    shutil.rmtree(path)
    packed = path.with_name(f"{path.name}.zip")
    if is_packed(packed):
        packed.unlink()


def _moment(text: str) -> float:
    try:
        return epoch_s(datetime.fromisoformat(text))
    except ValueError:
        return 0.0
