"""The checks of stored runs in parts, so that runs with the same checks share them."""

import json
from bisect import bisect_right
from collections.abc import Iterator, Sequence
from itertools import accumulate, chain, groupby
from typing import overload

import msgspec

from plain_verdict.history.alignment import NOTHING, Pieces, differences, pieces_between
from plain_verdict.model import CheckIndex

# Checks: more parts share better from run to run and cost more rows.
_SINGLE_PART_UP_TO, _FEW_PARTS_UP_TO = 2_000, 30_000
_PREFIX_CHARS = len("c-")


class Order:
    """How a run's parts come to the order of another's, in pieces; and what that has not."""

    def __init__(self, wanted: Sequence[CheckIndex], indexes: Sequence[CheckIndex]) -> None:
        self.checks = sum(len(part.ids) for part in indexes)
        chars = _prefix_chars(self.checks)
        if chars != _prefix_chars(sum(len(part.ids) for part in wanted)):
            wanted, indexes, chars = [joined(wanted)], [joined(indexes)], 0
        starts = accumulate((len(part.ids) for part in indexes), initial=0)
        left = {_prefix(part, chars): (part, start) for part, start in zip(indexes, starts, strict=False)}
        self.pieces: Pieces = []
        self._extra: list[tuple[CheckIndex, int, int]] = []
        for part in wanted:
            there, start = left.pop(_prefix(part, chars), (_NO_PART, 0))
            if there is part:
                self._add(start, start + len(part.ids))
            else:
                self._add_differing(part, there, start)
        self._extra += [
            (part, start, position) for part, start in left.values() for position in range(len(part.ids))
        ]

    def _add_differing(self, part: CheckIndex, there: CheckIndex, start: int) -> None:
        extra, missing = differences(part.ids, there.ids)
        for low, high in pieces_between(len(part.ids), len(there.ids), extra, missing, {}):
            self._add(low, high) if low == NOTHING else self._add(start + low, start + high)
        self._extra += [(there, start, position) for position in extra]

    def _add(self, low: int, high: int) -> None:
        """Add a piece, to the last one where it goes on from there."""
        if self.pieces and low != NOTHING and self.pieces[-1][1] == low and self.pieces[-1][0] != NOTHING:
            self.pieces[-1] = self.pieces[-1][0], high
        else:
            self.pieces.append((low, high))

    def others(self) -> Iterator[tuple[str, str]]:
        """Yield id and name of what the other order has not."""
        return ((part.ids[position], part.names[position]) for part, _, position in self._extra)

    def extra_outcomes(self, outcomes: str) -> dict[str, str]:
        """Return how that ended, by id."""
        return {part.ids[position]: outcomes[start + position] for part, start, position in self._extra}


_NO_PART = CheckIndex()


def _prefix_chars(checks: int) -> int:
    """Return by how many characters of their ids so many checks are parted."""
    return 0 if checks <= _SINGLE_PART_UP_TO else 1 if checks <= _FEW_PARTS_UP_TO else 2


def _prefix(part: CheckIndex, chars: int) -> str:
    return part.ids[0][_PREFIX_CHARS : _PREFIX_CHARS + chars] if part.ids else ""


def part_texts(index: CheckIndex) -> Iterator[bytes]:
    """Yield the roster in parts, by the beginning of the ids: a check more or less changes only its own part."""
    chars = _prefix_chars(len(index.ids))
    rows = zip(index.ids, index.names, strict=True)
    for _, part_rows in groupby(rows, key=lambda row: row[0][_PREFIX_CHARS : _PREFIX_CHARS + chars]):
        yield json.dumps([*zip(*part_rows, strict=True)], ensure_ascii=False).encode("utf-8", "replace")


def check_index_of(text: bytes) -> CheckIndex:
    """Return a part. Raises ValueError."""
    ids, names = msgspec.json.decode(text, type=tuple[tuple[str, ...], tuple[str, ...]])
    return CheckIndex(ids, names)


class PartNames(Sequence[str]):
    """The names of several parts, without joining them: few are asked for."""

    def __init__(self, parts: Sequence[CheckIndex]) -> None:
        self._parts = parts
        self._ends = list(accumulate(len(part.ids) for part in parts))

    def __len__(self) -> int:
        return self._ends[-1] if self._ends else 0

    def __iter__(self) -> Iterator[str]:
        return chain.from_iterable(part.names for part in self._parts)

    @overload
    def __getitem__(self, position: int) -> str: ...
    @overload
    def __getitem__(self, part: slice) -> Sequence[str]: ...
    def __getitem__(self, position: int | slice) -> str | Sequence[str]:
        """Return a name, or several."""
        if isinstance(position, slice):
            return tuple(self)[position]
        number = bisect_right(self._ends, position)
        return self._parts[number].names[position - (self._ends[number - 1] if number else 0)]


def joined(parts: Sequence[CheckIndex]) -> CheckIndex:
    """Return several parts as one roster."""
    if len(parts) == 1:
        return parts[0]
    return CheckIndex(tuple(chain.from_iterable([part.ids for part in parts])), PartNames(parts))
