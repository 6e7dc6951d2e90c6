"""Resolves the paths of evidence, and refuses what lies outside the folders that the user named."""

import os
import stat
from pathlib import Path

_GONE = "does not exist"
_OUTSIDE = "is outside the folders that were named"
_HIDDEN = "is hidden"
SEARCHABLE = (_GONE, _OUTSIDE)
"""Troubles that naming a folder may end."""


def find_attached(path: str, bases: tuple[str, ...]) -> tuple[str, str]:
    """Return (real path, "") of a file that a text attaches, relative to the first folder with it; or why not.

    A path of another machine is found by its end, as long as that has a folder in it.
    """
    parts = Path(path.replace("\\", "/")).parts
    troubles = []
    for end in (path, *("/".join(parts[start:]) for start in range(1, len(parts) - 1))):
        found, trouble = find_mentioned(end, bases)
        if found or trouble == _HIDDEN:
            return found, trouble
        troubles.append(trouble)
    return "", troubles[0]


def find_mentioned(path: str, bases: tuple[str, ...]) -> tuple[str, str]:
    """Return (real path, "") of a file relative to the first of some folders that has it; or ("", why not).

    What is hidden in all of the folders is refused, also behind a link: a text may come from the tested program,
    and must not bring a file of settings into the page.
    """
    trouble = _GONE
    for base in bases:
        found, why = resolve(path, base, bases)
        if found:
            return ("", _HIDDEN) if _is_hidden(found, bases) else (found, "")
        if why == _OUTSIDE and os.path.lexists(Path(base) / path):
            trouble = why
    return "", trouble


def _is_hidden(real: str, bases: tuple[str, ...]) -> bool:
    """Return whether a file is hidden, or in a hidden folder, in each of the folders that hold it."""
    parts = (Path(real).relative_to(base).parts for base in bases if Path(real).is_relative_to(base))
    return all(any(part.startswith(".") for part in below) for below in parts)


def resolve(path: str, folder: str, roots: tuple[str, ...]) -> tuple[str, str]:
    """Return (real path, "") of a regular file inside the roots, or ("", why not).

    ``folder`` is what a relative path starts from; ``roots`` are real paths. Symbolic links are followed first, so
    a link that leads out is refused.
    """
    if "\x00" in path or not path:
        return "", "has no valid path"
    try:
        real = Path(os.path.realpath(Path(folder) / path.replace("\\", "/")))
        if not any(real.is_relative_to(root) for root in roots):
            return "", _OUTSIDE
        mode = real.stat().st_mode
    except (OSError, ValueError) as error:
        return "", _GONE if isinstance(error, FileNotFoundError) else "can't be opened"
    return (str(real), "") if stat.S_ISREG(mode) else ("", "is not a regular file")


def resolve_any(folder: str, path: str) -> str:
    """Return the real path, wherever it leads and whether it exists or not; "" for one that can't be a path."""
    return "" if "\x00" in path else os.path.realpath(Path(folder, path))


def files_below(folder: str) -> list[str]:
    """Return the real paths of all regular files in a folder, in order; hidden ones are left out."""
    found = []
    for parent, folders, names in os.walk(folder):
        folders[:] = sorted(name for name in folders if not name.startswith("."))
        for name in sorted(names):
            path = Path(parent, name)
            if not name.startswith(".") and path.is_file() and not path.is_symlink():
                found.append(os.path.realpath(path))
    return found
