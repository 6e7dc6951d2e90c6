"""Checks of items that repeat an earlier one in all but their names and times: most items of a large file do.

Where all that a form of a mapping looks for in an item are texts that an item before had as well, its check is made
of that one: only its name, duration and moments are read anew. Whatever the form does with texts, equal ones give
equal results. What was counted for the earlier item is counted again.
"""

from collections.abc import Iterator, Sequence
from datetime import datetime
from operator import not_
from typing import NamedTuple

from plain_verdict.model import BAD, Attempt, Check, Outcome
from plain_verdict.model.ids import id_within, suite_digest
from plain_verdict.readers.mapping.given import Given
from plain_verdict.readers.mapping.outcomes import SeenValue
from plain_verdict.readers.mapping.selectors import SAMPLES, ColumnsAt, Selector, TextsAt
from plain_verdict.readers.mapping.steps import ResultOfItem
from plain_verdict.readers.mapping.values import Values
from plain_verdict.settings.mappings import CheckMapping, Moment, Text, Took
from plain_verdict.text.cleaning import single_line, single_lines

_KEPT_ITEMS = 10_000  # different items: a file with more has texts that do not repeat
_MOST_OUTCOME_VALUES = 100  # more are numbers, and looking at each costs more than it saves
_REPEATED_CHARS = 1_000  # of the texts of an item that is kept
_TRIED_ITEMS = 2_000  # after which a quarter must have repeated another: else looking costs more than it saves
_REPEATING = (Outcome.PASSED, Outcome.SKIPPED, *BAD)


class BeforeMaking(NamedTuple):
    """What was counted before the check of an item was made; ``key`` are the texts that others must have."""

    key: tuple[object, ...]
    looked_up: list[tuple[int, int]]
    seen: dict[SeenValue, int]
    odd: int


class _Kept:
    """The check of an item, what its id is made of, and what was counted for it; ``times`` it was repeated."""

    __slots__ = ("after_attempts", "after_started", "check", "digest", "looked_up", "parameters", "seen", "times")

    def __init__(
        self,
        check: Check,
        given: Given,
        looked_up: list[tuple[Selector, int, int]],
        seen: list[tuple[SeenValue, int]],
    ) -> None:
        self.check, self.looked_up, self.seen = check, looked_up, seen
        self.digest, self.parameters = suite_digest(check.kind, given.raw), given.parameters
        self.after_started = _fields_after(check.attempts[-1], "started")
        self.after_attempts = _fields_after(check, "attempts")
        self.times = 0

    def repeated(self, raw_name: str, name: str, took_s: float | None, started: datetime | None) -> Check:
        """Return the check of an item with another name and other times."""
        self.times += 1
        check = self.check
        attempt = Attempt(check.attempts[-1].outcome, took_s, started, *self.after_started)  # type: ignore[arg-type]
        return Check(
            id_within(self.digest, raw_name, self.parameters),
            check.kind,
            check.suite,
            name,
            (attempt,),
            *self.after_attempts,  # type: ignore[arg-type]  # in the order of the fields
        )

    def count(self) -> None:
        """Count what the earlier item counted once more for each that repeated it."""
        for selector, hits, misses in self.looked_up:
            selector.hits += hits * self.times
            selector.misses += misses * self.times
        for seen, times in self.seen:
            seen.times += times * self.times
        self.times = 0


_Row = tuple[int, _Kept | None, str | None, str | None, str | None, str | None]
"""An item: its number, the earlier one that it repeats, and its name, duration, beginning and end as texts."""


def _fields_after(made: Attempt | Check, name: str) -> tuple[object, ...]:
    fields = made.__struct_fields__
    return tuple(getattr(made, field) for field in fields[fields.index(name) + 1 :])


