"""Packs a page in a folder as one zip file, to be sent."""

import zipfile
from io import BytesIO
from pathlib import Path

from plain_verdict.model.marks import PAGE_MARK
from plain_verdict.runtime.atomic_files import write_bytes
from plain_verdict.runtime.errors import WriteError

_STORED = (".png", ".jpg", ".webp", ".gif", ".avif", ".mp4", ".webm")  # compressed as they are
_MOMENT = (1980, 1, 1, 0, 0, 0)  # the oldest that a zip can tell: the same page gives the same bytes


def zip_folder(folder: Path) -> Path:
    """Write the folder as ``FOLDER.zip`` next to it, in which it stands whole, and return where that is.

    Raises WriteError.
    """
    target = folder.with_name(f"{folder.name}.zip")
    if target.exists() and not is_packed(target):
        raise WriteError("exists and was not written by this program", path=str(target), hint="change --out")
    buffer = BytesIO()
    with zipfile.ZipFile(buffer, "w") as packed:
        packed.comment = PAGE_MARK.encode()
        for file in sorted(folder.rglob("*")):
            if file.is_file():
                entry = zipfile.ZipInfo(f"{folder.name}/{file.relative_to(folder).as_posix()}", _MOMENT)
                entry.compress_type = zipfile.ZIP_STORED if file.suffix in _STORED else zipfile.ZIP_DEFLATED
                entry.external_attr = 0o644 << 16
                packed.writestr(entry, file.read_bytes())
    write_bytes(target, buffer.getvalue())
    return target


def is_packed(path: Path) -> bool:
    """Return whether a file is a page that this tool packed."""
    try:
        with zipfile.ZipFile(path) as packed:
            return packed.comment == PAGE_MARK.encode()
    except (OSError, zipfile.BadZipFile):
        return False
