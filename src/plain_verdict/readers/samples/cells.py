"""Turns the cells of samples into blocks of a load run, wherever the cells come from."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Sequence
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from plain_verdict.load.bins import LONGEST_US
from plain_verdict.load.state import Block
from plain_verdict.readers.samples.columns import Columns, Role
from plain_verdict.text.cleaning import single_line

Array = NDArray[Any]
_FIRST_US, _LAST_US = 31_536_000_000_000, 221_845_392_000_000_000  # 1971 and 9000
_NAME_CHARS, _METHOD_CHARS, _STATUS_CHARS = 300, 20, 60
NAMELESS = "nameless request"
NO_ANSWER = "no answer"


class CategoryColumn(NamedTuple):
    """A column of words: each word once, and for each row which it is."""

    words: Sequence[str]
    codes: Array

    def changed(self, change: Callable[[str], str]) -> CategoryColumn:
        """Return the words changed; several may become one."""
        words = [change(word) for word in self.words]
        if words == list(self.words) and len(set(words)) == len(words):
            return self
        column = categories(words)
        return CategoryColumn(column.words, column.codes[self.codes])

    def times(self) -> Counter[str]:
        """Return how often each word stands there."""
        return Counter(
            dict(zip(self.words, np.bincount(self.codes, minlength=len(self.words)).tolist(), strict=True))
        )

    def with_those(self, other: CategoryColumn) -> tuple[list[tuple[str, str]], Array]:
        """Return the pairs of words of both columns that stand in a row together, and for each row which it is."""
        found, codes = np.unique(self.codes * len(other.words) + other.codes, return_inverse=True)
        size = len(other.words)
        return [(self.words[pair // size], other.words[pair % size]) for pair in found.tolist()], codes


class Cells(NamedTuple):
    """The cells of some rows, by column. Numbers that are unknown are NaN; columns that are not there, missing."""

    started_us: Array
    took_us: Array
    numbers: dict[Role, Array]
    words: dict[Role, CategoryColumn]
    metrics: Sequence[Array] = ()
    """As the columns name them."""

    def since(self, moment_us: float) -> Cells:
        """Return the cells of rows that started at a moment or later."""
        is_later = self.started_us >= moment_us
        if is_later.all():
            return self
        return Cells(
            self.started_us[is_later],
            self.took_us[is_later],
            {role: numbers[is_later] for role, numbers in self.numbers.items()},
            {role: CategoryColumn(words.words, words.codes[is_later]) for role, words in self.words.items()},
            [numbers[is_later] for numbers in self.metrics],
        )


def categories(texts: Sequence[str]) -> CategoryColumn:
    """Return the texts of a column as words."""
    codes = {word: code for code, word in enumerate(dict.fromkeys(texts))}
    return CategoryColumn(list(codes), np.array([codes[text] for text in texts], np.int64))


def are_moments(microseconds: Array) -> Array:
    """Return for each number whether it is a moment that can be; NaN is none."""
    return (microseconds >= _FIRST_US) & (microseconds <= _LAST_US)


def are_durations(microseconds: Array) -> Array:
    """Return for each number whether it is a duration that can be; NaN is none."""
    return (microseconds >= 0) & (microseconds <= LONGEST_US)


def block_of(cells: Cells, columns: Columns) -> Block:
    """Return the samples of rows, each of which is one."""
    size = cells.started_us.size
    alike = np.zeros(size, np.int64)
    words = {role: cells.words.get(role, CategoryColumn([""], alike)) for role in Role}
    requests = words[Role.LABEL].changed(lambda word: single_line(word, _NAME_CHARS) or NAMELESS)
    if Role.METHOD in cells.words:
        methods = words[Role.METHOD].changed(lambda word: single_line(word, _METHOD_CHARS))
        pairs, codes = methods.with_those(requests)
        requests = CategoryColumn([f"{method} {name}".strip() for method, name in pairs], codes)
    without = NO_ANSWER if Role.STATUS in cells.words else ""
    statuses = words[Role.STATUS].changed(lambda word: single_line(word, _STATUS_CHARS) or without)
    failed = _failed(cells, statuses, columns)
    messages = Counter[tuple[str, str]]()
    if failed.any():
        column = words[Role.MESSAGE].changed(lambda word: single_line(word, _NAME_CHARS))
        pairs, codes = CategoryColumn(statuses.words, statuses.codes[failed]).with_those(
            CategoryColumn(column.words, column.codes[failed])
        )
        messages = Counter(dict(zip(pairs, np.bincount(codes).tolist(), strict=True)))
    received, users = (cells.numbers.get(role, np.full(size, np.nan)) for role in (Role.BYTES, Role.USERS))
    return Block(
        names=list(requests.words),
        labels=requests.codes,
        started_us=np.round(cells.started_us).astype(np.int64),
        took_us=np.round(cells.took_us).astype(np.int64),
        failed=failed,
        received=np.where(np.isfinite(received), np.maximum(received, 0.0), 0.0),
        users=np.where(np.isfinite(users) & (users >= 0), users, -1).astype(np.int64),
        statuses=statuses.times() if Role.STATUS in cells.words else Counter(),
        messages=messages,
        metrics=[
            (name, unit, metric) for (name, _, unit), metric in zip(columns.metrics, cells.metrics, strict=True)
        ],
    )


def _failed(cells: Cells, statuses: CategoryColumn, columns: Columns) -> Array:
    """Return which requests failed: as their row says, or else by their status."""
    if Role.SUCCESS in cells.words:
        marks = cells.words[Role.SUCCESS]
        return np.array([not columns.success_of(word) for word in marks.words], np.bool_)[marks.codes]
    if Role.STATUS in cells.words:
        return np.array([is_bad_status(word) for word in statuses.words], np.bool_)[statuses.codes]
    return np.zeros(statuses.codes.size, np.bool_)


def is_bad_status(status: str) -> bool:
    """Return whether a status is that of a failed request: 400 or more, or none at all."""
    digits = status.strip()[:3]
    return not (digits.isascii() and digits.isdigit() and 100 <= int(digits) < 400)
