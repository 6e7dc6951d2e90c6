"""Judges rows of samples one by one: which are none, and why; and turns those that are some into cells."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from plain_verdict.readers.samples.cells import Cells, are_durations, are_moments, categories
from plain_verdict.readers.samples.columns import Columns, Role
from plain_verdict.text.cleaning import single_line
from plain_verdict.text.numbers import read_number

NUMBERS = (Role.TOOK, Role.BYTES, Role.USERS)
HEADER_AGAIN = "repeats the header"


def _are_same(cell: str, name: str) -> bool:
    return cell == name or cell.strip("\ufeff \t") == name.strip("\ufeff \t")


class Rows:
    """Rows of one file, as texts in the order of its columns."""

    def __init__(self, columns: Columns) -> None:
        self.columns = columns

    def why_bad(self, row: Sequence[str]) -> str | None:
        """Return why a row is not a sample; None for one that is."""
        columns = self.columns
        if len(row) == len(columns.names) and all(map(_are_same, row, columns.names)):
            return HEADER_AGAIN
        if len(row) != len(columns.names):
            return f"has {len(row)} cells, {len(columns.names)} are expected"
        if any("\0" in cell for cell in row):
            return "has a NUL character"
        return self._wrong_value({role: row[at].strip() for role, at in columns.positions.items()})

    def _wrong_value(self, cell: dict[Role, str]) -> str | None:
        """Return which value of a row can't be read; None where all can."""
        columns = self.columns
        took = read_number(cell[Role.TOOK], columns.decimal)
        if took is None:
            return f"has no duration: “{single_line(cell[Role.TOOK], 30)}”"
        if not are_durations(np.asarray(took * columns.took_us)):
            return f"has an impossible duration: “{single_line(cell[Role.TOOK], 30)}”"
        if not are_moments(np.asarray(columns.moment_us(cell[Role.STARTED]))):
            return f"has no time: “{single_line(cell[Role.STARTED], 30)}”"
        if Role.SUCCESS in cell and columns.success_of(cell[Role.SUCCESS]) is None:
            return f"has no known outcome: “{single_line(cell[Role.SUCCESS], 30)}”"
        return None

    def cells_of(self, rows: Sequence[Sequence[str]]) -> Cells:
        """Return the cells of rows that are samples."""
        columns = self.columns
        texts = {role: [row[at].strip() for row in rows] for role, at in columns.positions.items()}
        numbers = {role: self._numbers(texts.pop(role)) for role in NUMBERS if role in texts}
        started = np.array([columns.moment_us(text) for text in texts.pop(Role.STARTED)])
        metrics = [self._numbers([row[at] for row in rows]) for _, at, _ in columns.metrics]
        took_us = numbers[Role.TOOK] * columns.took_us
        return Cells(
            started, took_us, numbers, {role: categories(column) for role, column in texts.items()}, metrics
        )

    def _numbers(self, texts: Sequence[str]) -> np.typing.NDArray[np.float64]:
        """Return numbers, NaN for what is none."""
        found = [read_number(text, self.columns.decimal) for text in texts]
        return np.array([float("nan") if number is None else number for number in found])
