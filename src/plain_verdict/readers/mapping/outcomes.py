"""Outcomes by a mapping: which value means which; one that stands nowhere makes a check undecided, never passed."""

import re
from collections import Counter
from collections.abc import Callable, Iterator, Sequence
from fnmatch import translate
from itertools import chain
from math import isfinite
from typing import NamedTuple

import msgspec

from plain_verdict.model import Outcome, gravest
from plain_verdict.readers.mapping.outcome_words import meaning_of
from plain_verdict.readers.mapping.texts import Texts
from plain_verdict.settings.mappings import Bounds, HowEnded, Meaning, OutcomeRule, Scalar, Value
from plain_verdict.text.numbers import read_number

_BY_GRAVITY = (Outcome.ERRORED, Outcome.FAILED, Outcome.UNDECIDED, Outcome.SKIPPED, Outcome.PASSED)
"""Where several patterns or bounds fit a value, the gravest outcome counts; exact values come before both."""
_MOST_VALUES = 10_000
"""Different values that are remembered: numbers have more, and then nobody wants to see each."""


class Judged(NamedTuple):
    """How something ended; ``unknown`` is a value that the mapping does not name, None where that is not it."""

    outcome: Outcome
    unknown: str | None = None


NO_OUTCOME = Judged(Outcome.UNDECIDED)
ReadOutcome = Callable[[object], Judged]


class SeenValue:
    """A value that stood there: what it means, and how often it did."""

    __slots__ = ("judged", "times")

    def __init__(self, judged: Judged) -> None:
        self.judged = judged
        self.times = 0


class Outcomes:
    """Makes readers of outcomes, and remembers the values that they met."""

    def __init__(self, texts: Texts, decimal: str) -> None:
        self._texts = texts
        self._decimal = decimal
        self._met: list[dict[str, SeenValue]] = []
        self._meanings: list[_Meanings] = []

    @property
    def values(self) -> Counter[tuple[str, Outcome]]:
        """Return what stood there with what it meant, and how often."""
        counted: Counter[tuple[str, Outcome]] = Counter()
        for met in self._met:
            for text, seen in met.items():
                counted[text, seen.judged.outcome] += seen.times
        return counted

    @property
    def unknown(self) -> Counter[str]:
        """Return the values that no rule names, and how often they stood there."""
        counted: Counter[str] = Counter()
        for met in self._met:
            counted.update({text: seen.times for text, seen in met.items() if seen.judged.unknown is not None})
        return counted

    def seen(self) -> Iterator[SeenValue]:
        """Yield the values that stood there."""
        return chain.from_iterable(met.values() for met in self._met)

    def names(self, text: str) -> bool:
        """Return whether some rule that lists values names this one."""
        return any(meaning(text) is not None for meaning in self._meanings)

    def reader(self, key: str, rules: HowEnded) -> ReadOutcome | None:
        """Return what tells how an item ended; None where the mapping does not say. Raises ValueError."""
        if isinstance(rules, Outcome):
            always = Judged(rules)
            return lambda _item: always
        outcome_rules = rules if isinstance(rules, tuple) else (rules,)
        if not outcome_rules:
            return None
        readers = [self._of_rule(f"{key}.from", rule) for rule in outcome_rules]
        if len(readers) == 1:
            (read,) = readers
            return lambda item: read(item) or NO_OUTCOME
        return lambda item: next((judged for read in readers if (judged := read(item)) is not None), NO_OUTCOME)

    def _of_rule(self, key: str, rule: OutcomeRule) -> Callable[[object], Judged | None]:
        judged = _JudgedTexts(rule, self._decimal)
        self._met.append(judged.met)
        self._meanings.append(judged.meaning_of)
        missing = None if rule.missing is None else Judged(rule.missing)
        if isinstance(rule.from_, str | int):
            selector = self._texts.select(key, rule.from_) if rule.from_ != "" else None
            if selector is None:
                return lambda _item: missing
            if selector.single:
                text_at = selector.read
                return lambda item: missing if (text := text_at(item)) is None else judged(text)
        find = self._texts.all(key, rule.from_)
        return lambda item: judged.worst(texts) if (texts := find(item) if find else ()) else missing


