"""What lists in Markdown have in common: lines outside code, and the headings above them (CommonMark)."""

import re
from collections.abc import Iterator

HEADING = re.compile(r"^(#{1,6})\s+(.*?)\s*#*\s*$")
_FENCES = ("```", "~~~")


def lines_of(text: str) -> Iterator[str]:
    """Yield the lines that are no code."""
    fenced = False
    for line in text.splitlines():
        if line.lstrip().startswith(_FENCES):
            fenced = not fenced
        elif not fenced:
            yield line


class Headings:
    """The headings above a line."""

    def __init__(self) -> None:
        self._above: list[tuple[int, str]] = []

    @property
    def path(self) -> tuple[str, ...]:
        """Return them from the outermost on."""
        return tuple(name for _, name in self._above)

    def leave(self, level: int) -> None:
        """End the sections that a heading of this level, from 1, ends."""
        self._above = [heading for heading in self._above if heading[0] < level]

    def enter(self, level: int, name: str) -> None:
        """Begin a section."""
        self.leave(level)
        self._above.append((level, name))
