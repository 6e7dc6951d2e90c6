"""Brings the samples of all files of a run together: one load run, however many machines sent requests."""

from collections.abc import Iterator, Sequence

import msgspec

from plain_verdict.load.comparison import NOISE_THRESHOLD, NoiseThreshold, compare
from plain_verdict.load.numbers import numbers_of
from plain_verdict.load.state import SamplesPayload, merged
from plain_verdict.load.sums import with_more, without
from plain_verdict.model import Run
from plain_verdict.text.formatting import join_list


def with_numbers(run: Run) -> Run:
    """Return the run with the numbers of its samples, in place of what they are made of."""
    found = [
        (file.path, payload)
        for file in run.files
        for payload in file.payloads
        if isinstance(payload, SamplesPayload)
    ]
    state = merged([payload.state for _, payload in found])
    load = numbers_of(state, sum(payload.bad_rows for _, payload in found), tuple(path for path, _ in found))
    if load is not None:
        load = msgspec.structs.replace(load, notes=(*load.notes, *_overlap_notes(found)))
    return msgspec.structs.replace(
        without(run, SamplesPayload), load=load, metrics=with_more(run.metrics, state.metrics)
    )


def with_comparison(run: Run, earlier: Run, threshold: NoiseThreshold = NOISE_THRESHOLD) -> Run:
    """Return the run with what changed in its load results since an earlier run; what can't be read is reported."""
    before = with_numbers(earlier).load
    if run.load is None:
        return run
    notes = tuple(f"For the comparison with before: {trouble.sentence}" for trouble in earlier.unread)
    if before is None:
        notes += ("The earlier run holds no samples, so nothing is compared with it.",)
        return msgspec.structs.replace(run, load=msgspec.structs.replace(run.load, notes=(*run.load.notes, *notes)))
    notes += tuple(f"For the comparison with before: {note.sentence}" for note in earlier.notes if not note.quiet)
    load = msgspec.structs.replace(
        run.load, compared=compare(run.load, before, threshold), notes=(*run.load.notes, *notes)
    )
    return msgspec.structs.replace(run, load=load)


def _overlap_notes(found: Sequence[tuple[str, SamplesPayload]]) -> Iterator[str]:
    """Yield a note on files whose times overlap with those of no other: their clocks may differ."""
    spans = [(path, part.state.first_us, part.state.last_us) for path, part in found]
    known = [(path, first, last) for path, first, last in spans if first is not None and last is not None]

    def alone_with(path: str, first: int, last: int) -> bool:
        return not any(other != path and begin <= last and first <= end for other, begin, end in known)

    alone = [path for path, first, last in known if len(known) > 1 and alone_with(path, first, last)]
    if alone:
        names = join_list(alone)
        yield f"The times of {names} overlap with those of no other samples: a wrong clock, or another run?"
