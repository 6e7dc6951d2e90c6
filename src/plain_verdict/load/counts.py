"""Counts by key in little room: keys as they come, brought together when there are many."""

import numpy as np

from plain_verdict.load.bins import Ints

_COMPACT_AT = 1_000_000  # pairs that wait to be summed: some 16 MB
_EMPTY = np.empty(0, np.int64)


def starts_of(values: Ints) -> Ints:
    """Return where each run of equal neighbours begins."""
    if not values.size:
        return _EMPTY
    return np.flatnonzero(np.concatenate(([True], values[1:] != values[:-1])))


class SparseCounts:
    """How often each key was counted. Any order of adding gives the same."""

    def __init__(self) -> None:
        self._keys: list[Ints] = []
        self._counts: list[Ints] = []
        self._waiting = 0
        self._in_order = True

    def add(self, keys: Ints) -> None:
        """Count each key once."""
        if keys.size:
            alone = not self._keys
            unique, counts = np.unique(keys, return_counts=True)
            self.add_counted(unique, counts.astype(np.int64))
            self._in_order = alone

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
