"""Brings earlier runs to the order of this one's checks: columns side by side, whatever came and went meanwhile."""

from array import array
from collections.abc import Iterator, Mapping, Sequence
from itertools import pairwise
from typing import NamedTuple

from plain_verdict.model import AlignedHistory, CheckIndex, KeptRun, Past

_OTHERS = 5_000
"""Checks that this run has no more, of which is still told; those seen last first."""
FINE_UP_TO = 5_000
"""Checks whose times a page keeps in fine levels."""
_CHUNK = 256  # ids compared at once: large enough for speed, small enough to find a difference
NOTHING = -1
Pieces = list[tuple[int, int]]
"""Pieces of a roster, from and to; from -1 on there is nothing for as many checks as the end says."""


class _Plan(NamedTuple):
    """How a roster comes to this run's order: in pieces, None where the order is the same.

    ``extra`` are the places of checks that this run has no more.
    """

    pieces: Pieces | None
    extra: Sequence[int]


def align(now: CheckIndex, runs: Sequence[KeptRun]) -> AlignedHistory:
    """Return how each check ended in the runs, in the order of ``now``; and of checks that it has no more."""
    positions = dict(zip(now.ids, range(len(now.ids)), strict=True))
    plans: dict[int, _Plan] = {}
    for run in runs:
        if id(run.check_index) not in plans:
            plans[id(run.check_index)] = _plan(now, positions, run.check_index)
    of_run = [plans[id(run.check_index)] for run in runs]
    others = _others(runs, of_run)
    return AlignedHistory(
        builds=tuple(run.build for run in runs),
        positions=positions,
        outcomes=tuple(outcomes_in(plan.pieces, run.outcomes) for run, plan in zip(runs, of_run, strict=True)),
        times=tuple(times_in(plan.pieces, run.times) for run, plan in zip(runs, of_run, strict=True)),
        others=others,
        other_outcomes=tuple(_of_others(run, plan, others) for run, plan in zip(runs, of_run, strict=True)),
        are_coarse=len(now.ids) > FINE_UP_TO and any(run.coarse for run in runs),
    )


def _plan(now: CheckIndex, positions: Mapping[str, int], index: CheckIndex) -> _Plan:
    if index.ids == now.ids:
        return _Plan(None, ())
    ordered = index.ids[: index.ordered] if index.ordered is not None else index.ids
    extra, missing = differences(now.ids, ordered)
    # What stands past the ordered part may have come back.
    back = {}
    for there in range(len(ordered), len(index.ids)):
        position_now = positions.get(index.ids[there])
        if position_now is None:
            extra.append(there)
        else:
            back[position_now] = there
    return _Plan(pieces_between(len(now.ids), len(ordered), extra, missing, back), extra)


def unlike_positions(rows: Sequence[str]) -> Iterator[int]:
    """Yield where outcomes of several builds, all in the order of the same checks, are not the same in all.

    Whole rows are compared as one number each: most checks end alike in all builds.
    """
    first, *others = [int.from_bytes(row.encode("ascii"), "big") for row in dict.fromkeys(rows)]
    unlike = 0
    for row in others:
        unlike |= first ^ row
    yield from (position for position, differs in enumerate(unlike.to_bytes(len(rows[0]), "big")) if differs)


def differences(ids: tuple[str, ...], others: tuple[str, ...]) -> tuple[list[int], list[int]]:
    """Return the places in ``others`` of what ``ids`` lack, and those in ``ids`` of what ``others`` lack.

    Both are in order, and mostly alike: whole chunks are compared at once.
    """
    extra: list[int] = []
    missing: list[int] = []
    position_now = there = 0
    while position_now < len(ids) and there < len(others):
        if ids[position_now : position_now + _CHUNK] == others[there : there + _CHUNK]:
            position_now, there = position_now + _CHUNK, there + _CHUNK
            continue
        end = min(position_now + _CHUNK, len(ids))
        while position_now < end and there < len(others):
            if ids[position_now] == others[there]:
                position_now, there = position_now + 1, there + 1
            elif ids[position_now] < others[there]:
                missing.append(position_now)
                position_now += 1
            else:
                extra.append(there)
                there += 1
    return [*extra, *range(there, len(others))], [*missing, *range(position_now, len(ids))]


def pieces_between(
    number: int, ordered: int, extra: Sequence[int], missing: Sequence[int], back: Mapping[int, int]
) -> Pieces:
    """Return the pieces of a roster that make up another of so many checks; ``back`` fills what is missing."""
    taken = [
        (low + 1, high)
        for low, high in pairwise(
            [-1, *(taken_position for taken_position in extra if taken_position < ordered), ordered]
        )
    ]
    pieces: Pieces = []
    at, position_now = iter(taken), 0
    start, stop = next(at)

    def take(count: int) -> None:
        nonlocal start, stop
        while count:
            while start == stop:
                start, stop = next(at)
            step = min(count, stop - start)
            pieces.append((start, start + step))
            start, count = start + step, count - step

    for name in missing:
        take(name - position_now)
        there = back.get(name)
        pieces.append((NOTHING, 1) if there is None else (there, there + 1))
        position_now = name + 1
    take(number - position_now)
    return pieces


def outcomes_in(pieces: Pieces | None, outcomes: str) -> str:
    """Return outcomes in another order."""
    if pieces is None:
        return outcomes
    return "".join([Past.ABSENT * stop if start == NOTHING else outcomes[start:stop] for start, stop in pieces])


def times_in(pieces: Pieces | None, times: Sequence[int]) -> Sequence[int]:
    """Return times in another order."""
    if pieces is None or not times:
        return times
    found = array("I")
    for start, stop in pieces:
        found.extend([0] * stop if start == NOTHING else times[start:stop])
    return found


def _others(runs: Sequence[KeptRun], plans: Sequence[_Plan]) -> dict[str, str]:
    """Return the names of checks that only earlier runs have, by id."""
    others: dict[str, str] = {}
    for run, plan in zip(reversed(runs), reversed(plans), strict=True):
        for position in plan.extra:
            if len(others) < _OTHERS and run.outcomes[position] != Past.ABSENT:
                others.setdefault(run.check_index.ids[position], run.check_index.names[position])
    return others


def _of_others(run: KeptRun, plan: _Plan, others: dict[str, str]) -> str:
    outcomes = {run.check_index.ids[position]: run.outcomes[position] for position in plan.extra}
    return "".join([outcomes.get(id_, Past.ABSENT) for id_ in others])
