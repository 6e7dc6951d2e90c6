"""What a measure is: a name, a unit, and how its number is found among the checks that a condition looks at."""

import operator
from collections.abc import Callable, Mapping, Sequence
from datetime import date
from functools import cached_property
from math import isnan
from typing import Protocol

import msgspec

from plain_verdict.api.numbers import CallNumbers, count_calls
from plain_verdict.model import (
    ApiCalls,
    ChangesSince,
    Check,
    Requirements,
    Score,
    Tally,
    Waived,
    as_columns,
    aside_word,
    detailed_of,
    tally_of,
)
from plain_verdict.settings.rules import ConditionRule, Scope
from plain_verdict.text.formatting import format_change, format_duration, format_per_cent
from plain_verdict.text.patterns import pattern

Bound = int | float | str
"""As it stands in the settings: a number, or a text with a unit."""
_NUMBER = pattern(r"\s*(\d+(?:\.\d+)?)\s*(ms|s|min|h|%)?\s*")
CALL_KEYS = frozenset(Scope.__struct_fields__)
CHECK_KEYS = CALL_KEYS - {"operation", "status", "request", "metric"}
BOUNDS: Mapping[str, tuple[str, Callable[[float, float], bool]]] = {
    "at_most": ("at most", operator.le),
    "at_least": ("at least", operator.ge),
    "exactly": ("exactly", operator.eq),
}


def bound_of(rule: ConditionRule) -> tuple[str, Bound]:
    """Return the one bound that a condition gives: its key, and what stands there."""
    key = next(key for key in BOUNDS if getattr(rule, key) is not None)
    bound: Bound = getattr(rule, key)
    return key, bound


class ScopeInputs(msgspec.Struct, frozen=True):
    """What a condition may look at besides checks. ``since`` None: there is no earlier run to compare with.

    ``today`` is the day by which deadlines end.
    """

    api: ApiCalls = ApiCalls()
    requirements: Requirements | None = None
    scores: tuple[Score, ...] = ()
    since: ChangesSince | None = None
    today: date = date.min


_NONE = ScopeInputs()


class CheckedScope:
    """The checks and calls that a condition looks at, and what several measures need of them, each counted once."""

    def __init__(
        self,
        checks: Sequence[Check],
        waived: Mapping[str, Waived],
        tally: Tally | None = None,
        inputs: ScopeInputs = _NONE,
    ) -> None:
        self.checks = checks
        self.api = inputs.api
        self.requirements = inputs.requirements
        self.scores = inputs.scores
        self.since = inputs.since
        self.today = inputs.today
        self._waived = waived
        self._tally = tally

    @cached_property
    def tally(self) -> Tally:
        """Return how the checks ended."""
        return tally_of(self.checks) if self._tally is None else self._tally

    @cached_property
    def waived(self) -> Tally:
        """Return how those ended that are waived."""
        return tally_of(list(as_columns(self.checks).named(self._waived)))

    @cached_property
    def aside_word(self) -> str:
        """Return what is reported of those that are waived."""
        return aside_word(self._waived[check.id] for check in as_columns(self.checks).named(self._waived))

    def is_waived(self, check: Check) -> bool:
        """Return whether a check may fail."""
        return check.id in self._waived

    @cached_property
    def times_s(self) -> list[float]:
        """Return how long each check took that tells it, in seconds."""
        times = as_columns(self.checks).last_times_s()
        return [took_s for took_s in times if not isnan(took_s)] if isnan(sum(times)) else times

    @cached_property
    def calls(self) -> CallNumbers:
        """Return the numbers of the calls."""
        return count_calls(self.api.calls)

    @cached_property
    def flaky(self) -> int:
        """Return how many passed only after an attempt that did not."""
        return sum(check.flaky for check in detailed_of(self.checks))


class Unit(Protocol):
    """What a measure is counted in."""

    def read(self, number: float, unit: str, written: Bound) -> float:
        """Return a bound in the measure's own unit; ``written`` is for errors. Raises ValueError."""
        ...

    def format(self, number: float) -> str:
        """Return a number in words."""
        ...


