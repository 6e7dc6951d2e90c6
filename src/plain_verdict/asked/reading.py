"""Reads the files of requirements that the user names: files, folders, patterns; what is odd is said."""

import glob
from collections import Counter
from collections.abc import Sequence
from pathlib import Path

import msgspec

from plain_verdict.asked.formats import FORMATS
from plain_verdict.inputs.source import shown_path
from plain_verdict.model import Requirement
from plain_verdict.text.formatting import join_list

_MOST_BYTES = 50_000_000


def read_requirements(names: Sequence[str]) -> tuple[tuple[Requirement, ...], tuple[str, ...]]:
    """Return the requirements of all files in their order, and notes; one that can't be read costs itself only."""
    found: list[Requirement] = []
    notes: list[str] = []
    for name in names:
        paths = _paths(name)
        if not paths:
            notes.append(f"No file of requirements fits {shown_path(name)}.")
        for path in paths:
            try:
                several = _read(path)
            except (OSError, ValueError) as error:
                why = error.strerror if isinstance(error, OSError) else str(error)
                notes.append(f"The requirements in {shown_path(path)} are not read: it {why or error}.")
                continue
            if not several:
                notes.append(f"{shown_path(path)} holds no requirement.")
            found += several
    twice = [id_ for id_, times in Counter(one.id for one in found).items() if times > 1]
    if twice:
        notes.append(f"Requirements stand twice, and the first counts: {join_list(twice)}.")
    return tuple(
        {one.id: one for one in reversed(found)}[id_] for id_ in dict.fromkeys(one.id for one in found)
    ), tuple(notes)


def _paths(name: str) -> list[Path]:
    path = Path(name)
    if path.is_dir():
        return sorted(one for one in path.rglob("*") if one.suffix.lower() in FORMATS)
    if path.exists():
        return [path]
    return sorted(map(Path, glob.glob(name, recursive=True)))


def _read(path: Path) -> list[Requirement]:
    reader = FORMATS.get(path.suffix.lower())
    if reader is None:
        raise ValueError(f"is of no form that is known; read are {', '.join(FORMATS)}")
    if path.stat().st_size > _MOST_BYTES:
        raise ValueError("is too large")
    return [msgspec.structs.replace(one, source=shown_path(path)) for one in reader(path.read_bytes())]
