"""Reads the files of requirements that the user names: files, folders, patterns; what is odd is reported."""

import glob
import os
from collections.abc import Iterable, Sequence
from pathlib import Path
from typing import NamedTuple

import msgspec

from plain_verdict.inputs.source import shown_path
from plain_verdict.model import Requirement
from plain_verdict.requirements.formats import FORMATS
from plain_verdict.requirements.scenarios import Scenario
from plain_verdict.text.formatting import join_list, plural

_MOST_FILE_BYTES = 50_000_000  # a list of that size is an export of everything


class FoundRequirements(NamedTuple):
    """The requirements of lists, the scenarios of feature files, notes, and whether none may be missing."""

    requirements: tuple[Requirement, ...]
    scenarios: tuple[Scenario, ...]
    notes: tuple[str, ...]
    whole: bool


def read_requirements(names: Sequence[str]) -> FoundRequirements:
    """Return the requirements of all files; one that can't be read costs itself only."""
    found: list[Requirement | Scenario] = []
    notes: list[str] = []
    for name in names:
        paths = _paths(name)
        if not paths:
            notes.append(f"No requirements file matches {_shown(name)}.")
        for path in paths:
            found += _read_noted(path, notes)
    whole = not notes
    listed = tuple(_first_of_each_id([part for part in found if isinstance(part, Requirement)], notes))
    scenarios = tuple(part for part in found if isinstance(part, Scenario))
    return FoundRequirements(listed, scenarios, tuple(notes), whole)


def _first_of_each_id(listed: Sequence[Requirement], notes: list[str]) -> Iterable[Requirement]:
    first: dict[str, Requirement] = {}
    twice = [each.id for each in listed if first.setdefault(each.id.lstrip("@"), each) is not each]
    if twice:
        notes.append(f"Duplicate requirements, of which the first counts: {join_list(list(dict.fromkeys(twice)))}.")
    return first.values()


def _read_noted(path: Path, notes: list[str]) -> Sequence[Requirement | Scenario]:
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


def _read(path: Path) -> tuple[list[Requirement | Scenario], list[str]]:
    """Return what a file holds, and what can't be read in it. Raises OSError and ValueError."""
    reader = FORMATS.get(path.suffix.lower())
    if reader is None:
        raise ValueError(f"has an unknown format; use one of {', '.join(FORMATS)}")
    if path.stat().st_size > _MOST_FILE_BYTES:
        raise ValueError("is too large")
    parts = list(reader(path.read_bytes()))
    lost = [part for part in parts if isinstance(part, str)]
    shown = _shown(path)
    requirements = (
        part._replace(source=shown) if isinstance(part, Scenario) else msgspec.structs.replace(part, source=shown)
        for part in parts
        if not isinstance(part, str)
    )
    return list(requirements), lost
