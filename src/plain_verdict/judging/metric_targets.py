"""Targets on metrics: conditions whose scope names numbers of the team's own."""

from collections.abc import Iterator, Sequence
from fnmatch import fnmatchcase

from plain_verdict.judging.measures.interface import BOUNDS, bound_of
from plain_verdict.judging.measures.load import METRIC_MEASURES
from plain_verdict.judging.target import Target
from plain_verdict.model import Metric, State
from plain_verdict.settings.rules import ConditionRule
from plain_verdict.text.formatting import capital, format_metric
from plain_verdict.text.names import SECONDS, UNITS
from plain_verdict.text.patterns import pattern

_BOUND = pattern(r"\s*(-?\d+(?:\.\d+)?)\s*(\D*?)\s*")


def read_metric_bound(rule: ConditionRule) -> tuple[str, float, str]:
    """Return the key of a bound, its number and its unit, "" for the metric's own. Raises ValueError."""
    key, written = bound_of(rule)
    found = _BOUND.fullmatch(str(written))
    if not found:
        raise ValueError(f"{written!r} is not a number, with or without a unit")
    return key, float(found[1]), found[2]


def check_metric_condition(rule: ConditionRule) -> None:
    """Make sure that a condition on metrics makes sense. Raises ValueError, which begins with the key."""
    if rule.measure not in METRIC_MEASURES:
        raise ValueError(
            f"measure: {rule.measure!r} does not fit a metric; use one of {', '.join(METRIC_MEASURES)}"
        )
    key = bound_of(rule)[0]
    try:
        read_metric_bound(rule)
    except ValueError as error:
        raise ValueError(f"{key}: {error}") from error


def describe_metric_bound(rule: ConditionRule) -> str:
    """Return what a condition asks of metrics, in words."""
    key, number, unit = read_metric_bound(rule)
    what = "" if rule.measure == "value" else f", {rule.measure}"
    return f"{rule.scope.metric}{what}: {BOUNDS[key][0]} {format_metric(number, unit)}"


def of_metrics(rule: ConditionRule, metrics: Sequence[Metric]) -> Iterator[Target]:
    """Yield what a condition says of each metric that it is about."""
    find = METRIC_MEASURES[rule.measure]
    key, number, unit = read_metric_bound(rule)
    phrase, keeps = BOUNDS[key]
    for metric in metrics:
        if not fnmatchcase(metric.name, rule.scope.metric):
            continue
        limit, value = _in_unit(number, unit, metric.unit), find(metric)
        what = "" if rule.measure == "value" else f", {rule.measure}"
        bound = f"{phrase} {format_metric(number, unit or metric.unit)}"
        words = capital(f"{metric.name}{what}: {bound}")
        if limit is None or value is None:
            state, met = State.OPEN, _why_open(rule, metric, unit, fits=limit is not None)
        else:
            state = State.MET if keeps(value, limit) else State.NOT_MET
            met = format_metric(value, metric.unit)
        yield Target(rule, metric.name, words, state, bound, met, met, limit or 0.0)


def _why_open(rule: ConditionRule, metric: Metric, unit: str, *, fits: bool) -> str:
    """Return why a target can't be judged; ``fits``: its unit does."""
    if not fits:
        return f"its unit is {metric.unit or 'none'}, not {unit}"
    return f"{metric.count:,} values" if rule.measure == "value" else f"too few values ({metric.count:,})"


def _in_unit(number: float, unit: str, wanted: str) -> float | None:
    """Return a bound in the unit of a metric; None where the two have nothing in common."""
    if not unit or unit.casefold() == wanted.casefold():
        return number
    given, wanted_unit = UNITS.get(unit.casefold()), UNITS.get(wanted.casefold())
    return number * SECONDS[given] / SECONDS[wanted_unit] if given and wanted_unit else None
