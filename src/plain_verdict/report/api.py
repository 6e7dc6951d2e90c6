"""What is told of the calls to an API: how they came back, by operation and by suite, and what was never called."""

import math
from collections import Counter, defaultdict
from collections.abc import Iterator, Sequence

import msgspec

from plain_verdict.model import Call, Operation, Run
from plain_verdict.operations.numbers import LEAST_VALUES, CallNumbers, count_calls
from plain_verdict.report.suites import natural
from plain_verdict.text.formatting import capital, format_duration, format_size, join_list, plural, spelled

MOST_OPERATIONS = 400
_WIDTH = 190
"""Of the drawing of a range, in its own units."""
_MOST_NAMED = 12
_BY_STATUS = "har"


class Range(msgspec.Struct, frozen=True):
    """Where the least, median, 95 % and longest time stand in the drawing; None where they are not known."""

    least: float
    longest: float
    p50: float | None
    p95: float | None
    words: str

    @property
    def reach(self) -> float:
        """Return where the line ends: at 95 % of the times, or at the longest where they are too few."""
        return self.longest if self.p95 is None else self.p95


class OperationRow(msgspec.Struct, frozen=True):
    """An operation with its numbers, the answers in words, and its range of times."""

    operation: Operation
    numbers: CallNumbers
    answers: str
    range: Range | None


class ApiOverview(msgspec.Struct, frozen=True):
    """All that is told of the calls. ``scale`` says what the drawings reach from and to."""

    lead: str
    rows: tuple[OperationRow, ...]
    untold: int
    scale: str
    coverage: tuple[tuple[str, tuple[str, ...]], ...]
    """Sentences that end in a colon, each with the operations it is about."""
    suites: tuple[tuple[tuple[str, ...], CallNumbers], ...]
    whole: CallNumbers

    @property
    def has_p50(self) -> bool:
        """Return whether any operation was called often enough to tell a median."""
        return any(row.numbers.p50_s is not None for row in self.rows)

    @property
    def has_p95(self) -> bool:
        """Return whether any operation was called often enough to tell what 95 % of its calls took."""
        return any(row.numbers.p95_s is not None for row in self.rows)

    @property
    def key(self) -> str:
        """Return what the drawings and the dashes mean."""
        until = "95 % of the times, or the longest where they are too few" if self.has_p95 else "the longest time"
        median = " Large dot: the median." if self.has_p50 else ""
        least = f"A median takes {LEAST_VALUES[50]} calls to tell, 95 % takes {LEAST_VALUES[95]}."
        return f"Line: from the least to {until}.{median} Small dot: the longest. {least}"


def tell_api(run: Run, numbers: Sequence[tuple[Operation, CallNumbers]]) -> ApiOverview | None:
    """Return what is told of the calls; None where there are none, and nothing that they could be compared with.

    ``numbers`` are those of each operation, in the order in which they are told.
    """
    calls = run.api.calls
    if not calls and run.api.coverage is None:
        return None
    whole = count_calls(calls)
    scale = _Scale([numbers for _, numbers in numbers])
    rows = tuple(
        OperationRow(operation, own, _answers(own.statuses), scale.range_of(own))
        for operation, own in numbers[:MOST_OPERATIONS]
    )
    return ApiOverview(
        lead=" ".join(_lead(run, whole)),
        rows=rows,
        untold=max(0, len(numbers) - MOST_OPERATIONS),
        scale=scale.words,
        coverage=tuple(_coverage(run)),
        suites=tuple(_by_suite(calls)),
        whole=whole,
    )


