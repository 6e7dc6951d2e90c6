"""Targets of load runs: conditions on requests, each of which is its own check."""

from collections.abc import Callable, Collection, Iterator, Sequence
from fnmatch import fnmatchcase

import msgspec

from plain_verdict.judging.measures import measure_named
from plain_verdict.judging.measures.interface import BOUNDS, PER_CENT, SECONDS, bound_of
from plain_verdict.judging.measures.load import (
    LOAD_MEASURES,
    METRIC_MEASURES,
    PERCENTILES,
    SHARED,
    LoadMeasure,
    Sent,
)
from plain_verdict.judging.metric_targets import describe_metric_bound, of_metrics
from plain_verdict.judging.target import SUITE, Target
from plain_verdict.model import (
    Attempt,
    Check,
    Checks,
    ConditionResult,
    Kind,
    LoadRun,
    Outcome,
    Problem,
    RequestNumbers,
    Run,
    State,
    TimeBound,
)
from plain_verdict.settings.rules import ConditionRule, Scope
from plain_verdict.text.formatting import capital, format_change, format_duration, format_failed_share, join_list

_OUTCOME_OF_STATE = {State.MET: Outcome.PASSED, State.NOT_MET: Outcome.FAILED, State.OPEN: Outcome.UNDECIDED}


def is_on_load(rule: ConditionRule, run: Run) -> bool:
    """Return whether a condition looks at a load run or at metrics, not at checks or their calls."""
    if rule.scope.metric or rule.measure in METRIC_MEASURES.keys() - LOAD_MEASURES.keys():
        return True
    if rule.measure not in LOAD_MEASURES:
        return False
    if rule.measure not in SHARED or rule.scope.request or rule.scope.kind is Kind.LOAD:
        return True
    return bool(run.load or run.reported) and not run.api.calls and not rule.scope.operation


def sent_in(run: Run) -> tuple[Sent, ...]:
    """Return the requests of a run: those of its samples, and file by file those of which only sums are left."""
    has_many = bool(run.load) + len(run.reported) > 1
    found = [Sent(run.load.requests, run.load.whole, run.load.span_s, run.load.compared)] if run.load else []
    for reported in run.reported:
        span_s = (
            (reported.ended - reported.started).total_seconds() if reported.started and reported.ended else None
        )
        found.append(Sent(reported.requests, reported.whole, span_s, source=reported.path if has_many else ""))
    return tuple(found)


def all_failed(run: Run) -> Iterator[ConditionResult]:
    """Yield a broken condition for each load run of which every request failed: that needs no target."""
    for sent in sent_in(run):
        count = sent.whole.count
        if count and sent.whole.failed == count:
            source = f" ({sent.source})" if sent.source else ""
            words = f"Requests of the load run succeed{source}"
            yield ConditionResult(words, State.NOT_MET, f"all {count:,} failed", "no request succeeded")


def targets_of(rules: Sequence[ConditionRule], run: Run) -> tuple[Target, ...]:
    """Return what each condition on load says of each request or metric that it is about."""
    load_rules = [rule for rule in rules if is_on_load(rule, run)]
    sent = sent_in(run) if load_rules else ()
    return tuple(
        target
        for rule in load_rules
        for target in (of_metrics(rule, run.metrics) if rule.scope.metric else _of_requests(rule, sent))
    )


def _of_requests(rule: ConditionRule, loads: Sequence[Sent]) -> Iterator[Target]:
    measure = LOAD_MEASURES.get(rule.measure)
    if measure is None:
        return  # one of metrics, in a scope without any
    for sent in loads:
        if not rule.scope.request:
            yield _target(rule, measure, sent.whole, sent)
        for request in sent.requests:
            if rule.scope.request and fnmatchcase(request.name, rule.scope.request):
                yield _target(rule, measure, request, sent)


def _target(rule: ConditionRule, measure: LoadMeasure, request: RequestNumbers, sent: Sent) -> Target:
    key, bound = bound_of(rule)
    limit = measure_named(rule.measure).read(bound)
    phrase, keeps = BOUNDS[key]
    value = measure.find(request, sent)
    source = f" ({sent.source})" if sent.source else ""
    words = capital(f"{measure.noun} of {request.name}: {phrase} {measure.format(limit)}{source}")
    title = f"{phrase} {measure.format(limit)}"
    if value is None:
        state, met = _without_value(measure, request)
        return Target(rule, request.name, words, state, title, met, met, limit)
    state = State.MET if keeps(value, limit) else State.NOT_MET
    met = measure.describe(request, value)
    if measure.interval:
        low, high = measure.interval(request, sent)
        if not _decides((low, value, high), limit, keeps, exactly=key == "exactly"):
            state = State.OPEN
        met = f"{met} (95 % CI {format_change(low)} to {format_change(high)} %{_left_out(sent)})"
    if state is State.MET and key == "at_most" and _too_many_failed(rule.measure, request):
        # Those that failed were not answered within any time, so so many per cent can't have been.
        failed = f"{format_failed_share(request.failed_share)} failed"
        return Target(
            rule, request.name, words, State.NOT_MET, title, f"{met} of answered requests; {failed}", failed, limit
        )
    short = measure.format(value) if measure.unit is SECONDS else met
    return Target(rule, request.name, words, state, title, met, short, limit)


