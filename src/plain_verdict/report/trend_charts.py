"""The charts of a series over its builds: one column a build, from left to right as time goes."""

from collections.abc import Callable, Iterator, Sequence
from itertools import groupby

import msgspec

from plain_verdict.model import BuildNumbers, Severity
from plain_verdict.model.trends import Trend, TrendBuild
from plain_verdict.report.charts import LEFT, RIGHT, Chart, LinearAxis, Mark, Outline, points
from plain_verdict.report.history import SINGLE_GAPS
from plain_verdict.text.formatting import format_change, format_duration, format_share, join_list, plural, shorten

_HEIGHT, _TOP, _BOTTOM = 132.0, 14.0, 110.0
_LEAST_BAR = 2.0  # one failure among thousands must be seen
_GAP_SHARE = 0.18  # of a column, between two bars
_END_CHARS = 24
_RESULTS_ASIDE = "from above: flaky, new or failing again, still failing; others below"
_AXIS_UNITS = (("ms", 0.001), ("s", 1.0), ("min", 60.0), ("h", 3600.0), ("d", 86_400.0))
_MOST_OF_UNIT = 1000.0  # of the largest number, in the unit of its axis
_Cells = tuple[str, ...]
_Number = Callable[[TrendBuild], float | None]
_Written = Callable[[float | None], str]


class _Columns:
    """Where builds stand: missing ones leave room."""

    def __init__(self, builds: Sequence[TrendBuild]) -> None:
        self.builds = builds
        self._at: list[int] = []
        slot = 0
        for entry in builds:
            missing = len(entry.missing)
            slot += missing if missing <= SINGLE_GAPS else 1
            self._at.append(slot)
            slot += 1
        self._width = (RIGHT - LEFT) / slot

    def middle(self, position: int) -> float:
        """Return where the middle of a build stands."""
        return round(LEFT + (self._at[position] + 0.5) * self._width, 1)

    def bar(self, position: int, low: float, high: float) -> str:
        """Return a bar of a build as a part of a path, from one height to another."""
        gap = self._width * _GAP_SHARE
        left, width = LEFT + self._at[position] * self._width + gap / 2, self._width - gap
        return f"M{left:.1f} {high:.1f}h{width:.1f}V{low:.1f}h-{width:.1f}z"

    def runs(self, numbers: Sequence[float | None]) -> Iterator[list[int]]:
        """Yield the builds that follow each other and have a number."""
        together = enumerate(zip(self._at, numbers, strict=True))
        known = [(slot - position, position) for position, (slot, number) in together if number is not None]
        # A build without results, or without this number, interrupts the line.
        for _, group in groupby(enumerate(known), key=lambda pair: (pair[1][0], pair[1][1] - pair[0])):
            yield [position for _, (_, position) in group]

    def ends(self) -> list[Mark]:
        """Return the names of the first build and the last."""
        first, last = (shorten(entry.build.label, _END_CHARS) for entry in (self.builds[0], self.builds[-1]))
        marks = [Mark(LEFT, _HEIGHT - 4, first, style="end")] if len(self.builds) > 1 else []
        return [*marks, Mark(RIGHT, _HEIGHT - 4, last, "end", "end")]


class _Part(msgspec.Struct, frozen=True):
    """A part of each bar, from below: its class, its name and its number; None where nobody knows it."""

    style: str
    name: str
    number: _Number


def trend_charts(trend: Trend) -> tuple[Chart, ...]:
    """Return the charts of what the builds of a series have."""
    columns = _Columns(trend.builds)
    lines = (_line(trend, columns, measure) for measure in _LINE_MEASURES)
    return tuple(filter(None, (_results(columns), *lines, _rules(columns), _requirements(columns))))


def _bars(columns: _Columns, parts: Sequence[_Part], axis: "_Axis") -> tuple[Outline, ...]:
    """Return bars of stacked parts, one path a part."""
    paths: dict[str, list[str]] = {part.style: [] for part in parts}
    for position, entry in enumerate(columns.builds):
        total, low = 0.0, _BOTTOM
        for part in parts:
            number = part.number(entry)
            if number:
                # One failure among thousands must be seen, so no part is less high than that.
                total += number
                high = min(axis.at(total), low - _LEAST_BAR)
                paths[part.style].append(columns.bar(position, low, high))
                low = high
    return tuple(Outline(style, "".join(path)) for style, path in paths.items() if path)


class _Measure(msgspec.Struct, frozen=True):
    """A number of each build: the name, title and aside of its chart, and how it is written."""

    name: str
    title: str
    aside: str
    number: _Number
    written: _Written
    is_share: bool = False
    """Whether it is a share that is mostly near 1: its axis ends there."""


