"""The values of items: which items a part is made of, its lines of text, its durations and moments."""

from collections import Counter
from collections.abc import Callable, Iterator, Mapping, Sequence
from datetime import datetime
from functools import partial
from typing import Generic, TypeVar

from plain_verdict.model import Fact
from plain_verdict.readers.mapping.outcomes import Outcomes, as_key
from plain_verdict.readers.mapping.selectors import FindText
from plain_verdict.readers.mapping.texts import Texts
from plain_verdict.readers.mapping.times import moment_reader, read_took
from plain_verdict.settings.limits import Limits
from plain_verdict.settings.mappings import ManyTexts, Moment, ResultMapping, Scalar, Text, Took
from plain_verdict.text.cleaning import single_line

Form = TypeVar("Form")
Read = TypeVar("Read")
_REMEMBERED_TEXTS = 10_000  # times and dates repeat: reading them again costs more
_MOST_DIGITS = 9  # of a count or a line number


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


class _Conditions:
    """Whether an item keeps all conditions: a text at each place is one of those wanted, or * and any."""

    def __init__(
        self, conditions: Sequence[tuple[Callable[[object], list[str]] | None, Scalar | tuple[Scalar, ...]]]
    ) -> None:
        self._tests = [
            (find, {as_key(value) for value in (wanted if isinstance(wanted, tuple) else (wanted,))})
            for find, wanted in conditions
        ]

    def __call__(self, item: object) -> bool:
        """Return whether the item keeps them."""
        for find, wanted in self._tests:
            found = find(item) if find else ()
            if not found or ("*" not in wanted and not any(as_key(text) in wanted for text in found)):
                return False
        return True


class _ReadValue(Generic[Read]):
    """Reads the text of an item as a moment or a duration; one that can't be read is remembered, and is None."""

    def __init__(self, find: FindText, read: Callable[[str], Read | None], odd: Callable[[str], None]) -> None:
        self._find, self._read, self._odd = find, read, odd

    def __call__(self, item: object) -> Read | None:
        """Return the item's value."""
        text = self._find(item)
        if text is None:
            return None
        value = self._read(text)
        if value is None:
            self._odd(text)
        return value


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

    def each(self, key: str, form: ManyTexts) -> Callable[[object], Sequence[object]]:
        """Return what gives the items that a part is made of. Raises ValueError."""
        fits = self.where(key, form.where)
        if not form.each:
            return (lambda item: [item] if fits(item) else []) if fits else (lambda item: [item])
        selector = self.texts.select(f"{key}.each", form.each)

        def find_all(item: object) -> list[object]:
            found = [part for value in selector.all(item) for part in (value if type(value) is list else [value])]
            return [part for part in found if fits(part)] if fits else found

        return find_all

    def where(
        self, key: str, conditions: Mapping[str, Scalar | tuple[Scalar, ...]]
    ) -> Callable[[object], bool] | None:
        """Return what tells whether an item keeps the conditions; None where there are none. Raises ValueError."""
        if not conditions:
            return None
        return _Conditions([(self.texts.all(f"{key}.where", path), wanted) for path, wanted in conditions.items()])

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
        find = self.texts.first(key, form.from_)
        if find is None:
            return None
        read = partial(read_took, unit=form.unit, decimal=self._decimal)
        return _ReadValue(find, read, partial(self.odd, key))

    def moment(self, key: str, wanted: str | int | Moment) -> Callable[[object], datetime | None] | None:
        """Return what gives a moment. Raises ValueError."""
        form = wanted if isinstance(wanted, Moment) else Moment(wanted)
        find = self.texts.joined(key, form.from_)
        if find is None:
            return None
        return _ReadValue(find, moment_reader(form), partial(self.odd, key))

    def odd(self, key: str, text: str) -> None:
        """Remember a value that can't be read."""
        self.unreadable[key] += 1
        self.examples.setdefault(key, single_line(text, 60))
