"""The values of items: which items a part is made of, its lines of text, its durations and moments."""

import re
from collections import Counter
from collections.abc import Callable, Iterator, Mapping, Sequence
from datetime import datetime
from functools import partial
from typing import Generic, TypeVar

from plain_verdict.model import Fact
from plain_verdict.readers.mapping.conditions import Conditions
from plain_verdict.readers.mapping.outcomes import Outcomes, SeenValue
from plain_verdict.readers.mapping.selectors import FindText
from plain_verdict.readers.mapping.texts import Texts, parts_at
from plain_verdict.readers.mapping.times import moment_reader, read_plain_numbers, read_took
from plain_verdict.settings.limits import Limits
from plain_verdict.settings.mappings import Conditions as ConditionTable
from plain_verdict.settings.mappings import ManyTexts, Moment, ResultMapping, Text, Took
from plain_verdict.text.cleaning import single_line
from plain_verdict.text.moments import read_dates

Form = TypeVar("Form")
Read = TypeVar("Read")
_REMEMBERED_TEXTS = 10_000  # times and dates repeat: reading them again costs more
_MOST_DIGITS = 9  # of a count or a line number


FindItems = Callable[[object], Sequence[object]]


def itself(item: object) -> list[object]:
    """Return the item as the only part of it."""
    return [item]


_FILTER = re.compile(r"\[\?(?:[^\[\]]|\[[^\]]*\])*\]|\[[^\]*'\"\d?:-][^\]]*\]")


def without_filters(path: str) -> str:
    """Return a place without the conditions in it: a JSONPath's filters, an XPath's predicates."""
    return _FILTER.sub(lambda found: "[*]" if found[0].startswith("[?") else "", path)


class RememberedLines:
    """Makes texts one line each, and remembers them: names of suites, tags and machines come again."""

    def __init__(self, most_chars: int) -> None:
        self._most_chars = most_chars
        self._known: dict[str, str] = {}

    def __call__(self, text: str) -> str:
        """Return a text as one line."""
        made = self._known.get(text)
        if made is None:
            made = single_line(text, self._most_chars)
            if len(self._known) < _REMEMBERED_TEXTS:
                self._known[text] = made
        return made


def no_text(_item: object) -> str | None:
    """Return nothing: what gives the text of a key that a mapping does not have."""
    return None


def whole_number(text: str | None) -> int | None:
    """Return a whole number of up to nine digits; None for other texts."""
    text = (text or "").strip()
    return int(text) if text.isascii() and text.isdigit() and len(text) <= _MOST_DIGITS else None


def cleaned(facts: tuple[Fact, ...], most_chars: int) -> tuple[Fact, ...]:
    """Return facts as they are shown."""
    return tuple(Fact(single_line(fact.key, most_chars), single_line(fact.value, most_chars)) for fact in facts)


def as_tuple(forms: Form | tuple[Form, ...]) -> tuple[Form, ...]:
    """Return one or several as several."""
    return forms if isinstance(forms, tuple) else (forms,)


def numbered(key: str, forms: Form | tuple[Form, ...]) -> Iterator[tuple[str, Form]]:
    """Yield one or several forms, each with its key in the mapping."""
    forms_given = as_tuple(forms)
    for number, form in enumerate(forms_given):
        yield (f"{key}[{number}]" if len(forms_given) > 1 else key), form


class ReadValue(Generic[Read]):
    """Reads the text of an item as a moment or a duration; one that can't be read is remembered, and is None."""

    def __init__(
        self,
        find: FindText,
        read: Callable[[str], Read | None],
        odd: Callable[[str], None],
        read_many: Callable[[Sequence[str]], list[Read] | None] | None = None,
    ) -> None:
        self._find, self.read, self._odd = find, read, odd
        self._read_many = read_many

    def read_column(self, texts: Sequence[str | None]) -> list[Read | None] | None:
        """Return what is read of many texts, none of an empty one; None where they take to be read one by one."""
        filled = list(filter(None, texts))
        values = self._read_many(filled) if self._read_many else None
        if values is None:
            return None
        following = iter(values)
        return [*values] if len(filled) == len(texts) else [next(following) if text else None for text in texts]

    def __call__(self, item: object) -> Read | None:
        """Return the item's value."""
        text = self._find(item)
        if text is None:
            return None
        value = self.read(text)
        if value is None:
            self._odd(text)
        return value


class _SumOfAll:
    """Adds the durations of an item; one that can't be read is remembered, and left out."""

    def __init__(
        self, find: Callable[[object], list[str]], read: Callable[[str], float | None], odd: Callable[[str], None]
    ) -> None:
        self._find, self._read, self._odd = find, read, odd

    def __call__(self, item: object) -> float | None:
        """Return the item's sum; None where there is nothing to add."""
        known: list[float] = []
        for text in self._find(item):
            value = self._read(text)
            if value is None:
                self._odd(text)
            else:
                known.append(value)
        return sum(known) if known else None


