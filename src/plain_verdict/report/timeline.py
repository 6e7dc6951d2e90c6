"""The strip of time: a track for each worker or machine, and how many checks ran at once."""

from collections import defaultdict
from collections.abc import Iterator, Sequence
from datetime import datetime
from itertools import chain

import msgspec

from plain_verdict.model import BAD, Attempt, Check, ResultFile, Run, detailed_of, in_order
from plain_verdict.model.facts import MACHINE

_MOST_TRACKS = 24  # workers: more are thinner than a line
_MOST_SEGMENTS = 400  # on one track: more are thinner than a dot
_LEAST_PIECE = 0.15  # per cent of the strip


class Segment(msgspec.Struct, frozen=True):
    """A stretch of a track, in per cent of the strip: a check, or a whole file where its checks have no times."""

    start: float
    width: float
    bad: bool
    title: str


class Track(msgspec.Struct, frozen=True):
    """What one worker or machine did, and for how long in all."""

    name: str
    segments: tuple[Segment, ...]
    busy_s: float


class Timeline(msgspec.Struct, frozen=True):
    """The run's time: from first start to last end, the sum of all checks, and the tracks."""

    wall_s: float
    checks_s: float
    tracks: tuple[Track, ...]
    hidden_tracks: int = 0

    @property
    def at_once(self) -> float:
        """Return how many checks ran at once on average."""
        return self.checks_s / self.wall_s if self.wall_s else 0


_Piece = tuple[datetime, float, bool, str]


def make_timeline(run: Run) -> Timeline | None:
    """Return the run's times; None where the results don't tell when they ran."""
    tracks: dict[str, list[_Piece]] = defaultdict(list)
    for file in run.files:
        for name, piece in _pieces(file):
            tracks[name].append(piece)
    pieces = list(chain.from_iterable(tracks.values()))
    if not pieces:
        return None
    start = min(began for began, *_ in pieces)
    wall_s = _wall_s(pieces, start)
    if wall_s <= 0:
        return None
    checks_s = sum(run.checks.times_s())
    made = [_track(name, spans, start, wall_s) for name, spans in sorted(tracks.items())]
    return Timeline(wall_s, checks_s, tuple(made[:_MOST_TRACKS]), max(0, len(made) - _MOST_TRACKS))


def _wall_s(pieces: Sequence[_Piece], start: datetime) -> float:
    """Return the time from the start to the last end, in seconds."""
    return max((began - start).total_seconds() + took_s for began, took_s, *_ in pieces)


def _attempts(file: ResultFile) -> Iterator[tuple[Check, Attempt]]:
    return ((check, attempt) for check in detailed_of(file.checks) for attempt in check.attempts)


def _pieces(file: ResultFile) -> Iterator[tuple[str, _Piece]]:
    """Yield (track, piece) for each attempt of a file that tells its times, or else for the file as a whole."""
    machine = _machine_of(file)
    timed = False
    for check, attempt in _attempts(file):
        if attempt.started and attempt.took_s is not None:
            timed = True
            piece = (in_order(attempt.started), attempt.took_s, check.outcome in BAD, check.title)
            yield attempt.worker or machine or file.path, piece
    if not timed and file.started and file.ended:
        began, took = in_order(file.started), in_order(file.ended) - in_order(file.started)
        bad = bool(file.tally.failed or file.tally.errored)
        yield machine or file.path, (began, took.total_seconds(), bad, file.path)


def _machine_of(file: ResultFile) -> str:
    """Return the machine that a file ran on; "" where it does not tell."""
    return next((fact.value for notes in file.suites for fact in notes.facts if fact.key == MACHINE), "")


def _track(name: str, pieces: list[_Piece], start: datetime, wall_s: float) -> Track:
    longest = sorted(pieces, key=lambda piece: -piece[1])[:_MOST_SEGMENTS]
    segments = [
        Segment(
            round(100 * (began - start).total_seconds() / wall_s, 2),
            round(max(_LEAST_PIECE, 100 * took_s / wall_s), 2),
            bad,
            title,
        )
        for began, took_s, bad, title in sorted(longest)
    ]
    return Track(name, tuple(segments), sum(took_s for _, took_s, *_ in pieces))