def _stacked(about: _Measure, words: str, columns: _Columns, parts: Sequence[_Part]) -> Chart:
    rows = [[part.number(entry) for part in parts] for entry in columns.builds]
    axis = _Axis([sum(number or 0 for number in row) for row in rows], about)
    return Chart(
        about.name,
        about.title,
        about.aside,
        words,
        _HEIGHT,
        grid=(_TOP, _BOTTOM),
        shades=_bars(columns, parts, axis),
        marks=(*axis.marks(), *columns.ends()),
        table=_table(columns, [part.name for part in parts], rows, _count),
    )


def _table(
    columns: _Columns, heads: Sequence[str], rows: Sequence[Sequence[float | None]], written: _Written
) -> tuple[_Cells, ...]:
    """Return a row for each build, the newest first."""
    cells = [(entry.build.label, *map(written, row)) for entry, row in zip(columns.builds, rows, strict=True)]
    return ("Build", *heads), *cells[::-1]


def _count(number: float | None) -> str:
    return "" if number is None else f"{number:,.0f}"


def _line(trend: Trend, columns: _Columns, measure: _Measure) -> Chart | None:
    """Return a line over the builds, with the build since which it is at another level."""
    numbers = list(map(measure.number, columns.builds))
    known = [number for number in numbers if number is not None]
    if not known:
        return None
    # A series without this number has no such chart.
    axis = _Axis(known, measure)
    lines = [Outline("median", _points(columns, run, numbers, axis)) for run in columns.runs(numbers)]
    marks = [*axis.marks(), *columns.ends()]
    lead = f"{measure.written(known[-1])} in {_last_known(columns, numbers)}"
    level = trend.levels.get(measure.name)
    if level:
        x = columns.middle([entry.build.label for entry in columns.builds].index(level.since))
        lines.append(Outline("turn", points([(x, _TOP - 8), (x, _BOTTOM)])))
        change = f"since {level.since}: {format_change(100 * level.change)} %"
        marks.append(_beside(x, change))
        lead = f"{lead}; {change}"
    ends = measure.written(min(known)), measure.written(max(known))
    builds = plural(len(known), "build")
    span = f"From {ends[0]} to {ends[1]} in {builds}" if ends[0] != ends[1] else f"The same in {builds}"
    return Chart(
        measure.name,
        measure.title,
        measure.aside,
        f"{lead}. {span}.",
        _HEIGHT,
        grid=(_TOP, _BOTTOM),
        lines=tuple(lines),
        marks=tuple(marks),
        table=_table(columns, [measure.title], [[number] for number in numbers], measure.written),
    )


def _beside(x: float, words: str) -> Mark:
    """Return words beside a vertical line, on the side that has room."""
    if x > (LEFT + RIGHT) / 2:
        return Mark(x - 4, _TOP - 4, words, "end", "label")
    return Mark(x + 4, _TOP - 4, words, "start", "label")


class _Axis:
    """A y axis with the words at its ends: from 0; of a share near 1, from a round number up to 1."""

    def __init__(self, numbers: Sequence[float], measure: _Measure) -> None:
        self._is_share = measure.is_share
        unit, self._scale = ("", 1.0)
        if measure.written is format_duration:
            fits = (pair for pair in _AXIS_UNITS if max(numbers) <= _MOST_OF_UNIT * pair[1])
            unit, self._scale = next(fits, _AXIS_UNITS[-1])
        if self._is_share:
            self._axis = LinearAxis(1 - min(numbers), _BOTTOM, _TOP)
            self.ends = measure.written(max(0.0, 1 - self._axis.most)), measure.written(1.0)
        else:
            self._axis = LinearAxis(max(numbers) / self._scale, _TOP, _BOTTOM)
            self.ends = "0", f"{self._axis.most:g} {unit}" if unit else measure.written(self._axis.most)

    def at(self, number: float) -> float:
        """Return where a number stands."""
        return self._axis.at(1 - number if self._is_share else number / self._scale)

    def marks(self) -> tuple[Mark, Mark]:
        """Return the words at its ends."""
        low, high = self.ends
        return Mark(LEFT - 6, _TOP + 4, high, "end"), Mark(LEFT - 6, _BOTTOM, low, "end")


def _points(columns: _Columns, run: Sequence[int], numbers: Sequence[float | None], axis: _Axis) -> str:
    pairs = [(columns.middle(position), axis.at(numbers[position] or 0)) for position in run]
    if len(pairs) == 1:  # a point is no line, and would not be drawn
        x, y = pairs[0]
        pairs = [(x - 2, y), (x + 2, y)]
    return points(pairs)


