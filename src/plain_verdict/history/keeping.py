"""What is kept of a run: as a build of its series, before and after it is judged."""

import math
from collections import Counter
from collections.abc import Iterable, Iterator, Sequence
from datetime import datetime
from hashlib import blake2b
from heapq import nlargest
from itertools import islice

import msgspec

from plain_verdict.api.numbers import by_operation
from plain_verdict.history.series import identify
from plain_verdict.model import (
    BAD,
    Build,
    BuildCause,
    BuildNumbers,
    Cause,
    Check,
    Density,
    Fact,
    FailureDetail,
    KeptRequirement,
    KeptRun,
    LoadRun,
    LostTime,
    Measured,
    OperationResult,
    Outcome,
    Percentile,
    QuarantineEntry,
    QuarantineState,
    RequestNumbers,
    RequirementState,
    RuleSeverity,
    Run,
    RunDetail,
    Series,
    Severity,
    Verdict,
)
from plain_verdict.model.facts import BRANCH, BUILD, COMMIT
from plain_verdict.text.formatting import shorten
from plain_verdict.text.names import SECONDS, UNITS

_KEPT_CAUSES = 50  # a run with more has one cause that is not told
_QUARANTINED = 500
_MEASURED = 200  # requests, operations and metrics whose numbers are kept
_PER_CENT = 95.0
_COMPARED_PER_CENTS = (50.0, _PER_CENT, 99.0)
_KEPT_FACTS, _KEPT_FAILURES, _KEPT_RULES = 60, 500, 2_000
_FACT_CHARS, _MESSAGE_CHARS = 200, 300
_NAMED_INPUTS = 10  # of which results may be missing
_LOST = 50  # checks whose retries took longest: they stand in the chain of each page as well
_MOST_RATES = 2_000  # batches of a load run: a day in steps of less than a minute


def build_of(run: Run, series: str, key: str, made: datetime, title: str, facts: Sequence[Fact]) -> Build:
    """Return what a run is as a build of a series, before it is judged; ``key`` "" is the fact of that name."""
    by_key = {fact.key.casefold(): fact.value for fact in reversed(facts)}
    starts = [file.started for file in run.files if file.started]
    zoned = {moment.tzinfo is not None for moment in starts}
    key = key or by_key.get(BUILD, "")
    return Build(
        id=identify(run, series, key, facts),
        series=series,
        made=made,
        title=title,
        branch=by_key.get(BRANCH, ""),
        build=key,
        commit=by_key.get(COMMIT, ""),
        started=(min(starts) if len(zoned) == 1 else starts[0]) if starts else None,
        tally=run.tally,
        measured=tuple(_measured(run))[:_MEASURED],
        numbers=_numbers(run),
        lost=tuple(_lost(run)),
    )


def judged(run: KeptRun, verdict: Verdict, detail: RunDetail) -> KeptRun:
    """Return a kept run with how it was judged, and its detail."""
    causes = tuple(
        BuildCause(cause_key(cause), cause.name, len(cause.checks), _seconds(cause.checks))
        for cause in verdict.causes[:_KEPT_CAUSES]
    )
    kept = [check for check in verdict.quarantine if check.state is not QuarantineState.RELEASED]
    quarantine = tuple(QuarantineEntry(check.id, check.name, check.since) for check in kept[:_QUARANTINED])
    build = msgspec.structs.replace(
        run.build, verdict=verdict.word, why=verdict.why, causes=causes, quarantine=quarantine
    )
    return msgspec.structs.replace(run, build=build, detail=detail)


def cause_key(cause: Cause) -> str:
    """Return what is the same of a cause in every build: the team's name for it, or what does not vary in it."""
    fixed = "\0".join(text for text, varies in cause.typical if not varies)
    is_named = cause.by_rule or not fixed.strip()
    identity = f"rule\0{cause.identity or cause.name}" if is_named else f"{cause.type}\0{fixed}"
    return blake2b(identity.encode("utf-8", "surrogatepass"), digest_size=6).hexdigest()


def _measured(run: Run) -> Iterator[Measured]:
    """Yield what 95 % took, of each request of a load run and of each operation of an API."""
    for request in (*run.load.requests, run.load.whole) if run.load else ():
        value = request.percentile(_PER_CENT).value_s
        if value is not None:
            yield Measured(f"95 % of {request.name}", value)
    for operation, numbers in by_operation(run.api.calls):
        if numbers.p95_s is not None:
            yield Measured(f"95 % of {operation.name}", numbers.p95_s)
    for metric in run.metrics:
        value = metric.mean if metric.p95 is None else metric.p95
        name = metric.name if metric.p95 is None else f"95 % of {metric.name}"
        unit = UNITS.get(metric.unit.casefold())
        yield Measured(name, value * SECONDS[unit]) if unit else Measured(name, value, metric.unit)