def _left_out(sent: Sent) -> str:
    """Return which beginning a change is judged without: what is slow there only, no target on a change sees."""
    start_s = sent.compared.without_start_s if sent.compared else 0.0
    return f", without the first {format_duration(start_s)}" if start_s else ""


def _decides(
    interval: tuple[float, float, float], limit: float, keeps: Callable[[float, float], bool], *, exactly: bool
) -> bool:
    """Return whether an interval is whole on one side of a limit; one around "exactly" never is."""
    is_around = interval[0] <= limit <= interval[-1]
    return len({keeps(end, limit) for end in interval}) == 1 and not (exactly and is_around)


def _without_value(measure: LoadMeasure, request: RequestNumbers) -> tuple[State, str]:
    """Return the state of a target whose measure has no value, and why: a time of requests that all failed."""
    if request.count and request.failed == request.count and measure.unit is not PER_CENT:
        return State.NOT_MET, f"all {request.count:,} failed"
    return State.OPEN, measure.missing(request)


def _too_many_failed(measure: str, request: RequestNumbers) -> bool:
    """Return whether more requests failed than a percentile leaves room for."""
    per_cent = PERCENTILES.get(measure)
    return per_cent is not None and 100 * request.failed_share > 100 - per_cent


def result_of(rule: ConditionRule, targets: Sequence[Target], waived: Collection[str] = ()) -> ConditionResult:
    """Return a condition on load, weighed: its targets in one; they are listed one by one as checks.

    One whose broken targets are all waived, by the ids of their checks, is met.
    """
    targets_of_rule = [target for target in targets if target.rule is rule]
    name = rule.name or rule.measure
    if not targets_of_rule:
        return ConditionResult(_title(rule), State.OPEN, _nothing_such(rule.scope), name)
    left = [target for target in targets_of_rule if target.state is not State.NOT_MET or target.id not in waived]
    if not left:
        return ConditionResult(_title(rule), State.MET, "all waived", is_target=True)
    state, met = _worst_of(left)
    if len(left) < len(targets_of_rule):
        met += f", {len(targets_of_rule) - len(left):,} waived"
    # A broken one is given by its checks.
    return ConditionResult(_title(rule), state, met, "" if state is State.NOT_MET else name, is_target=True)


def _nothing_such(scope: Scope) -> str:
    return "no such metric" if scope.metric else "no such request"


def _worst_of(targets: Sequence[Target]) -> tuple[State, str]:
    """Return the gravest state of targets, and what those in it met."""
    state = min((target.state for target in targets), key=tuple(State).index)
    if len(targets) == 1:
        return state, targets[0].met
    return state, join_list([f"{target.request} {target.met}" for target in targets if target.state is state])


def _title(rule: ConditionRule) -> str:
    """Return a condition as it is listed: its name or its bound, and the team's reason for it."""
    words = f"{rule.name} ({_words(rule)})" if rule.name else capital(_words(rule))
    return f"{words} ({rule.reason})" if rule.reason else words


def _words(rule: ConditionRule) -> str:
    if rule.scope.metric:
        return describe_metric_bound(rule)
    key, bound = bound_of(rule)
    measure = LOAD_MEASURES.get(rule.measure)
    if measure is None:
        return f"{rule.measure} needs a metric in its scope"
    where = f" of {rule.scope.request}" if rule.scope.request else ""
    where = " of each request" if rule.scope.request == "*" else where
    return f"{measure.noun}{where}: {BOUNDS[key][0]} {measure.format(measure_named(rule.measure).read(bound))}"


def with_targets(run: Run, rules: Sequence[ConditionRule]) -> Run:
    """Return the run with a check for each target, in the file of the first samples."""
    targets = targets_of(rules, run)
    checks = tuple(map(_check, targets))
    if not checks or not run.files:
        return run
    paths = {*(run.load.paths if run.load else ()), *(reported.path for reported in run.reported)}
    first = next((at for at, file in enumerate(run.files) if file.path in paths), 0)
    file = run.files[first]
    files = list(run.files)
    files[first] = msgspec.structs.replace(
        file, checks=Checks.joined([file.checks, checks]), cases=file.cases + len(checks)
    )
    load = run.load
    if load:
        load = msgspec.structs.replace(load, bounds=tuple(_time_bounds(targets, load)))
    return msgspec.structs.replace(run, files=tuple(files), load=load)


def _time_bounds(targets: Sequence[Target], load: LoadRun) -> Iterator[TimeBound]:
    for target in targets:
        per_cent = PERCENTILES.get(target.rule.measure)
        if target.rule.at_most is not None and per_cent is not None and not target.rule.scope.metric:
            request = "" if target.request == load.whole.name else target.request
            yield TimeBound(request, per_cent, target.limit, target.words)


def _check(target: Target) -> Check:
    outcome = _OUTCOME_OF_STATE[target.state]
    message = f"{target.words}: {target.met}"
    problem = Problem(outcome, message=message, expected=target.bound, actual=target.short)
    attempt = Attempt(
        outcome,
        reason=target.met if outcome is not Outcome.FAILED else "",
        problems=(problem,) if outcome is Outcome.FAILED else (),
        cause=capital(target.rule.name or _words(target.rule)) if outcome is Outcome.FAILED else "",
    )
    return Check(target.id, Kind.LOAD, SUITE, target.words, (attempt,))
