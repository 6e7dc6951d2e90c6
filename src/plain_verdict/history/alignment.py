"""Brings earlier runs to the order of this one's checks: columns side by side, whatever came and went meanwhile."""

from array import array
from collections.abc import Sequence
from itertools import repeat
from operator import itemgetter
from typing import Any, NamedTuple

from plain_verdict.model import KeptRun, Past, Roster, Traces

_OTHERS = 5_000
"""Checks that this run has no more, of which is still told; those seen last first."""
_FEW = 500
"""Checks that may come and go until a roster is picked place by place."""
_CHUNK = 256


class _Plan(NamedTuple):
    """How a roster comes to this run's order: what is taken out of it, and where something is missing.

    ``pick`` picks each check's place instead, past the end where it is absent, and twice more so
    that it always gives a tuple. ``extra`` are the places of checks that this run has no more.
    """

    extra: list[int]
    missing: list[int]
    pick: "itemgetter[Any] | None" = None


def align(now: Roster, runs: Sequence[KeptRun]) -> Traces:
    """Return how each check ended in the runs, in the order of ``now``; and of checks that it has no more."""
    places = dict(zip(now.ids, range(len(now.ids)), strict=True))
    plans: dict[int, _Plan] = {}
    for run in runs:
        if id(run.roster) not in plans:
            plans[id(run.roster)] = _plan(now, places, run.roster)
    others = _others(runs, plans)
    return Traces(
        builds=tuple(run.build for run in runs),
        places=places,
        outcomes=tuple(_outcomes(run, plans[id(run.roster)]) for run in runs),
        times=tuple(_times(run, plans[id(run.roster)]) for run in runs),
        others=others,
        other_outcomes=tuple(_of_others(run, plans[id(run.roster)], others) for run in runs),
    )


def _plan(now: Roster, places: dict[str, int], roster: Roster) -> _Plan:
    if roster.ids == now.ids:
        return _Plan([], [])
    if roster.in_order:
        plan = _differences(now.ids, roster.ids)
        if len(plan.extra) + len(plan.missing) <= _FEW:
            return plan
        extra = plan.extra
    else:
        extra = [place for place, own in enumerate(map(places.get, roster.ids)) if own is None]
    absent = len(roster.ids)
    theirs = dict(zip(roster.ids, range(absent), strict=True))
    return _Plan(extra, [], itemgetter(*map(theirs.get, now.ids, repeat(absent)), absent, absent))


def _differences(ids: tuple[str, ...], others: tuple[str, ...]) -> _Plan:
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
        end = here + _CHUNK
        while here < min(end, len(ids)) and there < len(others):
            if ids[here] == others[there]:
                here, there = here + 1, there + 1
            elif ids[here] < others[there]:
                missing.append(here)
                here += 1
            else:
                extra.append(there)
                there += 1
    return _Plan([*extra, *range(there, len(others))], [*missing, *range(here, len(ids))])


def _outcomes(run: KeptRun, plan: _Plan) -> str:
    if plan.pick is not None:
        return "".join(plan.pick(f"{run.outcomes}{Past.ABSENT}")[:-2])
    letters = list(run.outcomes) if plan.extra or plan.missing else None
    if letters is None:
        return run.outcomes
    for place in reversed(plan.extra):
        del letters[place]
    for place in plan.missing:
        letters.insert(place, Past.ABSENT)
    return "".join(letters)


def _times(run: KeptRun, plan: _Plan) -> Sequence[int]:
    if not run.times:
        return ()
    if plan.pick is not None:
        return array("I", plan.pick([*run.times, 0])[:-2])
    if not (plan.extra or plan.missing):
        return run.times
    times = array("I", run.times)
    for place in reversed(plan.extra):
        del times[place]
    for place in plan.missing:
        times.insert(place, 0)
    return times


def _others(runs: Sequence[KeptRun], plans: dict[int, _Plan]) -> dict[str, str]:
    """Return the names of checks that only earlier runs have, by id."""
    others: dict[str, str] = {}
    for run in reversed(runs):
        for place in plans[id(run.roster)].extra:
            if len(others) < _OTHERS and run.outcomes[place] != Past.ABSENT:
                others.setdefault(run.roster.ids[place], run.roster.names[place])
    return others


def _of_others(run: KeptRun, plan: _Plan, others: dict[str, str]) -> str:
    own = {run.roster.ids[place]: run.outcomes[place] for place in plan.extra}
    return "".join(own.get(id_, Past.ABSENT) for id_ in others)