def _lead(run: Run, whole: CallNumbers) -> Iterator[str]:
    """Yield the sentences that the section begins with."""
    well = whole.calls - whole.wrong
    if not whole.calls:
        yield "No call was recorded."
        return
    number = f"All {whole.calls:,} calls" if not whole.wrong else f"{well:,} of {plural(whole.calls, 'call')}"
    median = f", in {format_duration(whole.p50_s)} at the median" if whole.p50_s is not None else ""
    received = f"; {format_size(whole.received_bytes)} came back in all" if whole.received_bytes else ""
    yield f"{number} came back as expected{median}{received}."
    silent = Counter(call.operation.name for call in run.api.calls if call.exchange.response is None)
    if silent:
        names = join_list([name for name, _ in silent.most_common()], most=2)
        yield f"{capital(spelled(silent.total(), 'call'))} got no answer: {names}."
    by_status = sum(len(file.checks) for file in run.files if file.format == _BY_STATUS)
    if by_status:
        yield f"{capital(spelled(by_status, 'check'))} {'is' if by_status == 1 else 'are'} judged by status alone."


def _answers(statuses: Sequence[tuple[str, int]]) -> str:
    return ", ".join(f"{status}\u00a0×\u00a0{number:,}" for status, number in statuses)


class _Scale:
    """A logarithmic scale that holds every time."""

    def __init__(self, numbers: Sequence[CallNumbers]) -> None:
        least = [own.least_s for own in numbers if own.least_s]
        longest = [own.longest_s for own in numbers if own.longest_s]
        self._least = _round(min(least, default=0.001), up=False)
        self._longest = max(_round(max(longest, default=1.0), up=True), self._least * 10)
        self.words = f"{format_duration(self._least)} to {format_duration(self._longest)}" if longest else ""

    def range_of(self, own: CallNumbers) -> Range | None:
        """Return the range of some calls' times; None where nothing tells them."""
        if own.least_s is None or own.longest_s is None:
            return None
        told = (("least", own.least_s), ("median", own.p50_s), ("95 %", own.p95_s), ("longest", own.longest_s))
        return Range(
            least=self._at(own.least_s),
            longest=self._at(own.longest_s),
            p50=None if own.p50_s is None else self._at(own.p50_s),
            p95=None if own.p95_s is None else self._at(own.p95_s),
            words=", ".join(f"{word} {format_duration(seconds)}" for word, seconds in told if seconds is not None),
        )

    def _at(self, seconds: float) -> float:
        inside = min(max(seconds, self._least), self._longest)
        return round(_WIDTH * math.log(inside / self._least) / math.log(self._longest / self._least), 1)


def _round(seconds: float, *, up: bool) -> float:
    """Return the next round number (1, 2 or 5 times a power of ten) above or below."""
    power = 10.0 ** math.floor(math.log10(seconds))
    steps = [power * step for step in (1, 2, 5, 10)]
    if up:
        return next(step for step in steps if step >= seconds * 0.999999)
    return next(step for step in reversed(steps) if step <= seconds * 1.000001)


def _coverage(run: Run) -> Iterator[tuple[str, tuple[str, ...]]]:
    """Yield what a document and the calls do not have in common."""
    found = run.api.coverage
    if found is None:
        return
    undocumented = Counter(
        (call.operation, call.status) for call in run.api.calls if call.documented_status is False
    )
    unknown = sorted({operation.name for operation, _ in undocumented if not operation.documented})
    answers = sorted(f"{status} of {operation.name}" for operation, status in undocumented if operation.documented)
    called = found.described - len(found.not_called)
    yield f"{found.title}: {called:,} of {plural(found.described, 'documented operation')} called", ()
    for words, names in (
        ("Never called, though documented", [operation.name for operation in found.not_called]),
        ("Answered but not documented", answers),
        ("Called but not documented", unknown),
        ("Documented answers that never came", [f"{status} of {one.name}" for one, status in found.not_seen]),
    ):
        if names:
            more = len(names) - _MOST_NAMED
            yield words, (*names[:_MOST_NAMED], *([f"and {more:,} more"] if more > 0 else ()))


def _by_suite(calls: Sequence[Call]) -> Iterator[tuple[tuple[str, ...], CallNumbers]]:
    """Yield the numbers of each suite, where there are several."""
    several: dict[tuple[str, ...], list[Call]] = defaultdict(list)
    for call in calls:
        several[call.check.suite].append(call)
    if len(several) > 1:
        for suite in sorted(several, key=lambda path: [natural(part) for part in path]):
            yield suite, count_calls(several[suite])
