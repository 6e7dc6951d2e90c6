"""Guesses what the fields of items are to a check, and which items look most like checks."""

import math
import re
from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from datetime import datetime
from itertools import filterfalse
from typing import NamedTuple

from plain_verdict.model import Outcome
from plain_verdict.readers.mapping.draft.fields import Field, Level
from plain_verdict.readers.mapping.draft.meaning import Role, fit_of
from plain_verdict.readers.mapping.outcome_words import counts_bad, meaning_of
from plain_verdict.readers.mapping.times import read_took
from plain_verdict.text.moments import read_moment
from plain_verdict.text.names import split_identifier, unit_in
from plain_verdict.text.numbers import read_number

_PATTERNS = (
    *("%d.%m.%Y %H:%M:%S", "%d.%m.%Y %H:%M", "%d.%m.%y %H:%M", "%d/%m/%Y %H:%M:%S", "%d/%m/%Y %H:%M"),
    *("%m/%d/%Y %H:%M:%S", "%m/%d/%Y %H:%M", "%Y/%m/%d %H:%M:%S", "%Y/%m/%d %H:%M", "%d-%m-%Y %H:%M:%S"),
    *("%d-%m-%Y %H:%M", "%d %b %Y %H:%M", "%d.%m.%Y", "%d/%m/%Y", "%m/%d/%Y", "%d-%m-%Y"),
)
_TIMES_OF_DAY = ("%H:%M:%S", "%H:%M", "%H.%M")
_FILE = re.compile(r"[^\n<>]{1,300}\.(?:png|jpe?g|webp|gif|bmp|svg|log|txt|html?|mp4|webm|pdf|har)", re.IGNORECASE)
_DAY_FIRST = re.compile(r"\d{1,4}[-./ ]\s?\w{1,9}[-./ ]\s?\d{1,4}\.?")
_WHOLE_NUMBER = re.compile(r"-?\d{1,12}")
_FEW_VALUES = 12  # an outcome has few different words
_VALUES_TRIED = 60  # enough to tell times from names
_MOST_OF_ITEMS = 0.6
"""The share of values that must be written one way: some cells are always wrong."""
_MOST_VALUES_SHOWN = 20
_MOST_NAME_CHARS = 200  # longer texts are messages
# What each role adds to the likeness of items to checks.
_WEIGHTS = {Role.OUTCOME: 6.0, Role.NAME: 3.0, Role.TOOK: 1.5, Role.STARTED: 1.0, Role.MESSAGE: 1.0}
_LESS_FITTING = 0.01  # less fitting for each object around a field
_LEAST_DIFFERENT = 0.35
"""The share of names that are different, of checks that come in few suites."""
_NOT_THIS_OUTCOME = frozenset(["expected", "expect", "wanted", "previous", "last", "target", "reviewed"])
_HTTP_CHARS = 3
_LEAST = 0.3
"""How well a field must fit a role to be taken for it."""


Legend = Mapping[str, Outcome]
"""What codes mean, where the file itself explains them."""
NO_LEGEND: Legend = {}


class When(NamedTuple):
    """How a moment is written: a pattern, "" for ISO 8601 and epoch numbers; and another that fits as well."""

    pattern: str = ""
    either: str = ""
    named_zone: bool = False


class Guess(NamedTuple):
    """What the fields of a level are: roles with the place they stand at, best first."""

    roles: dict[Role, Field]
    score: float
    unused: tuple[Field, ...]
    time_of_day: Field | None = None
    """Where the time stands, if the day stands by itself."""
    unit: str | None = None
    """Of durations, where a field next to them tells it."""


class Meanings(NamedTuple):
    """What the values of an outcome mean, with how often each stands there; and those that nobody can tell."""

    known: dict[Outcome, Counter[str]]
    unknown: Counter[str]
    number: bool = False
    """Whether they are numbers that count what went wrong."""


def guess(level: Level, legend: Legend = NO_LEGEND, without: Callable[[Field], bool] | None = None) -> Guess:
    """Return the roles of a level's fields, each role and each field at most once, without some fields."""
    fields = [field for field in level.fields if level.where is None or field.path != level.where[0]]
    if without is not None:
        fields = list(filterfalse(without, fields))
    roles = _roles(fields, legend)
    rest = [field for field in fields if field not in roles.values()]
    groups = next(filter(_groups_all, rest), None)
    if groups and _lacks_suite(roles):
        roles[Role.SUITE] = groups
    time_of_day = _time_of_day(roles, rest)
    used = (time_of_day, *roles.values())
    unused = tuple(field for field in rest if field not in used)
    return Guess(roles, score_of(roles, level.number), unused, time_of_day, _unit_beside(roles, level))


