"""Reads branch and commit of a git repository from its files: no command runs, no configuration is looked at.

Results come from anybody, and so does the repository they stand in. A git command that compares content obeys
that repository's configuration: filters, hooks, monitors, included files.
Source: gitrepository-layout(5); git-check-ref-format(1).
"""

import os
import stat
from pathlib import Path

import msgspec

from plain_verdict.text.patterns import pattern

_MOST_REF_BYTES = 4_096  # of HEAD and of a reference
_MOST_PACKED_BYTES = 64_000_000  # refs of a repository with hundreds of thousands of branches
_MOST_LINKS = 5  # from a symbolic reference to the next
_HASH = pattern(r"[0-9a-f]{40}(?:[0-9a-f]{24})?")
_GIT_REFERENCE = pattern(r"refs/[^\x00-\x20\x7f~^:?*\[\\]+")
_BRANCHES = "refs/heads/"


class Head(msgspec.Struct, frozen=True):
    """What a repository has checked out; "" where it has no branch or no commit, or where neither can be read."""

    branch: str = ""
    commit: str = ""


def read_head(folder: Path) -> Head | None:
    """Return what the repository around a folder has checked out; None where the folder stands in none."""
    root = find_root(folder)
    if root is None:
        return None
    path = _git_folder(root / ".git")
    return _head_of(path) if path else Head()


def find_root(folder: Path) -> Path | None:
    """Return the root of the repository around a folder, links followed; None where the folder stands in none."""
    folder = folder.resolve()
    return next((parent for parent in (folder, *folder.parents) if os.path.lexists(parent / ".git")), None)


def common_folder(root: Path) -> Path | None:
    """Return the folder with the objects of the repository at a root; None where it can't be read."""
    path = _git_folder(root / ".git")
    return _common(path) if path else None


def _common(path: Path) -> Path:
    """Return the folder that worktrees share: a worktree has the references and objects of its repository."""
    return path.parent.parent if path.parent.name == "worktrees" else path


def _git_folder(entry: Path) -> Path | None:
    """Return the folder with HEAD: ``.git`` itself, or the one that a file of that name names and that names it.

    A link, or a file that names any other folder, is not a worktree and no submodule; nothing is read there.
    """
    if entry.is_symlink():
        return None
    if entry.is_dir():
        return entry
    lead, _, target = read_inside(entry.parent, entry.name).strip().partition(": ")
    if lead != "gitdir" or not target:
        return None
    folder = (entry.parent / target).resolve()
    back = read_inside(folder, "gitdir").strip()
    if back and (folder / back) == entry:
        return folder
    modules = [parent / ".git" / "modules" for parent in entry.parent.parents]
    return folder if any(folder.is_relative_to(module) for module in modules) else None


def _head_of(path: Path) -> Head:
    text = read_inside(path, "HEAD").strip()
    lead, _, name = text.partition("ref: ")
    if lead or not name:
        return Head(commit=text if _HASH.fullmatch(text) else "")
    if not _is_reference(name):
        return Head()
    branch = name.removeprefix(_BRANCHES) if name.startswith(_BRANCHES) else ""
    # Where references are kept in tables (reftable), HEAD names one that no branch may have.
    return Head() if branch == ".invalid" else Head(branch, _commit_of(name, (path, _common(path))))


def _commit_of(name: str, folders: tuple[Path, ...]) -> str:
    """Return the hash that a reference leads to; "" for one that has none yet."""
    for _ in range(_MOST_LINKS):
        text = next(filter(None, (read_inside(folder, name).strip() for folder in folders)), "")
        lead, _, target = text.partition("ref: ")
        if lead or not target:
            return text if _HASH.fullmatch(text) else _packed(folders[-1], name)
        if not _is_reference(target):
            return ""
        name = target
    return ""


def _packed(folder: Path, name: str) -> str:
    for line in read_inside(folder, "packed-refs", _MOST_PACKED_BYTES).splitlines():
        found, _, reference = line.partition(" ")
        if reference == name and _HASH.fullmatch(found):
            return found
    return ""


def _is_reference(name: str) -> bool:
    parts = name.split("/")
    return bool(_GIT_REFERENCE.fullmatch(name)) and not any(part in ("", ".", "..") for part in parts)


def read_inside(folder: Path, name: str, most_bytes: int = _MOST_REF_BYTES) -> str:
    """Return the text of a regular file below a folder; "" for anything else, as a pipe or what a link leads to."""
    path = folder / name
    try:
        if path.resolve() != folder.resolve() / name or not stat.S_ISREG(path.lstat().st_mode):
            return ""
        with path.open("rb") as file:
            return file.read(most_bytes).decode("utf-8", "replace")
    except (OSError, ValueError):
        return ""
