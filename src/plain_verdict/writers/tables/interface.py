"""What a table is: a name, columns with their meaning, and rows."""

from collections.abc import Callable, Iterable, Mapping
from datetime import datetime
from enum import StrEnum

import msgspec

from plain_verdict.model import Check, Fact
from plain_verdict.report import Report

Cell = str | int | float | bool | datetime | None
Row = tuple[Cell, ...]


class Holds(StrEnum):
    """What the cells of a column are, when they are not empty. Words are those of Table Schema, version 1."""

    TEXT = "string"
    INTEGER = "integer"
    NUMBER = "number"
    MOMENT = "datetime"
    FLAG = "boolean"


class Column(msgspec.Struct, frozen=True):
    """A column: its name, with the unit in it, what it holds, and of what sort that is."""

    name: str
    about: str
    holds: Holds = Holds.TEXT


class Family(msgspec.Struct, frozen=True):
    """Columns that a run decides on: one for each key, as ``parameter: port``."""

    name: str
    about: str
    of: Callable[[Check], Iterable[Fact]]


class Table(msgspec.Struct, frozen=True):
    """A table that some runs have. ``rows`` gives none where a run has nothing for it.

    Of a table of checks, ``families`` are columns after the others, and ``checks`` the check of each row.
    """

    name: str
    about: str
    columns: tuple[Column, ...]
    rows: Callable[[Report], Iterable[Row]]
    families: tuple[Family, ...] = ()


class Filled(msgspec.Struct, frozen=True):
    """A table of one run: its columns, and its rows, to be gone through once."""

    table: Table
    columns: tuple[Column, ...]
    rows: Iterable[Row]


_MOST_OF_A_FAMILY = 60  # columns of variants or parameters: spreadsheets end at 16,384
_Values = Mapping[str, str]


def fill(table: Table, report: Report) -> Filled:
    """Return a table with the run's own columns."""
    if not table.families:
        return Filled(table, table.columns, table.rows(report))
    columns = list(table.columns)
    chosen: list[tuple[Family, list[str]]] = []
    for family in table.families:
        keys = dict.fromkeys(fact.key for check in report.run.checks for fact in family.of(check))
        chosen.append((family, list(keys)[:_MOST_OF_A_FAMILY]))
        columns += [Column(f"{family.name}: {key}", family.about) for key in chosen[-1][1]]
    return Filled(table, tuple(columns), _with_families(table, report, [pair for pair in chosen if pair[1]]))


def _with_families(table: Table, report: Report, chosen: list[tuple[Family, list[str]]]) -> Iterable[Row]:
    rows = table.rows(report)
    if not chosen:
        return rows
    return (
        (*row, *(cell for family, keys in chosen for cell in _cells(family.of(check), keys)))
        for row, check in zip(rows, report.run.checks, strict=True)
    )


def _cells(facts: Iterable[Fact], keys: list[str]) -> Iterable[str | None]:
    values = {fact.key: fact.value for fact in facts}
    return map(values.get, keys)


def round_s(seconds: float | None) -> float | None:
    """Return seconds with twelve digits that count: sums of floats have more that nobody measured."""
    return None if seconds is None else float(f"{seconds:.12g}")