def _last_known(columns: _Columns, numbers: Sequence[float | None]) -> str:
    return next(
        entry.build.label
        for entry, number in zip(columns.builds[::-1], numbers[::-1], strict=True)
        if number is not None
    )


def _came(entry: TrendBuild) -> float | None:
    return None if entry.new is None else entry.new + (entry.failing_again or 0)


def _results(columns: _Columns) -> Chart:
    def failed(entry: TrendBuild) -> int:
        return entry.build.tally.failed + entry.build.tally.errored

    parts = (
        _Part("good", "Others", lambda entry: entry.build.tally.total - failed(entry) - entry.flaky),
        _Part("uncompared", "Failed, no build before", lambda entry: failed(entry) if entry.new is None else None),
        _Part("still", "Still failing", lambda entry: entry.still_failing),
        _Part("new", "New or failing again", _came),
        _Part("flaky", "Passed on a retry", lambda entry: entry.flaky),
    )
    last = columns.builds[-1]
    words = f"{last.build.label}: {failed(last):,} of {plural(last.build.tally.total, 'check')} failed"
    counted = ((last.new, "new"), (last.failing_again, "failing again"), (last.still_failing, "still failing"))
    states = [f"{number:,} {state}" for number, state in counted if number]
    words += f", {join_list(states)}" if states else ""
    words += f"; {last.flaky:,} passed on a retry" if last.flaky else ""
    about = _Measure(
        "results", "Results", "from above: flaky, new or failing again, still failing; others below", failed, _count
    )
    return _stacked(about, f"{words}.", columns, parts)


def _pass_rate(entry: TrendBuild) -> float | None:
    tally = entry.build.tally
    return tally.passed / tally.total if tally.total else None


def _in_per_cent(share: float | None) -> str:
    """Return a share that is never rounded to all: of a million."""
    return "" if share is None else format_share(round(share * 1e6), 1_000_000)


def _of_numbers(number: Callable[[BuildNumbers], float | None]) -> _Number:
    """Return a number that newer versions keep of a build."""
    return lambda entry: number(entry.build.numbers) if entry.build.numbers else None


_LINE_MEASURES = (
    _Measure("duration", "Duration", "of all checks, added up", _of_numbers(lambda of: of.took_s), format_duration),
    _Measure("checks", "Checks", "in each build", lambda entry: entry.build.tally.total, _count),
    _Measure("pass-rate", "Pass rate", "passed checks of all", _pass_rate, _in_per_cent, is_share=True),
    _Measure(
        "load-p95",
        "95th percentile",
        "of all requests of the load run",
        _of_numbers(lambda of: of.load_p95_s),
        format_duration,
    ),
    _Measure(
        "error-share",
        "Failed requests",
        "share of all requests of the load run",
        _of_numbers(lambda of: of.error_share),
        _in_per_cent,
    ),
)


def _failed_rules(entry: TrendBuild) -> tuple[int, ...]:
    return entry.build.numbers.failed_rules if entry.build.numbers else ()


def _rules(columns: _Columns) -> Chart | None:
    """Return the failed rules by severity, the highest lowest."""
    known = [failed for entry in columns.builds if (failed := _failed_rules(entry))]
    if not known:
        return None

    def part(severity: Severity) -> _Part:
        def number(entry: TrendBuild) -> float | None:
            failed = _failed_rules(entry)
            return failed[severity.rank] if failed else None

        return _Part(f"severity-{severity.value}", severity.value.capitalize(), number)

    last = known[-1]
    counted = [f"{number:,} {grave.value}" for grave, number in zip(Severity, last, strict=True) if number]
    words = f"{plural(sum(last), 'failed rule')} now{': ' if counted else ''}{', '.join(counted[::-1])}."
    about = _Measure("rules", "Failed rules", "by severity, the highest at the bottom", lambda _: None, _count)
    return _stacked(about, words, columns, [part(severity) for severity in [*Severity][::-1]])


def _requirements(columns: _Columns) -> Chart | None:
    counts = [entry.build.numbers.requirements if entry.build.numbers else None for entry in columns.builds]
    known = [count for count in counts if count]
    if not known:
        return None
    of_build = dict(zip((entry.build.id for entry in columns.builds), counts, strict=True))

    def met(entry: TrendBuild) -> float | None:
        count = of_build[entry.build.id]
        return count[0] if count else None

    def others(entry: TrendBuild) -> float | None:
        count = of_build[entry.build.id]
        return count[1] - count[0] if count else None

    parts = (_Part("good", "Met", met), _Part("open", "Others", others))
    about = _Measure("requirements", "Requirements", "met, at the bottom, and others", met, _count)
    words = f"{known[-1][0]:,} of {plural(known[-1][1], 'requirement')} met now."
    return _stacked(about, words, columns, parts)