class Count:
    """A whole number."""

    def read(self, number: float, unit: str, written: Bound) -> float:
        """Return the number. Raises ValueError."""
        if unit or number != int(number):
            raise ValueError(f"{written!r} is not a count")
        return number

    def format(self, number: float) -> str:
        """Return the number with separators."""
        return f"{number:,.0f}"


class PerCent:
    """A share of all, 0 to 100."""

    def read(self, number: float, unit: str, written: Bound) -> float:
        """Return per cent. Raises ValueError."""
        if number > 100 or unit not in ("", "%"):
            raise ValueError(f'{written!r} is not a rate of at most 100 %; write it like "99 %"')
        if 0 < number <= 1 and not unit:
            raise ValueError(f'{written!r} would be less than one percent; write "{number * 100:g} %"')
        return number

    def format(self, number: float) -> str:
        """Return the share with its sign."""
        return format_per_cent(number)


class Seconds:
    """A duration."""

    UNITS: Mapping[str, float] = {"ms": 0.001, "s": 1.0, "min": 60.0, "h": 3600.0}

    def read(self, number: float, unit: str, written: Bound) -> float:
        """Return seconds. Raises ValueError."""
        if unit not in self.UNITS:
            raise ValueError(f"{written!r} needs a unit of time: ms, s, min or h")
        return number * self.UNITS[unit]

    def format(self, number: float) -> str:
        """Return the duration in words."""
        return format_duration(number)


class PerSecond:
    """A rate: how many requests per second."""

    def read(self, number: float, unit: str, written: Bound) -> float:
        """Return the number. Raises ValueError."""
        if unit:
            raise ValueError(f"{written!r} is not a number of requests per second; write it without a unit")
        return number

    def format(self, number: float) -> str:
        """Return the number with what it counts."""
        return f"{number:,.4g} requests/s"


class PerCentSlower(PerCent):
    """How much more something is, in per cent of what it was: it may be more than 100."""

    def read(self, number: float, unit: str, written: Bound) -> float:
        """Return per cent. Raises ValueError."""
        if unit not in ("", "%"):
            raise ValueError(f'{written!r} is not a change in percent; write it like "10 %"')
        return number

    def format(self, number: float) -> str:
        """Return the change with its sign."""
        return f"{format_change(number)} %"


class Amount:
    """A number of something, like megabytes: written without a unit, as the measure has only this one."""

    def __init__(self, noun: str) -> None:
        self._noun = noun

    def read(self, number: float, unit: str, written: Bound) -> float:
        """Return the number. Raises ValueError."""
        if unit:
            raise ValueError(f"{written!r} is not a number of {self._noun}; write it without a unit")
        return number

    def format(self, number: float) -> str:
        """Return the number with what it counts."""
        return f"{number:,.4g} {self._noun}"


COUNT, PER_CENT, SECONDS, PER_SECOND = Count(), PerCent(), Seconds(), PerSecond()
PER_CENT_SLOWER = PerCentSlower()
ALL_UNITS = (Count, PerCent, Seconds, PerSecond, PerCentSlower, Amount)
"""Every unit."""


def read_bound(written: Bound, unit: Unit) -> float:
    """Return a bound in a unit. Raises ValueError."""
    found = _NUMBER.fullmatch(str(written))
    if not found:
        raise ValueError(f"{written!r} is not a number of 0 or more; units are ms, s, min, h and %")
    return unit.read(float(found[1]), found[2] or "", written)


class Measure(msgspec.Struct, frozen=True):
    """Something that a condition can bound.

    ``find`` returns None where there is nothing to measure. ``describe`` says the number that was met.
    ``scope_keys`` are the keys of a scope that it knows; a condition with another one is refused.
    ``missing`` says why there is nothing to measure, ``unsure`` why the number may be another.
    """

    name: str
    unit: Unit
    find: Callable[[CheckedScope], float | None]
    describe: Callable[[CheckedScope, float], str]
    scope_keys: frozenset[str] = CHECK_KEYS
    missing: Callable[[CheckedScope], str] = lambda _: "no results to measure"
    unsure: Callable[[CheckedScope], str] = lambda _: ""

    def read(self, written: Bound) -> float:
        """Return a bound in the measure's own unit. Raises ValueError."""
        return read_bound(written, self.unit)
