"""Counts by key in little room: keys as they come, brought together when there are many."""

import numpy as np

from plain_verdict.load.bins import Ints

_COMPACT_AT = 1_000_000  # pairs that wait to be summed: some 16 MB
_EMPTY = np.empty(0, np.int64)
_FIRST = np.zeros(1, np.int64)
_LARGEST_SMALL = 2**31 - 1  # what four bytes hold


def starts_of(values: Ints) -> Ints:
    """Return where each run of equal neighbours begins."""
    if not values.size:
        return _EMPTY
    return np.concatenate((_FIRST, np.flatnonzero(values[1:] != values[:-1]) + 1))


def counted(high: Ints, low: Ints, bits: int) -> tuple[Ints, Ints]:
    """Return the keys ``high << bits | low`` in order, each once, and how often each stands there.

    ``low`` is less than 2 to the power of ``bits``. Keys are numbered within what they span: small numbers are
    sorted in a third of the time, and few of them are counted without sorting.
    """
    first_high, first_low = int(high.min()), int(low.min())
    width = int(low.max()) - first_low + 1
    cells = (int(high.max()) - first_high + 1) * width
    if cells > _LARGEST_SMALL:
        keys, counts = np.unique(high << bits | low, return_counts=True)
        return keys, counts.astype(np.int64)
    numbers = (high - first_high) * width + (low - first_low)
    if cells <= numbers.size:
        table = np.bincount(numbers)
        found = np.flatnonzero(table)
        counts = table[found]
    else:
        numbers = np.sort(numbers.astype(np.int32))
        starts = starts_of(numbers)
        found, counts = numbers[starts].astype(np.int64), np.diff(starts, append=numbers.size)
    rows, columns = np.divmod(found, width)
    return (rows + first_high) << bits | (columns + first_low), counts


class SparseCounts:
    """How often each key was counted. Any order of adding gives the same."""

    def __init__(self) -> None:
        self._keys: list[Ints] = []
        self._counts: list[Ints] = []
        self._waiting = 0
        self._in_order = True

    def add(self, high: Ints, low: Ints | None = None, bits: int = 0) -> Ints:
        """Count each key once, ``high << bits | low``, and return them in order."""
        if not high.size:
            return _EMPTY
        alone = not self._keys
        keys, counts = counted(high, _FIRST if low is None else low, bits)
        self.add_counted(keys, counts)
        self._in_order = alone
        return keys

    def add_counted(self, keys: Ints, counts: Ints) -> None:
        """Count keys, each so often."""
        self._keys.append(keys)
        self._counts.append(counts)
        self._waiting += keys.size
        self._in_order = False
        if self._waiting > _COMPACT_AT:
            self.items()

    def items(self) -> tuple[Ints, Ints]:
        """Return the keys in order, each once, and their counts."""
        if not self._keys:
            return _EMPTY, _EMPTY
        if not self._in_order:
            keys, counts = np.concatenate(self._keys), np.concatenate(self._counts)
            order = np.argsort(keys, kind="stable")
            keys, counts = keys[order], counts[order]
            starts = starts_of(keys)
            self._keys, self._counts = [keys[starts]], [np.add.reduceat(counts, starts)]
            self._in_order = True
        # What stays is half of what may be there before it is brought together again.
        self._waiting = self._keys[0].size // 2
        return self._keys[0], self._counts[0]
