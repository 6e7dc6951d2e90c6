"""Charts as data: mappings in the units of a chart, with words for those who can't see it. Writers draw them."""

import math
from collections.abc import Sequence
from datetime import datetime, timedelta

import msgspec

from plain_verdict.report.ranges import round_number, round_numbers_between
from plain_verdict.text.formatting import format_duration

WIDTH, LEFT, RIGHT = 940.0, 52.0, 934.0  # units of a drawing: it fills the column, and the axis has its own margin
_TICKS = 6  # at most, so that no two overlap at the narrowest width
_YEAR_S = 366 * 86_400
_TICK_STEPS_S = (1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 900, 1800, 3600, 7200, 14400, 21600, 43200, 86400)


class Mark(msgspec.Struct, frozen=True):
    """A word at a place: ``anchor`` is start, middle or end; ``style`` is empty or a class of the chart."""

    x: float
    y: float
    text: str
    anchor: str = "start"
    style: str = ""


class Outline(msgspec.Struct, frozen=True):
    """A line or an area: its class, and its points as ``x,y x,y``."""

    style: str
    points: str


class Bar(msgspec.Struct, frozen=True):
    """A bar: its class and its place."""

    style: str
    x: float
    y: float
    width: float
    height: float


class Chart(msgspec.Struct, frozen=True):
    """A chart that answers one question: its title, what it shows in words, and its parts from back to front.

    ``table`` tells its numbers: a row of heads, then rows, few enough to be read.
    """

    name: str
    """What its file is called, without an ending."""
    title: str
    aside: str
    words: str
    height: float
    grid: tuple[float, ...] = ()
    """Where horizontal lines stand."""
    areas: tuple[Outline, ...] = ()
    bars: tuple[Bar, ...] = ()
    lines: tuple[Outline, ...] = ()
    limits: tuple[float, ...] = ()
    """Where the lines of bounds stand."""
    marks: tuple[Mark, ...] = ()
    table: tuple[tuple[str, ...], ...] = ()
    shades: tuple[Outline, ...] = ()
    """Paths of filled cells, behind everything else."""
    steps: tuple[tuple[str, ...], ...] = ()
    """A row of heads, then one for each of the equal columns from left to right: what the cursor tells."""

    @property
    def steps_text(self) -> str:
        """Return the steps as the page carries them: cells parted by bars, rows by line ends."""
        return "\n".join("|".join(row) for row in self.steps)


class TimeAxis:
    """The x axis of a chart over time: steps from a moment on."""

    def __init__(self, started: datetime, step_s: int, size: int) -> None:
        self._started = started
        self._step_s = step_s
        self._size = size
        self.width = (RIGHT - LEFT) / size

    def middle(self, at: int) -> float:
        """Return where the middle of a step stands."""
        return round(LEFT + (at + 0.5) * self.width, 1)

    def left(self, at: int) -> float:
        """Return where a step begins."""
        return round(LEFT + at * self.width, 1)

    def at(self, moment: datetime) -> float:
        """Return where a moment stands."""
        return round(LEFT + (moment - self._started).total_seconds() / self._step_s * self.width, 1)

    def clock(self, at: int) -> str:
        """Return a step's time of day; with its day where the run is longer than one."""
        return self._worded(self._started + timedelta(seconds=at * self._step_s))

    def _worded(self, moment: datetime) -> str:
        span_s = self._size * self._step_s
        if span_s > _YEAR_S:
            return f"{moment:%d %b %Y}"
        return moment.strftime("%H:%M:%S" if span_s < 600 else "%H:%M" if span_s <= 86_400 else "%d %b %H:%M")

    def ticks(self, y: float) -> list[Mark]:
        """Return the times below the axis, at round moments."""
        span_s = self._size * self._step_s
        step = next((step for step in _TICK_STEPS_S if span_s / step <= _TICKS), span_s // _TICKS)
        first = -self._started.timestamp() % step
        marks = []
        while first <= span_s:
            x = LEFT + first / self._step_s * self.width
            moment = self._started + timedelta(seconds=first)
            if LEFT + 10 <= x <= RIGHT - 24:
                marks.append(Mark(round(x, 1), y, self._worded(moment), "middle"))
            first += step
        return marks


class LogAxis:
    """The y axis of times, logarithmic."""

    def __init__(self, least: float, longest: float, top: float, bottom: float) -> None:
        self._low = round_number(least, up=False)
        self._high = max(round_number(longest, up=True), self._low * 10)
        self._top, self._bottom = top, bottom

    def at(self, seconds: float) -> float:
        """Return where a time stands; one outside stands at the end."""
        inside = min(max(seconds, self._low), self._high)
        share = math.log(inside / self._low) / math.log(self._high / self._low)
        return round(self._bottom - share * (self._bottom - self._top), 1)

    def lines(self) -> list[tuple[float, str]]:
        """Return where round times stand, and their words; every third where there are many."""
        found = round_numbers_between(self._low, self._high)
        if len(found) > 9:
            found = [seconds for seconds in found if f"{seconds:e}"[0] == "1"]
        return [(self.at(seconds), format_duration(seconds)) for seconds in found]


class LinearAxis:
    """A y axis from 0."""

    def __init__(self, most: float, top: float, bottom: float) -> None:
        self.most = next(step for step in _steps(most) if step >= most * 0.999999) if most > 0 else 1.0
        self._top, self._bottom = top, bottom

    def at(self, number: float) -> float:
        """Return where a number stands."""
        return round(self._bottom - min(number / self.most, 1.0) * (self._bottom - self._top), 1)


def _steps(most: float) -> list[float]:
    """Return numbers that an axis may end at, around one."""
    power = 10.0 ** math.floor(math.log10(most))
    return [power * step for step in (1, 1.5, 2, 2.5, 3, 4, 5, 6, 8, 10)]


def points(pairs: Sequence[tuple[float, float]]) -> str:
    """Return points as a chart has them."""
    return " ".join(f"{x:g},{y:g}" for x, y in pairs)


def thinned(rows: Sequence[tuple[str, ...]], most: int) -> tuple[tuple[str, ...], ...]:
    """Return about so many rows, evenly apart, the first among them."""
    step = max(1, math.ceil(len(rows) / most))
    return tuple(rows[::step])
