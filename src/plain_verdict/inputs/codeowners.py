"""Reads CODEOWNERS: who owns which files of a repository.

A convention of several forges: a pattern and its owners in a line, the last pattern that fits counts, sections with
owners of their lines. Patterns are those of gitignore(5), but ``docs/*`` means files in that folder alone.
"""

import re
from collections.abc import Iterator
from fnmatch import translate
from functools import lru_cache
from pathlib import Path

import msgspec

from plain_verdict.inputs.repository import read_inside
from plain_verdict.text.formatting import join_list
from plain_verdict.text.patterns import pattern

_USUAL_FOLDERS = ("", ".github/", ".gitlab/", ".forgejo/", ".gitea/", "docs/")
"""Where it stands, in a repository; the first that is there counts."""
_MOST_BYTES = 3_000_000
_MOST_NAMED_LINES = 4
_SECTION_LINE = pattern(r"\^?\[([^\]]+)\](?:\[\d+\])?((?:\s+\S+)*)\s*")
_OWNER = pattern(r"@{1,2}[\w.-]+(?:/[\w.-]+)*|[^\s@]+@[^\s@]+\.[^\s@]+")
_ESCAPED_SIGN = pattern(r"\\(.)")
_LINE_WORD = pattern(r"(?:\\.|[^\s\\])+")


class _Line(msgspec.Struct, frozen=True):
    """A pattern and its owners; none: nobody owns what it fits."""

    pattern: "_Pattern"
    owners: tuple[str, ...]


class CodeOwners:
    """The lines of a file, section by section. ``notes`` name the lines that are none."""

    def __init__(self, text: str, name: str) -> None:
        self._sections: list[list[_Line]] = [[]]
        self._wrong: list[str] = []
        default: tuple[str, ...] = ()
        for number, line in enumerate(text.lstrip("\ufeff").splitlines(), 1):
            words = _words(line)
            section = _SECTION_LINE.fullmatch(line.partition(" #")[0].strip())
            if section:
                owners = section[2].split()
                default = tuple(owners) if self._are_owners(owners, number) else ()
                self._sections.append([])
            elif words and self._are_owners(words[1:], number):
                self._add(words, default)
        self.notes = tuple(self._notes(name))
        self.owners_of = lru_cache(maxsize=None)(self._owners_of)

    def _are_owners(self, words: list[str], number: int) -> bool:
        """Return whether all words are owners; note the first that is none."""
        wrong = next((word for word in words if not _OWNER.fullmatch(word)), None)
        if wrong is not None:
            self._wrong.append(f"line {number:,} (“{wrong[:60]}” is not an @name or a mail address)")
        return wrong is None

    def _add(self, words: list[str], default: tuple[str, ...]) -> None:
        is_exclusion = words[0].startswith("!")
        owners = () if is_exclusion else tuple(words[1:]) or default
        self._sections[-1].append(_Line(_Pattern(words[0].removeprefix("!")), owners))

    def _notes(self, name: str) -> Iterator[str]:
        if self._wrong:
            verb = "was" if len(self._wrong) == 1 else "were"
            yield f"{name}: {join_list(self._wrong, most=_MOST_NAMED_LINES)} {verb} left out."

    def _owners_of(self, file: str) -> tuple[str, ...]:
        """Return the owners of a file of the repository: of the last line that fits it, in each section."""
        found: dict[str, None] = {}
        for section in self._sections:
            line = next((line for line in reversed(section) if line.pattern.fits(file)), None)
            found |= dict.fromkeys(line.owners if line else ())
        return tuple(found)


def _words(line: str) -> list[str]:
    """Return a line's pattern and what follows, without a remark."""
    words = _LINE_WORD.findall(line)
    end = next((at for at, word in enumerate(words) if word.startswith("#")), len(words))
    return words[:end]


class _Pattern:
    """A pattern of paths, tried part by part in linear time. Source: gitignore(5), pattern format."""

    def __init__(self, text: str) -> None:
        body = text.strip("/")
        parts = body.split("/")
        from_root = text.startswith("/") or len(parts) > 1
        self._parts = ([] if from_root else [_ANYWHERE]) + [
            _ANYWHERE if part == "**" else _part(part) for part in parts
        ]
        if text.endswith("/") or parts[-1] == "**":
            self._parts += [_part("*"), _ANYWHERE]
        elif "*" not in parts[-1]:
            self._parts.append(_ANYWHERE)  # a folder, or a file

    def fits(self, path: str) -> bool:
        """Return whether a path fits."""
        states = self._reached({0})
        for part in path.split("/"):
            states = self._reached({after for state in states for after in self._after(state, part)})
        return len(self._parts) in states

    def _after(self, state: int, part: str) -> Iterator[int]:
        if state < len(self._parts):
            wanted = self._parts[state]
            if wanted is _ANYWHERE:
                yield state
            elif wanted.fullmatch(part):
                yield state + 1

    def _reached(self, states: set[int]) -> set[int]:
        """Return states with those that are reached without a part of the path."""
        reached = set(states)
        for state in range(len(self._parts)):
            if state in reached and self._parts[state] is _ANYWHERE:
                reached.add(state + 1)
        return reached


_ANYWHERE = pattern("any folders")
"""Stands for ``**``: it is never tried."""


def _part(text: str) -> re.Pattern[str]:
    """Return a part of a pattern: a sign behind a backslash means itself."""
    return re.compile(
        translate(_ESCAPED_SIGN.sub(lambda sign: f"[{sign[1]}]" if sign[1] in "*?[" else sign[1], text))
    )


def find_code_owners(root: Path) -> tuple[CodeOwners | None, tuple[str, ...]]:
    """Return the owners that a repository names, and notes; None where it names none."""
    for name in (f"{folder}CODEOWNERS" for folder in _USUAL_FOLDERS):
        text = read_inside(root, name, _MOST_BYTES + 1)
        if len(text) > _MOST_BYTES:
            return None, (f"{name} is larger than {_MOST_BYTES // 1_000_000} MB, so it is not read.",)
        if text:
            found = CodeOwners(text, name)
            return found, found.notes
    return None, ()
