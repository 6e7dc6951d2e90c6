"""Reads the files of requirements that the user names: files, folders, patterns; what is odd is reported."""

import glob
import os
from collections.abc import Sequence
from pathlib import Path
from typing import NamedTuple

import msgspec

from plain_verdict.inputs.source import shown_path
from plain_verdict.model import Requirement
from plain_verdict.requirements.formats import FORMATS
from plain_verdict.text.formatting import join_list, plural

_MOST_FILE_BYTES = 50_000_000  # a list of that size is an export of everything


class FoundRequirements(NamedTuple):
    """The requirements of all files in their order, notes, and whether none may be missing."""

    requirements: tuple[Requirement, ...]
    notes: tuple[str, ...]
    whole: bool


def read_requirements(names: Sequence[str]) -> FoundRequirements:
    """Return the requirements of all files; one that can't be read costs itself only."""
    found: list[Requirement] = []
    notes: list[str] = []
    for name in names:
        paths = _paths(name)
        if not paths:
            notes.append(f"No requirements file matches {_shown(name)}.")
        for path in paths:
            found += _read_noted(path, notes)
    whole = not notes
    first: dict[str, Requirement] = {}
    twice = [
        requirement.id for requirement in found if first.setdefault(requirement.id, requirement) is not requirement
    ]
    if twice:
        notes.append(f"Duplicate requirements, of which the first counts: {join_list(list(dict.fromkeys(twice)))}.")
    return FoundRequirements(tuple(first.values()), tuple(notes), whole)


def _read_noted(path: Path, notes: list[str]) -> Sequence[Requirement]:
    """Return the requirements of a file; what is wrong with it becomes a note."""
    try:
        requirements, lost = _read(path)
    except (OSError, ValueError) as error:
        why = error.strerror if isinstance(error, OSError) else str(error)
        notes.append(f"The requirements in {_shown(path)} can't be read: the file {why or error}.")
        return ()
    if lost:
        notes.append(f"{_shown(path)} holds {plural(len(lost), 'row')} that can't be read: {join_list(lost)}.")
    if not requirements:
        notes.append(f"{_shown(path)} holds no requirements.")
    return requirements


def _shown(path: str | Path) -> str:
    """Return a path as it is shown: seen from here, where it stands below."""
    absolute, working_folder = Path(os.path.abspath(path)), Path.cwd()  # noqa: PTH100  keeps links
    return shown_path(
        absolute.relative_to(working_folder) if absolute.is_relative_to(working_folder) else Path(path).name
    )


def _paths(name: str) -> list[Path]:
    path = Path(name)
    if path.is_dir():
        return sorted(file for file in path.rglob("*") if file.suffix.lower() in FORMATS)
    if path.exists():
        return [path]
    return sorted(map(Path, glob.glob(name, recursive=True)))


def _read(path: Path) -> tuple[list[Requirement], list[str]]:
    """Return the requirements of a file, and what can't be read in it. Raises OSError and ValueError."""
    reader = FORMATS.get(path.suffix.lower())
    if reader is None:
        raise ValueError(f"has an unknown format; use one of {', '.join(FORMATS)}")
    if path.stat().st_size > _MOST_FILE_BYTES:
        raise ValueError("is too large")
    parts = list(reader(path.read_bytes()))
    requirements = [part for part in parts if isinstance(part, Requirement)]
    lost = [part for part in parts if isinstance(part, str)]
    return [msgspec.structs.replace(requirement, source=_shown(path)) for requirement in requirements], lost
