"""Brings the samples of all files of a run together: one load run, however many machines sent requests."""

from collections.abc import Iterator, Sequence

import msgspec

from plain_verdict.load.comparison import NOISE_THRESHOLD, NoiseThreshold, compare
from plain_verdict.load.numbers import numbers_of
from plain_verdict.load.state import SamplesPayload, merged
from plain_verdict.load.sums import with_more, without
from plain_verdict.model import Run
from plain_verdict.text.formatting import join_list


def with_numbers(run: Run, settled_s: float = 0.0) -> Run:
    """Return the run with the numbers of its samples, in place of what they are made of.

    ``settled_s`` is the beginning that percentiles are compared without.
    """
    found = [
        (file.path, payload)
        for file in run.files
        for payload in file.payloads
        if isinstance(payload, SamplesPayload)
    ]
    state = merged([payload.state for _, payload in found])
    load = numbers_of(
        state, sum(payload.bad_rows for _, payload in found), tuple(path for path, _ in found), settled_s
    )
    if load is not None:
        load = msgspec.structs.replace(load, notes=(*load.notes, *_overlap_notes(found)))
    return msgspec.structs.replace(
        without(run, SamplesPayload), load=load, metrics=with_more(run.metrics, state.metrics)
    )


def with_comparison(run: Run, earlier: Run, threshold: tuple[float, float] = NOISE_THRESHOLD) -> tuple[Run, Run]:
    """Return the run with its numbers and what changed since an earlier run, and that with its numbers.

    What can't be read is reported.
    """
    both = [with_numbers(run), with_numbers(earlier)]
    settled_s = max(map(_slow_start_s, both))
    if settled_s:
        # Without the same part of both: what is slow in one only would look like a change of the other.
        both = [with_numbers(each, settled_s) for each in (run, earlier)]
    run, before = both[0], both[1].load
    if run.load is None:
        return run, both[1]
    notes = tuple(f"For the comparison with before: {trouble.sentence}" for trouble in earlier.unread)
    if before is None:
        load = msgspec.structs.replace(run.load, notes=(*run.load.notes, *notes))
        return msgspec.structs.replace(run, load=load), both[1]
    notes += tuple(f"For the comparison with before: {note.sentence}" for note in earlier.notes if not note.quiet)
    load = msgspec.structs.replace(
        run.load,
        compared=compare(run.load, before, NoiseThreshold(*threshold), settled_s),
        notes=(*run.load.notes, *notes),
    )
    return msgspec.structs.replace(run, load=load), both[1]


def _slow_start_s(run: Run) -> float:
    """Return how long the beginning of a run was surely slower."""
    start = run.load.slow_start if run.load else None
    return start.span_s if start and start.is_sure else 0.0


def _overlap_notes(found: Sequence[tuple[str, SamplesPayload]]) -> Iterator[str]:
    """Yield a note on files whose times overlap with those of no other: their clocks may differ."""
    spans = [(path, *part.span_us) for path, part in found]
    known = [(path, first, last) for path, first, last in spans if first is not None and last is not None]

    def alone_with(path: str, first: int, last: int) -> bool:
        return not any(other != path and begin <= last and first <= end for other, begin, end in known)

    alone = [path for path, first, last in known if len(known) > 1 and alone_with(path, first, last)]
    if alone:
        names = join_list(alone)
        yield f"The times of {names} overlap with those of no other samples: a wrong clock, or another run?"