def _lacks_suite(roles: Mapping[Role, Field]) -> bool:
    return Role.NAME in roles and Role.SUITE not in roles


def _time_of_day(roles: Mapping[Role, Field], rest: Sequence[Field]) -> Field | None:
    """Return the field that has the time where another has the day."""
    started = roles.get(Role.STARTED)
    return next(filter(_is_time_of_day, rest), None) if started and _is_day(started) else None


def score_of(roles: Mapping[Role, Field], items: int) -> float:
    """Return how much items with fields of these roles look like checks."""
    # Of two lists that fit as well, the longer one is that of the checks.
    score = sum(_WEIGHTS.get(role, 0.2) * _fit(role, field) for role, field in roles.items())
    return score + math.log10(items + 1) / 2


def _roles(fields: Sequence[Field], legend: Legend) -> dict[Role, Field]:
    """Return for each role the field that fits it best, the best fits first."""
    fits = sorted(
        ((_fit(role, field, legend), -at, role, field) for role in Role for at, field in enumerate(fields)),
        key=lambda fit: (-fit[0], list(Role).index(fit[2]), -fit[1]),
    )
    roles: dict[Role, Field] = {}
    for fit, _, role, field in fits:
        if fit >= _LEAST and role not in roles and field not in roles.values():
            roles[role] = field
    return roles


def _groups_all(field: Field) -> bool:
    return field.share == 1 and _suite_fit(field, 1.0) > 0 and not when([field])


def _unit_beside(roles: dict[Role, Field], level: Level) -> str | None:
    """Return the unit that an attribute ``unit`` beside a duration names, where it is always the same."""
    took = roles.get(Role.TOOK)
    beside = next((field for field in level.fields if took and field.path == f"{took.path}/@unit"), None)
    return unit_in(beside.values[0]) if beside and beside.different == 1 else None


def meanings_of(field: Field, legend: Legend = NO_LEGEND) -> Meanings:
    """Return what the values of an outcome most likely mean; ``legend`` is what the file says of its codes."""
    values = Counter(field.values)
    if legend and values.keys() <= legend.keys():
        explained: dict[Outcome, Counter[str]] = {}
        for value, times in values.items():
            explained.setdefault(legend[value], Counter())[value] = times
        return Meanings(explained, Counter())
    if counts_bad(field.path) and all(_WHOLE_NUMBER.fullmatch(value) for value in values):
        return Meanings({}, Counter(), number=True)
    known: dict[Outcome, Counter[str]] = {}
    unknown: Counter[str] = Counter()
    for value, times in values.items():
        outcome = meaning_of(field.path, value)
        if outcome is None:
            unknown[value] = times
        else:
            known.setdefault(outcome, Counter())[value] = times
    return Meanings(known, unknown)


def when(fields: Sequence[Field]) -> When | None:
    """Return how moments are written that stand in one field, or in two; None where nobody can tell."""
    values = [" ".join(pair) for pair in zip(*(field.values for field in fields), strict=False)]
    if not values:
        return None
    moments = [moment for moment in map(read_moment, values) if moment]
    if len(moments) >= _MOST_OF_ITEMS * len(values):
        return When(named_zone=all(moment.tzinfo for moment in moments))
    patterns = _fitting(values)
    return When(patterns[0], patterns[1] if len(patterns) > 1 else "") if patterns else None


def _fitting(values: Sequence[str]) -> list[str]:
    """Return the patterns that most values are written in, those that fit the most of them."""
    days = [pattern for pattern in _PATTERNS if "%H" not in pattern]
    patterns = (*_PATTERNS, *(f"{day} {time}" for day in days for time in _TIMES_OF_DAY))
    fits = {pattern: sum(_is_written(value, pattern) for value in values[:_VALUES_TRIED]) for pattern in patterns}
    most = max(fits.values())
    enough = most >= _MOST_OF_ITEMS * min(len(values), _VALUES_TRIED)
    return [pattern for pattern, number in fits.items() if number == most] if enough else []


def _is_written(value: str, pattern: str) -> bool:
    try:
        datetime.strptime(value.strip(), pattern)  # noqa: DTZ007  only whether it can be read
    except ValueError:
        return False
    return True


def _is_day(field: Field) -> bool:
    """Return whether days stand there, in whatever form."""
    return bool(field.values) and all(_DAY_FIRST.fullmatch(value.strip()) for value in field.values)


def _is_time_of_day(field: Field) -> bool:
    return bool(field.values) and any(
        all(_is_written(value, pattern) for value in field.values) for pattern in _TIMES_OF_DAY
    )


