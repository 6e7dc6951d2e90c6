"""Weighs the team's conditions: a measure, a bound, a scope; and says each in words."""

from collections.abc import Mapping, Sequence
from datetime import date
from fnmatch import fnmatchcase
from itertools import chain

import msgspec

from plain_verdict.api.templates import nameless
from plain_verdict.judging.matching import fits_status
from plain_verdict.judging.measures import CheckedScope, measure_named
from plain_verdict.judging.measures.interface import BOUNDS, Measure, ScopeInputs, bound_of
from plain_verdict.judging.measures.load import LOAD_MEASURES, METRIC_MEASURES
from plain_verdict.judging.metric_targets import check_metric_condition
from plain_verdict.judging.severities import fits_severity, read_severity
from plain_verdict.judging.target import Target
from plain_verdict.judging.targets import is_on_load, result_of, targets_of
from plain_verdict.model import Call, Check, ConditionResult, Outcome, Run, Score, State, Waived
from plain_verdict.settings.rules import ConditionRule, Scope
from plain_verdict.text.formatting import capital

_WHOLE_RUN = Scope()


class Scopes:
    """The parts of a run that conditions look at, each looked through once."""

    def __init__(self, run: Run, waived: Mapping[str, Waived], today: date) -> None:
        self._run = run
        self._today = today
        self._waived = waived
        scores = tuple(score for file in run.files for score in file.scores)
        self._since = run.since
        inputs = ScopeInputs(run.api, run.requirements, scores, self._since, today)
        whole = CheckedScope(run.checks, waived, run.tally, inputs)
        self._found = {_WHOLE_RUN: whole}

    @property
    def run(self) -> Run:
        """Return the run."""
        return self._run

    @property
    def waived(self) -> Mapping[str, Waived]:
        """Return what is waived, by the id of the check."""
        return self._waived

    @property
    def whole(self) -> CheckedScope:
        """Return the whole run."""
        return self._found[_WHOLE_RUN]

    def within(self, scope: Scope) -> CheckedScope:
        """Return the checks in a scope."""
        if scope not in self._found:
            inside = [check for check in self._run.checks if _is_in(scope, check)]
            calls = tuple(
                call for call in self._run.api.calls if _is_in(scope, call.check) and _is_meant(scope, call)
            )
            api = msgspec.structs.replace(self._run.api, calls=calls)
            inputs = ScopeInputs(api, scores=self._scores_of(scope.subject), since=self._since, today=self._today)
            self._found[scope] = CheckedScope(inside, self._waived, inputs=inputs)
        return self._found[scope]

    def _scores_of(self, subject: str) -> tuple[Score, ...]:
        scores = chain.from_iterable(file.scores for file in self._run.files)
        return tuple(score for score in scores if not subject or fnmatchcase(score.subject, subject))


def _check_scope(scope: Scope, measure: Measure) -> None:
    if scope.severity:
        try:
            read_severity(scope.severity)
        except ValueError as error:
            raise ValueError(f"scope: {error}") from error
    for key in scope.__struct_fields__:
        if getattr(scope, key) and key not in measure.scope_keys:
            raise ValueError(f"scope: the measure {measure.name!r} has no scope {key!r}")


def check_condition(rule: ConditionRule) -> None:
    """Make sure that a condition makes sense. Raises ValueError, which begins with the key."""
    given = [key for key in BOUNDS if getattr(rule, key) is not None]
    if len(given) != 1:
        raise ValueError("measure: needs exactly one of at_most, at_least and exactly")
    measure = measure_named(rule.measure)
    _check_scope(rule.scope, measure)
    if rule.scope.metric:
        check_metric_condition(rule)
        return
    if rule.measure in METRIC_MEASURES.keys() - LOAD_MEASURES.keys():
        raise ValueError('scope: needs a metric, like { metric = "first paint" }')
    try:
        measure.read(getattr(rule, given[0]))
    except ValueError as error:
        raise ValueError(f"{given[0]}: {error}") from error


