"""Sections that extensions add to the page: their content is data, which the page shows as it shows its own."""

import re
from collections.abc import Callable, Iterator, Sequence
from math import isfinite
from typing import TYPE_CHECKING

import msgspec

from plain_verdict.extension.loading import Extension, calling, failed, find_extensions, load
from plain_verdict.model import Check
from plain_verdict.runtime.errors import ExtensionError
from plain_verdict.text.cleaning import block, single_line

if TYPE_CHECKING:
    from plain_verdict.report.report import Report

_CELL_CHARS, _TEXT_CHARS, _MOST_ROWS = 500, 24_000, 10_000
_NOT_OF_AN_ID = re.compile(r"[^a-z0-9]+")

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
    return tuple(filter(None, (_built(extension, report, mask) for extension in find_extensions("sections"))))


def _built(extension: Extension, report: "Report", mask: Callable[[str], str]) -> ShownSection | None:
    id_ = "extension-" + _NOT_OF_AN_ID.sub("-", extension.name.casefold()).strip("-")
    title = single_line(extension.name, _CELL_CHARS)
    try:
        section = load_section(extension)
        title = single_line(mask(str(section.title)), _CELL_CHARS)
        with calling(extension):
            blocks = tuple(_cleaned(content, mask) for content in section.build(report) or ())
    except ExtensionError as error:
        return ShownSection(id_, title, trouble=mask(f"{error.what}; {error.hint}."))
    return ShownSection(id_, title, blocks) if blocks else None


def load_section(extension: Extension) -> Section:
    """Return the section that an extension adds. Raises ExtensionError."""
    section = load(extension)
    if not isinstance(section, Section):
        raise failed(extension, "is not a Section")
    return section


def _cleaned(content: object, mask: Callable[[str], str]) -> Block:
    """Return a block with plain, masked texts, and with as many cells in each row as there are columns."""
    if isinstance(content, Text):
        return Text(mask(block(str(content.text), _TEXT_CHARS)))
    if not isinstance(content, Table):
        raise TypeError(f"{type(content).__name__} is not a Text or a Table")
    columns = tuple(mask(single_line(str(name), _CELL_CHARS)) for name in content.columns)
    rows = content.rows[:_MOST_ROWS]
    return Table(columns, tuple(tuple(_cells(row, len(columns), mask)) for row in rows))


def _cells(row: Sequence[object], number: int, mask: Callable[[str], str]) -> Iterator[Cell]:
    if len(row) != number:
        raise ValueError(f"a row has {len(row)} cells, and the table has {number} columns")
    for cell in row:
        if cell is None or isinstance(cell, Check | int) or (isinstance(cell, float) and isfinite(cell)):
            yield cell
        elif isinstance(cell, str):
            yield mask(single_line(cell, _CELL_CHARS))
        else:
            raise TypeError(f"{cell!r} is not a text, a number or a check")
