"""Makes the name of a page from a pattern: safe on every system, and never another page's."""

import os
import re
import unicodedata
from collections.abc import Iterable, Mapping
from datetime import datetime
from pathlib import Path

import msgspec

from plain_verdict.runtime.errors import UsageError
from plain_verdict.text.patterns import pattern
from plain_verdict.text.placeholders import PLACEHOLDER, placeholders_in

_FIXED = ("title", "date", "time", "verdict")
# Source: Windows, "Naming Files, Paths, and Namespaces"; the other systems forbid less.
_UNSAFE = pattern(r'[\x00-\x1f\x7f<>:"/\\|?*\s]+')
_RESERVED = pattern(r"(?:con|prn|aux|nul|com[0-9]|lpt[0-9])", re.IGNORECASE)
_VALUE_CHARS = 80  # of a fact in a file name: a name may have 255 bytes on most file systems
_USUAL_NAME = "verdict"


class Names(msgspec.Struct, frozen=True):
    """What a pattern's placeholders stand for."""

    title: str
    verdict: str
    made: datetime
    facts: Mapping[str, str]


def check_pattern(pattern: str) -> None:
    """Make sure that every placeholder of a pattern is known. Raises UsageError."""
    for name in placeholders_in(pattern):
        if name not in _FIXED and not (name.startswith("fact:") and name[5:]):
            known = ", ".join(f"{{{fixed}}}" for fixed in _FIXED)
            raise UsageError(
                f"{{{name}}} is not a placeholder", path=pattern, hint=f"known here: {known} and {{fact:KEY}}"
            )


def path_of(pattern: str, names: Names, suffix: str) -> Path:
    """Return the path that a pattern means for a file that ends in ``suffix``; "": for a folder.

    For a file, a folder's name or one that ends in a slash gets the usual name.
    """
    values = {
        "title": names.title,
        "verdict": names.verdict,
        "date": f"{names.made:%Y-%m-%d}",
        "time": f"{names.made:%H%M%S}",
    }
    facts = {key.casefold(): value for key, value in names.facts.items()}

    def value(match: re.Match[str]) -> str:
        key = match[1]
        return safe_name(facts.get(key[5:].casefold(), "unknown") if key.startswith("fact:") else values[key])

    text = PLACEHOLDER.sub(value, pattern)
    usual = f"{_USUAL_NAME}{suffix}"
    path = Path(text or usual).absolute()
    return path / usual if suffix and text and (text.endswith(("/", os.sep)) or path.is_dir()) else path


def safe_name(text: str) -> str:
    """Return the text as a part of a file name that every system takes."""
    text = unicodedata.normalize("NFC", text)
    text = _UNSAFE.sub("-", text).strip("-. ")[:_VALUE_CHARS].rstrip("-. ")
    name, dot, rest = text.partition(".")
    return f"{name}-{dot}{rest}" if _RESERVED.fullmatch(name) else text or "unnamed"


def unknown_facts(pattern: str, facts: Mapping[str, str]) -> list[str]:
    """Return the facts that a pattern names and nobody told."""
    known = {key.casefold() for key in facts}
    named = [name[5:] for name in placeholders_in(pattern) if name.startswith("fact:")]
    return [name for name in named if name.casefold() not in known]


def numbered(path: Path, number: int) -> Path:
    """Return the path with a counter: ``verdict-2.html``; the first has none."""
    return path if number == 1 else path.with_name(f"{path.stem}-{number}{path.suffix}")


def highest_number(path: Path, files: Iterable[str]) -> int:
    """Return the highest counter that a page of this name has among files, as seen from its folder's; 0: none.

    A page in a folder counts by what is in it.
    """
    before, after = re.escape(path.with_suffix("").as_posix()), re.escape(path.suffix)
    same = re.compile(rf"{before}(?:-([1-9]\d{{0,6}}))?{after}(?:/.*)?")
    found = map(same.fullmatch, files)
    return max((int(match[1] or 1) for match in found if match), default=0)
