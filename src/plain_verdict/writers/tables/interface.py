"""What a table is: a name, columns with their meaning, and rows."""

from collections.abc import Callable, Iterable
from datetime import datetime

import msgspec

from plain_verdict.report import Report

Cell = str | int | float | bool | datetime | None
Row = tuple[Cell, ...]


class Column(msgspec.Struct, frozen=True):
    """A column: its name, with the unit in it, and what it holds."""

    name: str
    about: str


class Table(msgspec.Struct, frozen=True):
    """A table that some runs have. ``rows`` gives none where a run has nothing for it."""

    name: str
    about: str
    columns: tuple[Column, ...]
    rows: Callable[[Report], Iterable[Row]]