class _JudgedTexts:
    """What the texts at a place mean by one rule; each is looked up once, and how often it came is counted."""

    def __init__(self, rule: OutcomeRule, decimal: str) -> None:
        self.meaning_of = _Meanings(rule, decimal)
        self.met: dict[str, SeenValue] = {}

    def __call__(self, text: str) -> Judged:
        """Return what a text means: undecided for one that no part of the rule names."""
        seen = self.met.get(text)
        if seen is None:
            outcome = self.meaning_of(text)
            seen = SeenValue(Judged(Outcome.UNDECIDED, text) if outcome is None else Judged(outcome))
            if len(self.met) < _MOST_VALUES:
                self.met[text] = seen
        seen.times += 1
        return seen.judged

    def worst(self, texts: Sequence[str]) -> Judged:
        """Return what the gravest of several texts means."""
        judged_texts = [self(text) for text in texts]
        worst = gravest(judged.outcome for judged in judged_texts)
        return next(judged for judged in judged_texts if judged.outcome is worst)


class _Meanings:
    """The outcome that each value of a rule means: exact ones first, then bounds and patterns in their order."""

    def __init__(self, rule: OutcomeRule, decimal: str) -> None:
        self._exact: dict[str, Outcome] = {}
        self._path = _path_of(rule) if rule.knows_words else None
        self._loose: list[tuple[Callable[[str], bool], Outcome]] = []  # given a text as it is
        for outcome in _BY_GRAVITY:
            for value in _values_of(rule.meaning_of(outcome)):
                if isinstance(value, Bounds):
                    self._loose.append((within(value, decimal), outcome))
                elif isinstance(value, str) and ("*" in value or "?" in value):
                    self._loose.append((_like(value), outcome))
                else:
                    self._exact.setdefault(as_key(value), outcome)

    def __call__(self, text: str) -> Outcome | None:
        """Return the outcome that a text means, None where no part of the rule names it."""
        if self._path is not None:
            return meaning_of(self._path, text)
        key = as_key(text)
        if key in self._exact:
            return self._exact[key]
        return next((outcome for fits, outcome in self._loose if fits(text)), None)


def _path_of(rule: OutcomeRule) -> str:
    """Return the name of the place of an outcome: it tells what true and false mean there."""
    first = rule.from_.from_ if isinstance(rule.from_, Value) else rule.from_
    return str(first[0] if isinstance(first, tuple) else first)


def _values_of(meaning: Meaning) -> Sequence[Scalar | Bounds]:
    return meaning if isinstance(meaning, tuple) else (meaning,)


def _like(value: str) -> Callable[[str], bool]:
    pattern = re.compile(translate(value.casefold()), re.DOTALL)
    return lambda text: pattern.match(text.strip().casefold()) is not None


def as_key(value: Scalar) -> str:
    """Return a value as it is compared: without case and the blank space around it, numbers without their form."""
    if isinstance(value, bool):
        return str(value).lower()
    if isinstance(value, str):
        text = value.strip().casefold()
        number = read_number(text, ".") if text[:1].isdigit() or text[:1] in "+-." else None
    else:
        text, number = str(value), float(value)
    if number is None or not isfinite(number):
        return text
    return str(int(number)) if number.is_integer() else repr(number)


def within(bounds: Bounds, decimal: str) -> Callable[[str], bool]:
    """Return what tells whether a text is a number within bounds."""
    at_least, at_most, above, below = msgspec.structs.astuple(bounds)

    def fits(text: str) -> bool:
        number = read_number(text, decimal)
        return (
            number is not None
            and (at_least is None or number >= at_least)
            and (at_most is None or number <= at_most)
            and (above is None or number > above)
            and (below is None or number < below)
        )

    return fits


def check_outcome(rule: OutcomeRule) -> None:
    """Make sure that no value means two outcomes, and that bounds have one. Raises ValueError: ``key: what``."""
    seen: dict[str, Outcome] = {}
    for outcome in _BY_GRAVITY:
        for value in _values_of(rule.meaning_of(outcome)):
            if isinstance(value, Bounds):
                if not any(bound is not None for bound in msgspec.structs.astuple(value)):
                    raise ValueError(f"{outcome.value}: has no bound")
                continue
            key = as_key(value)
            if seen.setdefault(key, outcome) is not outcome:
                raise ValueError(f"{outcome.value}: {value!r} is also listed under {seen[key].value}")