def _seconds(checks: Iterable[Check]) -> float:
    """Return the time of the attempts of some checks."""
    return _seconds_of([attempt.took_s or 0.0 for check in checks for attempt in check.attempts])


def _seconds_of(times: Sequence[float]) -> float:
    lowest = min(times, default=0.0)
    return round(math.fsum(times if lowest >= 0 else [max(0.0, time) for time in times]), 3)


def _numbers(run: Run) -> BuildNumbers:
    load, results = run.load, run.requirements.results
    return BuildNumbers(
        took_s=_seconds_of(run.checks.times_s()) or None,
        load_p95_s=load.whole.percentile(_PER_CENT).value_s if load else None,
        error_share=load.whole.failed_share if load else None,
        failed_rules=_failed_rules([check for check in run.checks.detailed if check.rule]),
        requirements=(run.requirements.count(RequirementState.MET), len(results)) if results else None,
    )


def _failed_rules(rules: Sequence[Check]) -> tuple[int, ...]:
    failed = Counter(check.rule.severity for check in rules if check.rule and check.outcome is Outcome.FAILED)
    return tuple(failed[severity] for severity in Severity) if rules else ()


def _lost(run: Run) -> list[LostTime]:
    """Return the time of failed attempts before a pass, the longest first."""
    # Most checks have one attempt, which is quick to see.
    retried = (check for check in run.checks.detailed if len(check.attempts) > 1 and check.flaky)
    lost = [LostTime(check.id, _seconds_of_retries(check)) for check in retried]
    return nlargest(_LOST, [time for time in lost if time.took_s], key=lambda time: time.took_s)


def _seconds_of_retries(check: Check) -> float:
    return round(sum(max(0.0, attempt.took_s or 0.0) for attempt in check.attempts[:-1]), 3)


def detail_of(run: Run, facts: Sequence[Fact]) -> RunDetail:
    """Return what is kept of a run besides the outcomes of its checks."""
    failed = [check for check in run.checks.detailed if check.outcome in BAD]
    return RunDetail(
        facts=tuple(map(_shortened, facts[:_KEPT_FACTS])),
        failures=tuple(map(_failure, failed[:_KEPT_FAILURES])),
        operations=tuple(
            OperationResult(operation.name, numbers.calls, numbers.wrong, numbers.p95_s)
            for operation, numbers in by_operation(run.api.calls)[:_MEASURED]
        ),
        rules=tuple(islice(_open_rules(run), _KEPT_RULES)),
        requirements=tuple(
            KeptRequirement(result.requirement.label, shorten(result.requirement.title, _FACT_CHARS), result.state)
            for result in run.requirements.results[:_KEPT_RULES]
        ),
        load=_without_course(run.load) if run.load else None,
        incomplete=tuple(shorten(trouble.sentence, _MESSAGE_CHARS) for trouble in run.not_whole[:_NAMED_INPUTS]),
    )


def _open_rules(run: Run) -> Iterator[RuleSeverity]:
    """Yield the rules that did not pass: those that nobody could decide as well."""
    for check in run.checks.detailed:
        if check.rule and check.outcome is not Outcome.PASSED:
            yield RuleSeverity(check.id, check.rule.severity)


def _shortened(fact: Fact) -> Fact:
    return Fact(shorten(fact.key, _FACT_CHARS), shorten(fact.value, _FACT_CHARS))


def _failure(check: Check) -> FailureDetail:
    return FailureDetail(check.id, shorten(check.why, _MESSAGE_CHARS), next(iter(check.owners), ""))


def _without_course(load: LoadRun) -> LoadRun:
    """Return the numbers of a load run that two runs are compared by."""
    # Its course in time is most of its size, and no comparison needs it.
    nothing = Series(load.started, 1, (), (), (), (), (), ())
    rates = load.rates if load.rates and len(load.rates.sent) <= _MOST_RATES else None
    return LoadRun(
        rows=load.rows,
        bad_rows=load.bad_rows,
        started=load.started,
        ended=load.ended,
        whole=_compared(load.whole),
        requests=tuple(map(_compared, load.requests[:_MEASURED])),
        series=nothing,
        series_5s=nothing,
        density=Density((), ()),
        rates=rates,
    )


def _compared(numbers: RequestNumbers) -> RequestNumbers:
    wanted = tuple(_rounded(numbers.percentile(per_cent)) for per_cent in _COMPARED_PER_CENTS)
    return RequestNumbers(numbers.name, numbers.count, numbers.failed, numbers.received_bytes, percentiles=wanted)


def _rounded(percentile: Percentile) -> Percentile:
    """Return a percentile with six digits that count: it stands in each page."""
    ends = (percentile.value_s, percentile.low_s, percentile.high_s)
    value_s, low_s, high_s = (None if number is None else float(f"{number:.6g}") for number in ends)
    return msgspec.structs.replace(
        percentile, value_s=value_s, low_s=low_s, high_s=high_s, degrees=float(f"{percentile.degrees:.6g}")
    )
