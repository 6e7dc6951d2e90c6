"""Brings what other tools summed up, and the team's own numbers, together for a run; needs no more than Python."""

from collections.abc import Sequence

import msgspec

from plain_verdict.load.metrics import MetricStates, SumsPayload, metric_of
from plain_verdict.model import Metric, Payload, Run
from plain_verdict.model.transform import with_fields


def with_sums(run: Run) -> Run:
    """Return the run with its reported load results and metrics, in place of what they are made of."""
    found = [payload for file in run.files for payload in file.payloads if isinstance(payload, SumsPayload)]
    if not found:
        return run
    states = MetricStates()
    for payload in found:
        states.merge(payload.metrics)
    reported = tuple(payload.reported for payload in found if payload.reported)
    return msgspec.structs.replace(
        without(run, SumsPayload), reported=reported, metrics=with_more(run.metrics, states)
    )


def with_more(metrics: Sequence[Metric], states: MetricStates) -> tuple[Metric, ...]:
    """Return metrics with those of states, by name."""
    more = [metric_of(name, unit, state) for (name, unit), state in states.items() if state.count]
    return tuple(sorted((*metrics, *more), key=lambda metric: (metric.name.casefold(), metric.name, metric.unit)))


def without(run: Run, kind: type[Payload]) -> Run:
    """Return the run without the payloads of a kind, once they are used."""
    files = [
        msgspec.structs.replace(file, payloads=tuple(part for part in file.payloads if not isinstance(part, kind)))
        for file in run.files
    ]
    return with_fields(run, files=tuple(files))
