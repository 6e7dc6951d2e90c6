"""Guesses what the fields of items are to a check, and which items look most like checks."""

import math
import re
from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from datetime import datetime
from typing import NamedTuple

from plain_verdict.model import Outcome
from plain_verdict.readers.mapping.draft.fields import Candidate, Field, Level
from plain_verdict.readers.mapping.draft.meaning import Role, counts_bad, fit_of, meaning_of
from plain_verdict.readers.mapping.times import read_took
from plain_verdict.text.moments import read_moment
from plain_verdict.text.names import unit_in
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
_LIKE_STEPS = 4.0
_LEAST = 0.3
"""How well a field must fit a role to be taken for it."""


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


def guess(level: Level) -> Guess:
    """Return the roles of a level's fields, each role and each field at most once."""
    fixed = level.where[0] if level.where else ""
    fields = [field for field in level.fields if field.path != fixed]
    roles = _roles(fields)
    rest = [field for field in fields if field not in roles.values()]
    groups = next(filter(_groups_all, rest), None)
    if groups and Role.SUITE not in roles and Role.NAME in roles:
        roles[Role.SUITE] = groups
    time_of_day = _time_of_day(roles, rest)
    used = (time_of_day, *roles.values())
    unused = tuple(field for field in rest if field not in used)
    return Guess(roles, _score(roles, level.number), unused, time_of_day, _unit_beside(roles, level))


def _time_of_day(roles: Mapping[Role, Field], rest: Sequence[Field]) -> Field | None:
    """Return the field that has the time where another has the day."""
    started = roles.get(Role.STARTED)
    return next(filter(_is_time_of_day, rest), None) if started and _is_day(started) else None


def _score(roles: Mapping[Role, Field], items: int) -> float:
    # Of two lists that fit as well, the longer one is that of the checks.
    score = sum(_WEIGHTS.get(role, 0.2) * _fit(role, field) for role, field in roles.items())
    return score + math.log10(items + 1) / 2


def _roles(fields: Sequence[Field]) -> dict[Role, Field]:
    """Return for each role the field that fits it best, the best fits first."""
    fits = sorted(
        ((_fit(role, field), -at, role, field) for role in Role for at, field in enumerate(fields)),
        key=lambda fit: (-fit[0], list(Role).index(fit[2]), -fit[1]),
    )
    roles: dict[Role, Field] = {}
    for fit, _, role, field in fits:
        if fit >= _LEAST and role not in roles and field not in roles.values():
            roles[role] = field
    return roles


def _groups_all(field: Field) -> bool:
    return field.share == 1 and _groups(field) and not when([field])


def _unit_beside(roles: dict[Role, Field], level: Level) -> str | None:
    """Return the unit that an attribute ``unit`` beside a duration names, where it is always the same."""
    took = roles.get(Role.TOOK)
    beside = next((field for field in level.fields if took and field.path == f"{took.path}/@unit"), None)
    return unit_in(beside.values[0]) if beside and beside.different == 1 else None


def best(candidates: Sequence[Candidate]) -> tuple[Candidate, Guess] | None:
    """Return the items that look most like checks; None where there are none.

    Where checks have steps, both look alike: the outer ones are the checks.
    """
    guessed = [(candidate, guess(candidate.items)) for candidate in candidates]

    def likeness(pair: tuple[Candidate, Guess]) -> float:
        candidate, made = pair
        in_checks = any(Role.OUTCOME in guess(level).roles for level in candidate.levels[:-1])
        return made.score - _LIKE_STEPS * in_checks - 0.1 * len(candidate.levels)

    return max(guessed, key=likeness, default=None)


def meanings_of(field: Field) -> Meanings:
    """Return what the values of an outcome most likely mean."""
    values = Counter(field.values)
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


def _fit(role: Role, field: Field) -> float:
    """Return how well a field fits a role, by its name and by what stands in it: 0 to about 1."""
    if not field.values:
        return 0.0
    named = fit_of(role, field.path)
    if role in _BY_NAME:
        return _BY_NAME[role] * named
    fit_by_content = _BY_CONTENT[role](field, named)
    return max(0.0, fit_by_content)


def _moment_fit(field: Field, named: float) -> float:
    return named if named and not field.many and (when([field]) or _is_day(field)) else 0.0


def _took_fit(field: Field, named: float) -> float:
    is_match = not field.many and all(read_took(value, "s") is not None for value in field.values)
    return named * (0.5 + field.share / 2) if is_match else 0.0


def _suite_fit(field: Field, named: float) -> float:
    return 0.9 * named if named and _groups(field) else 0.0


def _groups(field: Field) -> bool:
    """Return whether a field's values come again and again: they may be what items are grouped by."""
    return not field.many and 1 < field.different <= 0.7 * len(field.values) and not _numeric(field)


def _evidence_fit(field: Field, named: float) -> float:
    return 0.5 + 0.5 * named if all(_FILE.fullmatch(value) for value in field.values) else 0.0


def _number_fit(field: Field, named: float) -> float:
    return 0.7 * named if not field.many and _numeric(field) else 0.0


def _message_fit(field: Field, named: float) -> float:
    return 0.8 * named if not _numeric(field) else 0.0


def _numeric(field: Field) -> bool:
    return bool(field.values) and all(read_number(value) is not None for value in field.values)


def _outcome_fit(field: Field, named: float) -> float:
    """Return how well a field tells outcomes: few values, most of them words that mean one."""
    if field.many or not field.values or field.different > _FEW_VALUES:
        return 0.0
    if _numeric(field):
        return 0.7 if counts_bad(field.path) else 0.0
    known = sum(meaning_of(field.path, value) is not None for value in field.values) / len(field.values)
    return min(1.0, 0.7 * known + 0.3 * named) if known or named >= 0.6 else 0.0


def _name_fit(field: Field, named: float) -> float:
    """Return how well a field names items: texts, mostly different, not long; best where its own name says it."""
    if field.many or field.share < 0.5 or when([field]):
        return 0.0
    different = field.different / len(field.values)
    long = sum(len(value) > _MOST_NAME_CHARS for value in field.values) / len(field.values)
    words = 0.2 if any(" " in value for value in field.values) else 0.0
    wordless = 0.3 if _numeric(field) else 0.0
    return (0.6 * named + 0.3 * different + words - wordless - 0.5 * long) * field.share


def shown_values(values: Counter[str]) -> list[tuple[str, int]]:
    """Return values with how often each stands there, most often first, as many as a person reads."""
    return values.most_common(_MOST_VALUES_SHOWN)


_BY_NAME = {
    **dict.fromkeys((Role.REQUIREMENTS, Role.DESCRIPTION, Role.WORKER, Role.SEVERITY, Role.OUTPUT), 0.7),
    **dict.fromkeys((Role.FILE, Role.DETAIL, Role.TYPE, Role.EXPECTED, Role.ACTUAL), 0.65),
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
