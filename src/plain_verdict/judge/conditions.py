"""Weighs the team's conditions: a measure, a bound, a scope; and says each in words."""

import re
from collections.abc import Sequence
from fnmatch import fnmatchcase

from plain_verdict.model import Check, ConditionResult, Waived, tally_of
from plain_verdict.rules import ConditionRule, Scope
from plain_verdict.words import capital, share, took

_TIMES = {"ms": 0.001, "s": 1.0, "min": 60.0, "h": 3600.0}
_DURATIONS = ("duration", "slowest check")
_BOUND = re.compile(r"\s*(\d+(?:\.\d+)?)\s*(ms|s|min|h|%)?\s*")
_BOUNDS = {"at_most": "at most", "at_least": "at least", "exactly": "exactly"}


def check_condition(rule: ConditionRule) -> None:
    """Make sure that a condition makes sense. Raises ValueError, which begins with the key."""
    given = [key for key in _BOUNDS if getattr(rule, key) is not None]
    if len(given) != 1:
        raise ValueError("measure: needs exactly one of at_most, at_least and exactly")
    try:
        _bound(rule)
    except ValueError as error:
        raise ValueError(f"{given[0]}: {error}") from error


def weigh(
    rules: Sequence[ConditionRule], checks: Sequence[Check], waived: dict[str, Waived]
) -> tuple[tuple[ConditionResult, ...], tuple[str, ...]]:
    """Return each condition with the number it met, kept or broken; and notes on scopes that nothing is in."""
    results: list[ConditionResult] = []
    notes: list[str] = []
    for rule in rules:
        inside = [check for check in checks if _in(rule.scope, check)]
        results.append(_weighed(rule, inside, waived))
        if checks and not inside:
            notes.append(
                f"No check is{_where(rule.scope)}, where the condition “{rule.name or rule.measure}” looks."
            )
    return tuple(results), tuple(notes)


def _in(scope: Scope, check: Check) -> bool:
    if scope.kind is not None and check.kind is not scope.kind:
        return False
    if scope.tag and scope.tag not in check.tags:
        return False
    if scope.variant and not any(fnmatchcase(fact.value, scope.variant) for fact in check.variant):
        return False
    path = " › ".join(check.suite)
    return not scope.suite or scope.suite in check.suite or fnmatchcase(path, scope.suite)


def _weighed(rule: ConditionRule, checks: list[Check], waived: dict[str, Waived]) -> ConditionResult:
    met = _measure(rule.measure, checks, waived)
    key, bound = _bound(rule)
    words = f"{capital(rule.measure)}: {_BOUNDS[key]} {_said(rule.measure, bound)}{_where(rule.scope)}"
    words = f"{rule.name} ({words[:1].lower()}{words[1:]})" if rule.name else words
    words += f", as {rule.reason}" if rule.reason else ""
    none_may_fail = rule.measure in ("failed", "errored") and not bound and rule.scope == Scope()
    name = "" if none_may_fail else rule.name or rule.measure
    if met is None:
        return ConditionResult(words, None, "nothing to measure", name)
    kept = {"at_most": met <= bound, "at_least": met >= bound, "exactly": met == bound}[key]
    return ConditionResult(words, kept, _met(rule.measure, met, checks, waived), name)


def _measure(measure: str, checks: list[Check], waived: dict[str, Waived]) -> float | None:
    """Return the number a measure has: a count, seconds, or per cent. None where there is nothing to measure."""
    counted = [check for check in checks if check.id not in waived]
    tally = tally_of(checks)
    times = [check.last.took_s for check in checks if check.last.took_s is not None]
    numbers: dict[str, float | None] = {
        "checks": tally.ran,
        "failed": tally_of(counted).failed,
        "errored": tally_of(counted).errored,
        "skipped": tally.skipped,
        "undecided": tally.undecided,
        "flaky": sum(check.flaky for check in checks),
        "waived": len(checks) - len(counted),
        "pass rate": 100 * tally.passed / tally.ran if tally.ran else None,
        "duration": sum(times) if times else None,
        "slowest check": max(times, default=None),
    }
    return numbers[measure]


def _bound(rule: ConditionRule) -> tuple[str, float]:
    """Return which bound is given, and its number in the measure's own unit. Raises ValueError."""
    key = next(key for key in _BOUNDS if getattr(rule, key) is not None)
    value = getattr(rule, key)
    found = _BOUND.fullmatch(str(value))
    if not found:
        raise ValueError(f"{value!r} is no number of 0 or more; units are ms, s, min, h and %")
    number, unit = float(found[1]), found[2] or ""
    if rule.measure in _DURATIONS:
        if unit not in _TIMES:
            raise ValueError(f"{value!r} needs a unit of time: ms, s, min or h")
        return key, number * _TIMES[unit]
    if rule.measure == "pass rate":
        if number > 100 or unit not in ("", "%"):
            raise ValueError(f'{value!r} is no rate up to 100 %; write it like "99 %"')
        if 0 < number <= 1 and not unit:
            raise ValueError(f'{value!r} would be less than one per cent; write "{number * 100:g} %"')
    elif unit or number != int(number):
        raise ValueError(f"{value!r} is no count")
    return key, number


def _said(measure: str, number: float) -> str:
    if measure in _DURATIONS:
        return took(number)
    return f"{number:g} %" if measure == "pass rate" else f"{number:,.0f}"


def _met(measure: str, number: float, checks: list[Check], waived: dict[str, Waived]) -> str:
    if measure == "pass rate":
        tally = tally_of(checks)
        return share(tally.passed, tally.ran)
    if measure in ("failed", "errored"):
        aside = sum(check.id in waived and check.outcome.value == measure for check in checks)
        return f"{number:,.0f} {measure}{f', {aside:,} waived' if aside else ''}"
    if measure == "checks":
        return f"{number:,.0f} ran"
    return took(number) if measure in _DURATIONS else f"{number:,.0f} {measure}"


def _where(scope: Scope) -> str:
    parts = [f"in {scope.suite}" if scope.suite else "", f"of kind {scope.kind.value}" if scope.kind else ""]
    parts.append(f"on {scope.variant}" if scope.variant else "")
    parts.append(f"tagged {scope.tag}" if scope.tag else "")
    return "".join(f" {part}" for part in parts if part)
