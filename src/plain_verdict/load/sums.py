"""Brings what other tools summed up, and the team's own numbers, together for a run; needs no more than Python."""

from collections.abc import Iterator, Mapping, Sequence

import msgspec

from plain_verdict.load.metrics import MetricStates, SumsPayload, metric_of
from plain_verdict.model import Metric, Payload, Reported, RequestNumbers, Run, SumChange
from plain_verdict.model.transform import with_fields
from plain_verdict.text.formatting import join_list


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


def with_sums_compared(run: Run, earlier: Run) -> Run:
    """Return the run with its sums beside those of an earlier run, or beside the numbers of its samples."""
    before = [reported.whole for reported in earlier.reported] + ([earlier.load.whole] if earlier.load else [])
    requests = [request for reported in earlier.reported for request in reported.requests]
    requests += earlier.load.requests if earlier.load else ()
    by_name = {request.name: request for request in reversed(requests)}
    whole = before[0] if len(before) == len(run.reported) == 1 else None
    return with_fields(run, reported=tuple(_compared(reported, by_name, whole) for reported in run.reported))


def _compared(reported: Reported, before: Mapping[str, RequestNumbers], whole: RequestNumbers | None) -> Reported:
    changes = [SumChange(before[request.name], request) for request in reported.requests if request.name in before]
    # Sums of all are alike only where both runs sent the same requests.
    if whole and changes and {request.name for request in reported.requests} == before.keys():
        changes.append(SumChange(whole, reported.whole))
    return msgspec.structs.replace(reported, compared=tuple(changes))


def baseline_notes(run: Run, earlier: Run | None) -> Iterator[str]:
    """Yield why nothing is compared with an earlier run that was named; None: it was not read."""
    if run.load is None and not run.reported:
        yield "There is no load run here to compare with the earlier one that --baseline names."
    elif earlier is not None:
        yield from _notes_on_earlier(run, earlier)


def _notes_on_earlier(run: Run, earlier: Run) -> Iterator[str]:
    if run.load is None:  # else the load run's own notes have it
        yield from (f"For the comparison with before: {trouble.sentence}" for trouble in earlier.unread)
    if earlier.load is None and not earlier.reported:
        yield "The earlier run that --baseline names holds no load results, so that nothing is compared with it."
    elif run.load is not None and earlier.load is None:
        yield "The earlier run holds sums only, so that samples are not compared with it."
    now, before = _names(run), _names(earlier)
    if now and before and now.isdisjoint(before):
        names = join_list(sorted(before))
        yield f"No request of the earlier run is in this one, so that none is compared: it sent {names}."


def _names(run: Run) -> set[str]:
    names = {request.name for reported in run.reported for request in reported.requests}
    return names | ({request.name for request in run.load.requests} if run.load else set())


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
