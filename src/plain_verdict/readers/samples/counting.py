"""Counts the samples of a file, block by block, wherever the engine does it."""

from collections.abc import Callable, Iterable
from functools import partial
from typing import NamedTuple, Protocol

from plain_verdict.load.state import LoadState
from plain_verdict.readers.csv_text import BadRow
from plain_verdict.readers.samples.blocks import Part
from plain_verdict.readers.samples.cells import Cells, block_of
from plain_verdict.readers.samples.columns import Columns
from plain_verdict.readers.samples.rows import HEADER_AGAIN
from plain_verdict.runtime.executors import Engine

NAMED = 1_000
"""Bad rows that are kept."""
_MOST_REQUESTS = 100_000
"""Names that one block distinguishes; which of them are counted together is given for the whole file."""


class Parser(Protocol):
    """Turns a block of a file into the cells of its samples, and tells the rows that are none."""

    columns: Columns

    def of(self, columns: Columns) -> "Parser":
        """Return the parser for the same rows, seen otherwise."""
        ...

    def parse(self, part: Part) -> Iterable[Cells | BadRow]:
        """Yield what stands in the block."""
        ...


class BadRows:
    """The rows that are no samples: all counted, the first ones kept."""

    def __init__(self) -> None:
        self.number = 0
        self.headers = 0
        """Of them those that are the header again: joined files, of which nothing is lost."""
        self.first: list[BadRow] = []

    def add(self, row: BadRow) -> None:
        """Take in one."""
        self.number += 1
        self.headers += row.why == HEADER_AGAIN
        if len(self.first) < NAMED:
            self.first.append(row)

    def merge(self, later: "BadRows") -> None:
        """Take in those of a later part of the file."""
        self.number += later.number
        self.headers += later.headers
        self.first += later.first[: NAMED - len(self.first)]


class Counted(NamedTuple):
    """What came of some rows."""

    state: LoadState
    bad: BadRows

    @classmethod
    def none(cls, most_requests: int | None = None) -> "Counted":
        """Return what comes of no rows; the names that it distinguishes are limited for a part of a file."""
        return cls(LoadState() if most_requests is None else LoadState(most_requests), BadRows())

    @property
    def rows(self) -> int:
        """Return how many there were."""
        return self.state.rows + self.state.left_out + self.bad.number


def merged(whole: Counted, part: Counted) -> None:
    """Add what came of a later part of a file."""
    whole.state.merge(part.state, same_clients=True)
    whole.bad.merge(part.bad)


def count_parts(parser: Parser, from_us: float, parts: Iterable[Part]) -> Counted:
    """Return what some blocks of a file hold."""
    whole = Counted.none(_MOST_REQUESTS)
    for part in parts:
        merged(whole, _count_part(parser, from_us, part))
    return whole


def _count_part(parser: Parser, from_us: float, part: Part) -> Counted:
    """Return what one block holds; this is what other processes and machines do."""
    state, bad = Counted.none(_MOST_REQUESTS)
    for found in parser.parse(part):
        if isinstance(found, BadRow):
            bad.add(found)
            continue
        cells = found.since(from_us) if from_us else found
        state.left_out += found.started_us.size - cells.started_us.size
        state.add(block_of(cells, parser.columns))
    return Counted(state, bad)


def count(
    parser: Parser, parts: Iterable[Part], engine: Engine, from_us: float, on_rows: Callable[[int], object]
) -> Counted:
    """Return what all blocks of a file hold; rows that started before ``from_us`` are left out, and counted.

    ``on_rows`` is given how many rows are read.
    """
    whole = Counted.none()
    for counted in engine.each(partial(_count_part, parser, from_us), parts):
        merged(whole, counted)
        on_rows(whole.rows)
    return whole
