"""What is kept of a run: as a build of its series, before and after it is judged."""

from collections.abc import Iterator, Sequence
from datetime import datetime
from hashlib import blake2b

import msgspec

from plain_verdict.api.numbers import by_operation
from plain_verdict.history.series import identify
from plain_verdict.model import (
    Build,
    BuildCause,
    Cause,
    Fact,
    KeptRun,
    Measured,
    QuarantineEntry,
    QuarantineState,
    Run,
    Verdict,
)
from plain_verdict.model.facts import BRANCH, BUILD, COMMIT
from plain_verdict.text.names import SECONDS, UNITS

_KEPT_CAUSES = 50  # a run with more has one cause that is not told
_QUARANTINED = 500
_MEASURED = 200  # requests, operations and metrics whose numbers are kept
_PER_CENT = 95.0


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
    )


def judged(run: KeptRun, verdict: Verdict) -> KeptRun:
    """Return a kept run with how it was judged."""
    causes = tuple(
        BuildCause(cause_key(cause), cause.name, len(cause.checks)) for cause in verdict.causes[:_KEPT_CAUSES]
    )
    kept = [check for check in verdict.quarantine if check.state is not QuarantineState.RELEASED]
    quarantine = tuple(QuarantineEntry(check.id, check.name, check.since) for check in kept[:_QUARANTINED])
    build = msgspec.structs.replace(
        run.build, verdict=verdict.word, why=verdict.why, causes=causes, quarantine=quarantine
    )
    return msgspec.structs.replace(run, build=build)


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