def weigh(rules: Sequence[ConditionRule], scopes: Scopes) -> tuple[tuple[ConditionResult, ...], tuple[str, ...]]:
    """Return each condition with the number it met and its state; and notes on scopes that nothing is in."""
    results: list[ConditionResult] = []
    notes: list[str] = []
    targets = targets_of(rules, scopes.run)
    for rule in rules:
        if is_on_load(rule, scopes.run):
            results.append(_on_load(rule, scopes, targets))
            continue
        inside = scopes.within(rule.scope)
        results.append(_weighed(rule, inside))
        on_calls = bool(rule.scope.operation or rule.scope.status)
        thing = "call" if on_calls else "check"
        found = bool(inside.api.calls if on_calls else inside.checks)
        if scopes.whole.checks and not found:
            notes.append(
                f"The condition “{rule.name or rule.measure}” covers no {thing}: none is{_where(rule.scope)}."
            )
    return tuple(results), tuple(notes)


def _on_load(rule: ConditionRule, scopes: Scopes, targets: Sequence[Target]) -> ConditionResult:
    if scopes.run.load or scopes.run.reported or rule.scope.metric:
        return result_of(rule, targets, scopes.waived)
    return _weighed(rule, CheckedScope((), {}))


def _is_in(scope: Scope, check: Check) -> bool:
    if scope.kind is not None and check.kind is not scope.kind:
        return False
    if (scope.tag and scope.tag not in check.tags) or not _has_owner(check, scope.owner):
        return False
    # A host is a variant like a browser: the two keys are two words for one thing.
    if not (_has_variant(check, scope.variant) and _has_variant(check, scope.subject)):
        return False
    if scope.severity and not (check.rule and fits_severity(scope.severity, check.rule.severity)):
        return False
    return _is_of_suite(check, scope.suite)


def _has_owner(check: Check, pattern: str) -> bool:
    return not pattern or any(fnmatchcase(name, pattern) for name in check.owners)


def _has_variant(check: Check, pattern: str) -> bool:
    return not pattern or any(fnmatchcase(fact.value, pattern) for fact in check.variant)


def _is_of_suite(check: Check, pattern: str) -> bool:
    return not pattern or pattern in check.suite or fnmatchcase(" › ".join(check.suite), pattern)


def _is_meant(scope: Scope, call: Call) -> bool:
    """Return whether a call is one that a scope looks at; what the holes of a template are called tells nothing."""
    name, wanted = nameless(call.operation.name), nameless(scope.operation)
    if scope.operation and name != wanted and not fnmatchcase(name, wanted):
        return False
    return not scope.status or fits_status(scope.status, call.exchange)


def _weighed(rule: ConditionRule, scope: CheckedScope) -> ConditionResult:
    measure = measure_named(rule.measure)
    key, written = bound_of(rule)
    bound = measure.read(written)
    phrase, keeps = BOUNDS[key]
    words = f"{capital(measure.name)}{_where(rule.scope)}: {phrase} {measure.unit.format(bound)}"
    words = f"{rule.name} ({words[:1].lower()}{words[1:]})" if rule.name else words
    words += f" ({rule.reason})" if rule.reason else ""
    none_may_fail = measure.name in (Outcome.FAILED, Outcome.ERRORED) and not bound and rule.scope == _WHOLE_RUN
    name = "" if none_may_fail else rule.name or measure.name
    met = measure.find(scope)
    if met is None:
        return ConditionResult(words, State.OPEN, measure.missing(scope), name)
    state = State.MET if keeps(met, bound) else State.NOT_MET
    description, unsure = measure.describe(scope, met), measure.unsure(scope)
    if state is State.MET and unsure:
        return ConditionResult(words, State.OPEN, f"{description}, but {unsure}", name)
    return ConditionResult(words, state, description, name)


def _where(scope: Scope) -> str:
    parts = [f"in {scope.suite}" if scope.suite else "", f"of kind {scope.kind.value}" if scope.kind else ""]
    parts.append(f"on {scope.variant}" if scope.variant else "")
    parts.append(f"on {scope.subject}" if scope.subject else "")
    parts.append(f"of {scope.severity} severity" if scope.severity else "")
    parts.append(f"tagged {scope.tag}" if scope.tag else "")
    parts.append(f"of owner {scope.owner}" if scope.owner else "")
    parts.append(f"of {scope.operation}" if scope.operation else "")
    parts.append(f"answered {scope.status}" if scope.status else "")
    return "".join(f" {part}" for part in parts if part)