def _fit(role: Role, field: Field, legend: Legend = NO_LEGEND) -> float:
    """Return how well a field fits a role, by its name and by what stands in it: 0 to about 1."""
    if not field.values:
        return 0.0
    named = fit_of(role, field.path)
    if role is Role.OUTCOME and legend and set(field.values) <= legend.keys():
        return 0.9
    if role in _BY_NAME:
        return _BY_NAME[role] * named
    fit_by_content = _BY_CONTENT[role](field, named)
    # Of two that fit as well, the one that stands less deep is the item's own.
    return max(0.0, fit_by_content - _LESS_FITTING * field.path.count("."))


def _moment_fit(field: Field, named: float) -> float:
    return named if named and not field.many and (when([field]) or _is_day(field)) else 0.0


def _took_fit(field: Field, named: float) -> float:
    is_match = not field.many and all(read_took(value, "s") is not None for value in field.values)
    return named * (0.5 + field.share / 2) if is_match else 0.0


def _suite_fit(field: Field, named: float) -> float:
    if any("\n" in value for value in field.values) or all(meaning_of("", value) for value in field.values):
        return 0.0
    return 0.9 * named if named and _groups(field) else 0.0


def _groups(field: Field) -> bool:
    """Return whether a field's values come again and again: they may be what items are grouped by."""
    return not field.many and 1 < field.different <= 0.7 * len(field.values) and not _numeric(field)


def _evidence_fit(field: Field, named: float) -> float:
    are_files = all(_FILE.fullmatch(value) and "://" not in value for value in field.values)
    return 0.5 + 0.5 * named if are_files else 0.0


def _number_fit(field: Field, named: float) -> float:
    return 0.7 * named if not field.many and _numeric(field) else 0.0


def _message_fit(field: Field, named: float) -> float:
    return 0.8 * named if not _numeric(field) else 0.0


def _numeric(field: Field) -> bool:
    return bool(field.values) and all(read_number(value) is not None for value in field.values)


def _outcome_fit(field: Field, named: float) -> float:
    """Return how well a field tells outcomes: few values, most of them words that mean one."""
    if field.many or not 0 < field.different <= _FEW_VALUES:
        return 0.0
    if set(split_identifier(field.path)) & _NOT_THIS_OUTCOME:
        return 0.0
    if _numeric(field):
        # A status of HTTP is no count of what went wrong.
        return 0.7 if counts_bad(field.path) and max(map(len, field.values)) < _HTTP_CHARS else 0.0
    known = sum(meaning_of(field.path, value) is not None for value in field.values) / len(field.values)
    return min(1.0, 0.7 * known + 0.3 * named) if known or named >= 0.6 else 0.0


def _name_fit(field: Field, named: float) -> float:
    """Return how well a field names items: texts, mostly different, not long; best where its own name says it."""
    if field.many or field.share < 0.5 or when([field]) or _share_of(field, _is_block) > 1 / len(field.values):
        return 0.0
    different = field.different / len(field.values)
    if different < _LEAST_DIFFERENT and len(field.values) > 3:
        return 0.0  # it tells groups, or variants
    words = 0.2 * bool(_share_of(field, _has_blank)) - 0.3 * _numeric(field)
    return (0.6 * named + 0.3 * different + words - 0.5 * _share_of(field, _is_long)) * field.share


def _share_of(field: Field, fits: Callable[[str], bool]) -> float:
    return sum(map(fits, field.values)) / len(field.values)


def _is_block(value: str) -> bool:
    return "\n" in value.strip()


def _has_blank(value: str) -> bool:
    return " " in value


def _is_long(value: str) -> bool:
    return len(value) > _MOST_NAME_CHARS


def shown_values(values: Counter[str]) -> list[tuple[str, int]]:
    """Return values with how often each stands there, most often first, as many as a person reads."""
    return values.most_common(_MOST_VALUES_SHOWN)


_BY_NAME = {
    **dict.fromkeys((Role.REQUIREMENTS, Role.DESCRIPTION, Role.WORKER, Role.SEVERITY, Role.OUTPUT), 0.7),
    **dict.fromkeys((Role.FILE, Role.DETAIL, Role.TYPE, Role.LOCATION, Role.EXPECTED, Role.ACTUAL), 0.65),
    Role.TAGS: 0.9,
}
"""Roles that only a field's name tells, and how much that counts."""
_BY_CONTENT: dict[Role, Callable[[Field, float], float]] = {
    Role.OUTCOME: _outcome_fit,
    Role.STARTED: _moment_fit,
    Role.ENDED: _moment_fit,
    Role.TOOK: _took_fit,
    Role.NAME: _name_fit,
    Role.SUITE: _suite_fit,
    Role.EVIDENCE: _evidence_fit,
    Role.MESSAGE: _message_fit,
    Role.LINE: _number_fit,
    Role.ATTEMPT: _number_fit,
}
