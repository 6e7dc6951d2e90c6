"""Reads the files of requirements that the user names: files, folders, patterns; what is odd is reported."""

import glob
import os
from collections import Counter
from collections.abc import Sequence
from pathlib import Path
from typing import NamedTuple

import msgspec

from plain_verdict.inputs.source import shown_path
from plain_verdict.model import Requirement
from plain_verdict.requirements.formats import FORMATS
from plain_verdict.text.formatting import join_list, plural

_MOST_BYTES = 50_000_000


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
            try:
                several, lost = _read(path)
            except (OSError, ValueError) as error:
                why = error.strerror if isinstance(error, OSError) else str(error)
                notes.append(f"The requirements in {_shown(path)} can't be read: the file {why or error}.")
                continue
            if lost:
                notes.append(
                    f"{_shown(path)} holds {plural(len(lost), 'row')} that can't be read: {join_list(lost)}."
                )
            if not several:
                notes.append(f"{_shown(path)} holds no requirements.")
            found += several
    whole = not notes
    first = {one.id: one for one in reversed(found)}
    twice = [id_ for id_, times in Counter(one.id for one in found).items() if times > 1]
    if twice:
        notes.append(f"Duplicate requirements, of which the first counts: {join_list(twice)}.")
    return FoundRequirements(tuple(one for one in found if first[one.id] is one), tuple(notes), whole)


def _shown(path: str | Path) -> str:
    """Return a path as it is shown: seen from here, where it stands below."""
    absolute, here = Path(os.path.abspath(path)), Path.cwd()  # noqa: PTH100  keeps links
    return shown_path(absolute.relative_to(here) if absolute.is_relative_to(here) else Path(path).name)


def _paths(name: str) -> list[Path]:
    path = Path(name)
    if path.is_dir():
        return sorted(one for one in path.rglob("*") if one.suffix.lower() in FORMATS)
    if path.exists():
        return [path]
    return sorted(map(Path, glob.glob(name, recursive=True)))


def _read(path: Path) -> tuple[list[Requirement], list[str]]:
    """Return the requirements of a file, and what can't be read in it. Raises OSError and ValueError."""
    reader = FORMATS.get(path.suffix.lower())
    if reader is None:
        raise ValueError(f"has an unknown format; use one of {', '.join(FORMATS)}")
    if path.stat().st_size > _MOST_BYTES:
        raise ValueError("is too large")
    parts = list(reader(path.read_bytes()))
    several = [one for one in parts if isinstance(one, Requirement)]
    lost = [one for one in parts if isinstance(one, str)]
    return [msgspec.structs.replace(one, source=_shown(path)) for one in several], lost
