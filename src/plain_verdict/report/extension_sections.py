"""Sections that extensions add to the page: their content is data, which the page shows as it shows its own."""

from collections.abc import Callable, Iterator, Mapping, Sequence
from hashlib import blake2b
from math import isfinite
from numbers import Integral, Real
from typing import TYPE_CHECKING

import msgspec

from plain_verdict.extension.loading import Extension, calling, failed, find_extensions, load
from plain_verdict.model import Check, Run
from plain_verdict.runtime.errors import ExtensionError
from plain_verdict.text.cleaning import block, single_line
from plain_verdict.text.formatting import plural
from plain_verdict.text.patterns import pattern

if TYPE_CHECKING:
    from plain_verdict.report.report import Report

_CELL_CHARS, _TEXT_CHARS, _MOST_ROWS = 500, 24_000, 10_000
_NOT_OF_AN_ID = pattern(r"[^a-z0-9]+")

Cell = str | int | float | Check | None
"""A cell of a table: a text, a number, a check (shown as a link to it), or None for nothing."""


class Text(msgspec.Struct, frozen=True):
    """A paragraph of plain text; line breaks are kept."""

    text: str


class Table(msgspec.Struct, frozen=True):
    """A table: the names of its columns, and rows with a cell for each of them. The first cell names the row."""

    columns: tuple[str, ...]
    rows: tuple[tuple[Cell, ...], ...]

    @property
    def word_columns(self) -> frozenset[int]:
        """Return the positions of the columns that hold no number; those of numbers are set to the right."""
        columns = enumerate(zip(*self.rows, strict=True))
        return frozenset(at for at, cells in columns if not any(isinstance(cell, int | float) for cell in cells))


Block = Text | Table
"""What a section is made of."""


class Section(msgspec.Struct, frozen=True):
    """A section of the page, as an extension adds it.

    ``build`` is given the report and returns the blocks of the section in order; None for a page without it.
    """

    title: str
    build: Callable[["Report"], Sequence[Block] | None]
    api_version: int = 1


class ShownSection(msgspec.Struct, frozen=True):
    """A section, built: its id in the page, its title and blocks. ``trouble`` says why it could not be built."""

    id: str
    title: str
    blocks: tuple[Block, ...] = ()
    trouble: str = ""


def build_sections(report: "Report", mask: Callable[[str], str]) -> tuple[ShownSection, ...]:
    """Return the sections of all extensions that have something to show; ``mask`` hides secrets in a text."""
    extensions = find_extensions("sections")
    return tuple(filter(None, (_built(extension, _Cleaning(report.run, mask), report) for extension in extensions)))


def _built(extension: Extension, cleaning: "_Cleaning", report: "Report") -> ShownSection | None:
    title, id_ = cleaning.line(extension.name), _id_of(extension.name)
    try:
        section = load_section(extension)
        title = cleaning.line(section.title)
        with calling(extension):
            content = tuple(section.build(report) or ())
            blocks = tuple(shown for found in content for shown in cleaning.block(found))
    except ExtensionError as error:
        return ShownSection(id_, title, trouble=cleaning.line(f"{error.what}; {error.hint}."))
    return ShownSection(id_, title, blocks) if blocks else None


def _id_of(name: str) -> str:
    """Return the id of a section in the page: its name where that can be one, else made of it."""
    plain = _NOT_OF_AN_ID.sub("-", name.casefold()).strip("-")
    mark = "" if plain == name else f"-{blake2b(name.encode(), digest_size=3).hexdigest()}"
    return f"extension-{plain}{mark}"


def load_section(extension: Extension) -> Section:
    """Return the section that an extension adds. Raises ExtensionError."""
    section = load(extension)
    if not isinstance(section, Section):
        raise failed(extension, "is not a Section")
    return section


class _Cleaning:
    """Makes what an extension shows plain: texts are cut and masked, and checks are those of the run."""

    def __init__(self, run: Run, mask: Callable[[str], str]) -> None:
        self._run = run
        self._mask = mask

    def line(self, text: object) -> str:
        """Return a text as a line."""
        return single_line(self._mask(str(text)), _CELL_CHARS)

    def block(self, content: object) -> Iterator[Block]:
        """Yield a block, and a sentence on what a limit took away of it. Raises TypeError and ValueError."""
        if isinstance(content, Text):
            yield Text(block(self._mask(str(content.text)), _TEXT_CHARS))
            return
        if not isinstance(content, Table):
            raise TypeError(f"{type(content).__name__} is not a Text or a Table")
        columns = tuple(map(self.line, content.columns))
        rows = content.rows[:_MOST_ROWS]
        ids = {cell.id for row in rows for cell in row if isinstance(cell, Check)}
        checks = {check.id: check for check in self._run.checks.named(ids)} if ids else {}
        yield Table(columns, tuple(tuple(self._cells(row, len(columns), checks)) for row in rows))
        if len(content.rows) > _MOST_ROWS:
            yield Text(f"{plural(len(content.rows) - _MOST_ROWS, 'more row')} left out.")

    def _cells(self, row: Sequence[object], number: int, checks: Mapping[str, Check]) -> Iterator[Cell]:
        if len(row) != number:
            raise ValueError(f"a row has {len(row)} cells, and the table has {number} columns")
        for cell in row:
            yield self._cell(checks.get(cell.id, cell) if isinstance(cell, Check) else cell, checks)

    def _cell(self, cell: object, checks: Mapping[str, Check]) -> Cell:
        if isinstance(cell, Check):
            return cell if cell.id in checks else self.line(cell.title)
        if isinstance(cell, Integral):
            return int(cell)
        if isinstance(cell, Real):  # NumPy's as well
            return float(cell) if isfinite(cell) else None
        if cell is None or isinstance(cell, str):
            return cell if cell is None else self.line(cell)
        raise TypeError(f"{cell!r} is not a text, a number or a check")