class RepeatedItems:
    """Makes checks of items of one form that repeat an earlier one.

    ``texts_at`` gives the texts of ``selectors``, all that the form looks for. First come those in ``changing``,
    which change from item to item: name, duration, beginning and end, where the form has them.
    """

    def __init__(
        self,
        values: Values,
        selectors: Sequence[Selector],
        texts_at: TextsAt,
        columns_at: ColumnsAt | None,
        changing: Sequence[str],
        result_of: ResultOfItem,
    ) -> None:
        self._values, self._selectors, self._texts_at, self._columns_at = values, selectors, texts_at, columns_at
        self._times_of_texts, self._times_of_columns = result_of.times_of_texts, result_of.times_of_columns
        self._first_fixed = len(changing)
        # The last text is one that is nowhere.
        self._took, self._started, self._ended = (
            changing.index(part) if part in changing else -1 for part in ("took", "started", "ended")
        )
        self._kept: dict[tuple[object, ...], _Kept] = {}
        self._outer: Given | None = None
        self._tried = self._repeated = 0

    @property
    def is_worth_it(self) -> bool:
        """Return whether enough items repeat another."""
        return self._tried < _TRIED_ITEMS or self._repeated * 4 > self._tried

    def check_of(self, item: object, outer: Given, odd_items: int) -> Check | BeforeMaking | None:
        """Return the check of an item that repeats another; else what ``keep`` needs, None if it can't be kept.

        ``odd_items`` is how many items were odd so far.
        """
        self._tried += 1
        texts = self._texts_at(item)
        if texts is None:
            return None
        self._begin(outer)
        texts.append(None)
        took, started, ended = texts[self._took], texts[self._started], texts[self._ended]
        key = (*texts[self._first_fixed : -1], not took, not started, not ended)
        kept = self._kept.get(key)
        raw_name = texts[0]
        if kept is None or not raw_name:
            is_short = sum(map(len, filter(None, texts))) <= _REPEATED_CHARS
            return self._before_making(key, odd_items) if is_short else None
        name, times = (
            single_line(raw_name, self._values.limits.name_chars),
            self._times_of_texts(took, started, ended),
        )
        if not name or times is None:
            return None
        self._repeated += 1
        return kept.repeated(raw_name, name, *times)

    def _begin(self, outer: Given) -> None:
        """Forget the checks of items in another level: what it gives is another thing."""
        if outer is not self._outer:
            self.count()
            self._kept.clear()
            self._outer = outer

    def checks_of(self, items: Sequence[object], outer: Given) -> list[Check | None]:
        """Return what ``check_of`` does for many items, column by column; None for each that repeats none."""
        self._begin(outer)
        checks: list[Check | None] = [None] * len(items)
        rows = self._rows(items) if self._kept else []
        if not rows:
            return checks
        numbers, kept, raw_names, *repeated_times = zip(*rows, strict=True)
        names = single_lines(raw_names, self._values.limits.name_chars)
        made = zip(numbers, kept, raw_names, names, self._times_of_columns(*repeated_times), strict=True)
        for number, earlier, raw_name, name, took_and_start in made:
            if name and took_and_start is not None:
                checks[number] = earlier.repeated(raw_name, name, *took_and_start)
                self._repeated += 1
                self._tried += 1
        return checks

    def _rows(self, items: Sequence[object]) -> list[_Row]:
        """Return the items that have the texts of a kept one."""
        if self._columns_at is None:
            return []
        columns, others = self._columns_at(items)
        # The last column is one that is nowhere.
        texts: list[Sequence[str | None]] = [*columns, [None] * len(items)]
        times = [texts[self._took], texts[self._started], texts[self._ended]]
        keys = zip(*texts[self._first_fixed : -1], *(map(not_, column) for column in times), strict=True)
        rows = zip(range(len(items)), map(self._kept.get, keys), texts[0], *times, strict=True)
        return [row for row in rows if row[1] and row[2] and row[0] not in others]

    def _before_making(self, key: tuple[object, ...], odd_items: int) -> BeforeMaking:
        return BeforeMaking(
            key,
            [(selector.hits, selector.misses) for selector in self._selectors],
            {seen: seen.times for seen in self._values.seen_outcomes()},
            odd_items + self._values.odd_values,
        )

    def keep(self, before: BeforeMaking, check: Check, given: Given, odd_items: int) -> None:
        """Keep the check of an item that repeats none, if others can repeat it."""
        if not self._is_usual(before, check, odd_items):
            return
        added = [
            (selector, selector.hits - hits, selector.misses - misses)
            for selector, (hits, misses) in zip(self._selectors, before.looked_up, strict=True)
        ]
        met = [(value, value.times - before.seen.get(value, 0)) for value in self._values.seen_outcomes()]
        self._kept[before.key] = _Kept(check, given, added, [(value, times) for value, times in met if times])

    def _is_usual(self, before: BeforeMaking, check: Check, odd_items: int) -> bool:
        """Return whether all that was counted for a check is what is counted again for those that repeat it."""
        return (
            len(self._kept) < _KEPT_ITEMS
            and len(before.seen) <= _MOST_OUTCOME_VALUES
            and check.outcome in _REPEATING
            and len(check.attempts) == 1
            # Of all that is odd only a failure is counted again.
            and before.odd + (check.outcome in BAD) == odd_items + self._values.odd_values
            # Of what stands somewhere the first values are shown.
            and not any(0 < selector.hits < SAMPLES for selector in self._selectors)
        )

    def count(self) -> None:
        """Count the items that repeated others as well."""
        for kept in self._kept.values():
            kept.count()


def repeated_items(
    values: Values, key: str, form: CheckMapping, selectors: Sequence[Selector], result_of: ResultOfItem
) -> RepeatedItems | None:
    """Return what makes checks of items that repeat others; None for a form whose name is not at one place."""
    bare = [part for part, text in _changing_texts(form) if isinstance(text, str | int) and text != ""]
    if "name" not in bare:
        return None
    by_key = dict(values.texts.selectors)
    changing = [by_key[f"{key}.{part}"] for part in bare]
    ordered = [*changing, *(selector for selector in selectors if selector not in changing)]
    document = values.texts.document
    return RepeatedItems(values, ordered, document.texts_at(ordered), document.columns_at(ordered), bare, result_of)


def _changing_texts(form: CheckMapping) -> Iterator[tuple[str, Text]]:
    """Yield what changes from item to item, and where it stands; "" where it is made of several texts."""
    took = form.took if isinstance(form.took, Took) else Took(form.took)
    yield "name", form.name
    yield "took", "" if took.sum else took.from_
    for part, moment in (("started", form.started), ("ended", form.ended)):
        yield part, moment.from_ if isinstance(moment, Moment) else moment
