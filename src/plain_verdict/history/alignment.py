"""Brings earlier runs to the order of this one's checks: columns side by side, whatever came and went meanwhile."""

from array import array
from collections.abc import Mapping, Sequence
from itertools import pairwise
from typing import NamedTuple

from plain_verdict.model import KeptRun, Past, Roster, Traces

_OTHERS = 5_000
"""Checks that this run has no more, of which is still told; those seen last first."""
_CHUNK = 256
_NOTHING = -1
Pieces = list[tuple[int, int]]
"""Pieces of a roster, from and to; from -1 on there is nothing for as many checks as the end says."""


class _Plan(NamedTuple):
    """How a roster comes to this run's order: in pieces, None where the order is the same.

    ``extra`` are the places of checks that this run has no more.
    """

    pieces: Pieces | None
    extra: Sequence[int]


def align(now: Roster, runs: Sequence[KeptRun]) -> Traces:
    """Return how each check ended in the runs, in the order of ``now``; and of checks that it has no more."""
    places = dict(zip(now.ids, range(len(now.ids)), strict=True))
    plans: dict[int, _Plan] = {}
    for run in runs:
        if id(run.roster) not in plans:
            plans[id(run.roster)] = _plan(now, places, run.roster)
    of_run = [plans[id(run.roster)] for run in runs]
    others = _others(runs, of_run)
    return Traces(
        builds=tuple(run.build for run in runs),
        places=places,
        outcomes=tuple(map(_outcomes, runs, of_run)),
        times=tuple(map(_times, runs, of_run)),
        others=others,
        other_outcomes=tuple(_of_others(run, plan, others) for run, plan in zip(runs, of_run, strict=True)),
    )


def _plan(now: Roster, places: Mapping[str, int], roster: Roster) -> _Plan:
    if roster.ids == now.ids:
        return _Plan(None, ())
    ordered = roster.ids[: roster.ordered] if roster.ordered is not None else roster.ids
    extra, missing = _differences(now.ids, ordered)
    # What stands past the ordered part may have come back.
    back = {}
    for there in range(len(ordered), len(roster.ids)):
        here = places.get(roster.ids[there])
        if here is None:
            extra.append(there)
        else:
            back[here] = there
    return _Plan(_pieces(len(now.ids), len(ordered), extra, missing, back), extra)


def _differences(ids: tuple[str, ...], others: tuple[str, ...]) -> tuple[list[int], list[int]]:
    """Return the places in ``others`` of what ``ids`` lack, and those in ``ids`` of what ``others`` lack.

    Both are in order, and mostly alike: whole chunks are compared at once.
    """
    extra: list[int] = []
    missing: list[int] = []
    here = there = 0
    while here < len(ids) and there < len(others):
        if ids[here : here + _CHUNK] == others[there : there + _CHUNK]:
            here, there = here + _CHUNK, there + _CHUNK
            continue
        end = min(here + _CHUNK, len(ids))
        while here < end and there < len(others):
            if ids[here] == others[there]:
                here, there = here + 1, there + 1
            elif ids[here] < others[there]:
                missing.append(here)
                here += 1
            else:
                extra.append(there)
                there += 1
    return [*extra, *range(there, len(others))], [*missing, *range(here, len(ids))]


def _pieces(
    number: int, ordered: int, extra: Sequence[int], missing: Sequence[int], back: Mapping[int, int]
) -> Pieces:
    """Return the pieces that make up this run's order."""
    taken = [
        (low + 1, high) for low, high in pairwise([-1, *(place for place in extra if place < ordered), ordered])
    ]
    pieces: Pieces = []
    at, here = iter(taken), 0
    start, stop = next(at)

    def take(count: int) -> None:
        nonlocal start, stop
        while count:
            while start == stop:
                start, stop = next(at)
            step = min(count, stop - start)
            pieces.append((start, start + step))
            start, count = start + step, count - step

    for place in missing:
        take(place - here)
        there = back.get(place)
        pieces.append((_NOTHING, 1) if there is None else (there, there + 1))
        here = place + 1
    take(number - here)
    return pieces


def _outcomes(run: KeptRun, plan: _Plan) -> str:
    if plan.pieces is None:
        return run.outcomes
    outcomes = run.outcomes
    return "".join(
        [Past.ABSENT * stop if start == _NOTHING else outcomes[start:stop] for start, stop in plan.pieces]
    )


def _times(run: KeptRun, plan: _Plan) -> Sequence[int]:
    if plan.pieces is None or not run.times:
        return run.times
    times = array("I")
    for start, stop in plan.pieces:
        times.extend([0] * stop if start == _NOTHING else run.times[start:stop])
    return times


def _others(runs: Sequence[KeptRun], plans: Sequence[_Plan]) -> dict[str, str]:
    """Return the names of checks that only earlier runs have, by id."""
    others: dict[str, str] = {}
    for run, plan in zip(reversed(runs), reversed(plans), strict=True):
        for place in plan.extra:
            if len(others) < _OTHERS and run.outcomes[place] != Past.ABSENT:
                others.setdefault(run.roster.ids[place], run.roster.names[place])
    return others


def _of_others(run: KeptRun, plan: _Plan, others: dict[str, str]) -> str:
    own = {run.roster.ids[place]: run.outcomes[place] for place in plan.extra}
    return "".join([own.get(id_, Past.ABSENT) for id_ in others])