class Values:
    """Makes what gives the values of items, for one file, and counts what can't be read in it."""

    def __init__(self, mapping: ResultMapping, texts: Texts, limits: Limits) -> None:
        self.texts = texts
        self.limits = limits
        self.outcomes = Outcomes(texts, mapping.decimal)
        """Of the checks."""
        self.inner_outcomes = Outcomes(texts, mapping.decimal)
        """Of steps and expectations."""
        self.unreadable: Counter[str] = Counter()
        """Keys of the mapping whose value is not a moment, duration or number, and how often."""
        self.examples: dict[str, str] = {}
        """For each of these the first such value."""
        self._decimal = mapping.decimal

    @property
    def odd_values(self) -> int:
        """Return how many values could not be read, or were not searched to their end."""
        return self.unreadable.total() + self.texts.unsearched.total()

    def seen_outcomes(self) -> list[SeenValue]:
        """Return the values of outcomes that were met."""
        return [*self.outcomes.seen(), *self.inner_outcomes.seen()]

    def each(self, key: str, form: ManyTexts, on_left_out: Callable[[object], None] | None = None) -> FindItems:
        """Return what gives the items that a part is made of. Raises ValueError.

        ``on_left_out`` gets the items that do not keep the conditions.
        """
        find: FindItems = itself
        if form.members:
            find = self.texts.document.members(f"{key}.members", form.members, self.texts.select)
        elif form.each:
            find = self._parts_at(f"{key}.each", form.each, on_left_out)
        fits = self.where(key, form.where)
        if fits is None:
            return find

        def fitting(item: object) -> list[object]:
            kept = []
            for part in find(item):
                if fits(part):
                    kept.append(part)
                elif on_left_out:
                    on_left_out(part)
            return kept

        return fitting

    def _parts_at(self, key: str, each: str, on_left_out: Callable[[object], None] | None) -> FindItems:
        selector = self.texts.select(key, each)

        def find_all(item: object) -> list[object]:
            return parts_at(selector, item)

        everything = without_filters(each)
        if on_left_out is None or everything == each:
            return find_all
        wide = self.texts.document.select(everything)

        def find_some(item: object) -> list[object]:
            for part in wide.all(item):  # those that are taken are remembered again as such
                on_left_out(part)
            return find_all(item)

        return find_some

    def where(self, key: str, wanted: ConditionTable) -> Callable[[object], bool] | None:
        """Return what tells whether an item keeps the conditions; None where there are none. Raises ValueError."""
        if not wanted:
            return None
        finds = [(self.texts.all(f"{key}.where", path), at_path) for path, at_path in wanted.items()]
        return Conditions(finds)

    def line(self, key: str, text: Text) -> FindText | None:
        """Return what gives a text as one line. Raises ValueError."""
        find = self.texts.first(key, text)
        if find is None:
            return None
        line = RememberedLines(self.limits.name_chars)
        return lambda item: line(found) if (found := find(item)) is not None else None

    def lines(self, key: str, text: Text) -> Callable[[object], tuple[str, ...]] | None:
        """Return what gives all texts at a place, each as one line. Raises ValueError."""
        find = self.texts.all(key, text)
        if find is None:
            return None
        line = RememberedLines(self.limits.name_chars)
        return lambda item: tuple([text for found in find(item) if (text := line(found))])

    def pairs(self, key: str, wanted: str | Mapping[str, Text]) -> Callable[[object], tuple[Fact, ...]] | None:
        """Return what gives facts, as they are written: each at its own place, or all members of an object.

        Raises ValueError.
        """
        if not wanted:
            return None
        if isinstance(wanted, str):
            selector, to_text = self.texts.select(key, wanted), self.texts.document.text_of

            def members(item: object) -> tuple[Fact, ...]:
                objects = [value for value in selector.all(item) if isinstance(value, dict)]
                return tuple(
                    Fact(name, to_text(value))
                    for item_found in objects
                    for name, value in item_found.items()
                    if value is not None
                )[: self.limits.facts]

            return members
        finds = [(name, self.texts.first(f"{key}.{name}", text)) for name, text in wanted.items()]

        def facts(item: object) -> tuple[Fact, ...]:
            found = ((name, find(item)) for name, find in finds if find)
            return tuple(Fact(name, text) for name, text in found if text is not None)

        return facts

    def took(self, key: str, wanted: str | int | Took) -> Callable[[object], float | None] | None:
        """Return what gives a duration in seconds. Raises ValueError."""
        form = wanted if isinstance(wanted, Took) else Took(wanted)
        read = partial(read_took, unit=form.unit, decimal=self._decimal)
        if form.sum:
            find_all = self.texts.all(key, form.from_)
            return _SumOfAll(find_all, read, partial(self.odd, key)) if find_all else None
        find = self.texts.first(key, form.from_)
        # A comma as the sign of decimals makes a point that of thousands.
        read_many = partial(read_plain_numbers, unit=form.unit) if self._decimal != "," else None
        return ReadValue(find, read, partial(self.odd, key), read_many) if find else None

    def moment(self, key: str, wanted: str | int | Moment) -> ReadValue[datetime] | None:
        """Return what gives a moment. Raises ValueError."""
        form = wanted if isinstance(wanted, Moment) else Moment(wanted)
        find = self.texts.joined(key, form.from_)
        if find is None:
            return None
        read_many = None if form.format or form.unit or form.zone else read_dates
        return ReadValue(find, moment_reader(form), partial(self.odd, key), read_many)

    def odd(self, key: str, text: str) -> None:
        """Remember a value that can't be read."""
        self.unreadable[key] += 1
        self.examples.setdefault(key, single_line(text, 60))
