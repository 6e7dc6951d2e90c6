"""Prepares the strip of time: a lane for each worker or machine, and how many checks ran at once."""

from collections import defaultdict
from datetime import datetime, timedelta

import msgspec

from plain_verdict.model import BAD, ResultFile, Run, in_order

_MOST_LANES = 24
_MOST_SPANS = 400
_LEAST = 0.15  # per cent of the strip


class Span(msgspec.Struct, frozen=True):
    """A stretch of a lane, in per cent of the strip: a check, or a whole file where its checks have no times."""

    start: float
    width: float
    bad: bool
    title: str


class Lane(msgspec.Struct, frozen=True):
    """What one worker or machine did, and for how long in all."""

    name: str
    spans: tuple[Span, ...]
    busy_s: float


class Timing(msgspec.Struct, frozen=True):
    """The run's time: from first start to last end, the sum of all checks, and the lanes."""

    wall_s: float
    checks_s: float
    lanes: tuple[Lane, ...]
    hidden_lanes: int = 0

    @property
    def at_once(self) -> float:
        """Return how many checks ran at once on average."""
        return self.checks_s / self.wall_s if self.wall_s else 0


_Piece = tuple[datetime, float, bool, str]


def make_timing(run: Run) -> Timing | None:
    """Return the run's timing; None where the results don't tell when they ran."""
    lanes: dict[str, list[_Piece]] = defaultdict(list)
    for file in run.files:
        _add_pieces(file, lanes)
    pieces = [piece for several in lanes.values() for piece in several]
    if not pieces:
        return None
    start = min(piece[0] for piece in pieces)
    wall_s = max((piece[0] - start).total_seconds() + piece[1] for piece in pieces)
    checks_s = sum(one.took_s or 0 for check in run.checks for one in check.attempts)
    if wall_s <= 0:
        return None
    made = [_lane(name, several, start, wall_s) for name, several in sorted(lanes.items())]
    return Timing(wall_s, checks_s, tuple(made[:_MOST_LANES]), max(0, len(made) - _MOST_LANES))


def _add_pieces(file: ResultFile, lanes: dict[str, list[_Piece]]) -> None:
    machine = next((fact.value for notes in file.suites for fact in notes.facts if fact.key == "machine"), "")
    timed = 0
    for check in file.checks:
        for attempt in check.attempts:
            if attempt.started and attempt.took_s is not None:
                timed += 1
                name = attempt.worker or machine or file.path
                lanes[name].append((in_order(attempt.started), attempt.took_s, check.outcome in BAD, check.title))
    if not timed and file.started and file.ended:
        took_s = (in_order(file.ended) - in_order(file.started)).total_seconds()
        lanes[machine or file.path].append(
            (in_order(file.started), took_s, any(check.outcome in BAD for check in file.checks), file.path)
        )


def _lane(name: str, pieces: list[_Piece], start: datetime, wall_s: float) -> Lane:
    spans = [
        Span(
            round(100 * (began - start) / timedelta(seconds=wall_s), 2),
            round(max(_LEAST, 100 * took_s / wall_s), 2),
            bad,
            title,
        )
        for began, took_s, bad, title in sorted(sorted(pieces, key=lambda piece: -piece[1])[:_MOST_SPANS])
    ]
    return Lane(name, tuple(spans), sum(piece[1] for piece in pieces))
