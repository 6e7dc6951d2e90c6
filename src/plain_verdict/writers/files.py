"""Writes files whole or not at all."""

import os
import secrets
from collections.abc import Iterable
from pathlib import Path

from plain_verdict.errors import UsageError, WriteError


def check_target(path: Path) -> None:
    """Make sure that a file can be written there, before any work is done; its folder is created.

    Raises UsageError.
    """
    if path.is_dir():
        raise UsageError(
            "is a folder; --out names a file", path=str(path), hint=f"try --out {path / 'verdict.html'}"
        )
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise UsageError(f"its folder can't be made ({error.strerror})", path=str(path)) from error
    if not os.access(path.parent, os.W_OK):
        raise UsageError("its folder can't be written to", path=str(path), hint="choose another place with --out")


def write_whole(path: Path, pieces: Iterable[str]) -> None:
    """Write the pieces beside the path and move them in when whole; an old file stays until then.

    Raises WriteError.
    """
    part = path.with_name(f".{path.name}.{secrets.token_hex(4)}.part")
    try:
        try:
            with part.open("x", encoding="utf-8", newline="\n", errors="backslashreplace") as file:
                file.writelines(pieces)
                file.flush()
                os.fsync(file.fileno())
            part.replace(path)
        finally:
            part.unlink(missing_ok=True)
    except OSError as error:
        raise WriteError(
            f"could not be written ({error.strerror or error})",
            path=str(path),
            hint="an older file there is as it was",
        ) from error
