"""The overview of the calls to an API: how they came back, by operation and by suite, and what was never called."""

from collections import Counter, defaultdict
from collections.abc import Iterator, Sequence

import msgspec

from plain_verdict.api.numbers import LEAST_VALUES, CallNumbers, count_calls
from plain_verdict.model import Call, Operation, Run
from plain_verdict.report.ranges import Range, RangeScale
from plain_verdict.report.suites import natural
from plain_verdict.text.formatting import capital, format_duration, format_size, join_list, plural, spelled

MOST_OPERATIONS = 400  # a service with more has ids in its paths
_MOST_NAMED = 12  # names in one sentence; the table has all
_IN_VIEW, _NOT_WORTH_A_FOLD = 6, 2  # rows; and how many are not worth a fold
_BY_STATUS = "har"


class OperationRow(msgspec.Struct, frozen=True):
    """An operation with its numbers, the answers in words, and its range of times."""

    operation: Operation
    numbers: CallNumbers
    answers: str
    range: Range | None


class ApiOverview(msgspec.Struct, frozen=True):
    """The overview of the calls. ``scale`` says what the charts reach from and to."""

    lead: str
    rows: tuple[OperationRow, ...]
    more: int
    scale: str
    coverage: tuple[tuple[str, tuple[str, ...]], ...]
    """Sentences that end in a colon, each with the operations it is about."""
    suites: tuple[tuple[tuple[str, ...], CallNumbers], ...]
    whole: CallNumbers

    @property
    def in_view(self) -> int:
        """Return how many rows stand open: all with wrong calls, and some more."""
        wrong = sum(bool(row.numbers.wrong) for row in self.rows)
        first = max(wrong, _IN_VIEW)
        return first if len(self.rows) > first + _NOT_WORTH_A_FOLD else len(self.rows)

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
        """Return what the charts and the dashes mean."""
        until = "the p95, or the longest where calls are too few" if self.has_p95 else "the longest time"
        median = " Large dot: the median." if self.has_p50 else ""
        least = f"A median needs {LEAST_VALUES[50]} calls, a p95 needs {LEAST_VALUES[95]}."
        return f"Line: from the shortest to {until}.{median} Small dot: the longest. {least}"


def api_overview(run: Run, numbers: Sequence[tuple[Operation, CallNumbers]]) -> ApiOverview | None:
    """Return the overview of the calls; None where there are none, and nothing that they could be compared with.

    ``numbers`` are those of each operation, in the order of the page.
    """
    calls = run.api.calls
    if not calls and run.api.coverage is None:
        return None
    whole = count_calls(calls)
    scale = RangeScale([(call_numbers.least_s, call_numbers.longest_s) for _, call_numbers in numbers])
    rows = tuple(
        OperationRow(operation, call_numbers, _answers(call_numbers.statuses), _range(scale, call_numbers))
        for operation, call_numbers in numbers[:MOST_OPERATIONS]
    )
    return ApiOverview(
        lead=" ".join(_lead(run, whole)),
        rows=rows,
        more=max(0, len(numbers) - MOST_OPERATIONS),
        scale=scale.words,
        coverage=tuple(_coverage(run)),
        suites=tuple(_by_suite(calls)),
        whole=whole,
    )


def _unanswered(run: Run) -> Iterator[str]:
    silent = Counter(call.operation.name for call in run.api.calls if call.exchange.response is None)
    if silent:
        names = join_list([name for name, _ in silent.most_common()], most=2)
        yield f"{capital(spelled(silent.total(), 'call'))} got no answer: {names}."


def _lead(run: Run, whole: CallNumbers) -> Iterator[str]:
    """Yield the sentences that the section begins with."""
    well = whole.calls - whole.wrong
    if not whole.calls:
        yield "No calls were recorded."
        return
    number = f"All {whole.calls:,} calls" if not whole.wrong else f"{well:,} of {plural(whole.calls, 'call')}"
    median = f", in {format_duration(whole.p50_s)} at the median" if whole.p50_s is not None else ""
    received = f"; {format_size(whole.received_bytes)} received" if whole.received_bytes else ""
    yield f"{number} as expected{median}{received}."
    yield from _unanswered(run)
    by_status = sum(len(file.checks) for file in run.files if file.format == _BY_STATUS)
    if by_status:
        yield f"{capital(spelled(by_status, 'check'))} judged by status alone."


def _range(scale: RangeScale, call_numbers: CallNumbers) -> Range | None:
    return scale.range_of(call_numbers.least_s, call_numbers.p50_s, call_numbers.p95_s, call_numbers.longest_s)


def _answers(statuses: Sequence[tuple[str, int]]) -> str:
    return ", ".join(f"{status}\u00a0×\u00a0{number:,}" for status, number in statuses)


def _coverage(run: Run) -> Iterator[tuple[str, tuple[str, ...]]]:
    """Yield what a document and the calls do not have in common."""
    found = run.api.coverage
    if found is None:
        return
    unknown, answers = _undocumented(run.api.calls)
    called = found.described - len(found.not_called)
    yield f"{found.title}: {called:,} of {plural(found.described, 'documented operation')} called", ()
    for words, names in (
        ("Documented, never called", [operation.name for operation in found.not_called]),
        ("Undocumented answers", answers),
        ("Undocumented operations called", unknown),
        ("Documented answers that never came", [_answer(*pair) for pair in found.not_seen]),
    ):
        if names:
            yield words, _first_of(names)


def _undocumented(calls: Sequence[Call]) -> tuple[list[str], list[str]]:
    """Return the operations that no document has, and the answers that it lacks for those that it has."""
    undocumented = {(call.operation, call.status) for call in calls if call.documented_status is False}
    unknown = sorted({operation.name for operation, _ in undocumented if not operation.documented})
    return unknown, sorted(_answer(*pair) for pair in undocumented if pair[0].documented)


def _first_of(names: Sequence[str]) -> tuple[str, ...]:
    more = len(names) - _MOST_NAMED
    return (*names[:_MOST_NAMED], *([f"and {more:,} more"] if more > 0 else ()))


def _answer(operation: Operation, status: object) -> str:
    return f"{status} of {operation.name}"


def _by_suite(calls: Sequence[Call]) -> Iterator[tuple[tuple[str, ...], CallNumbers]]:
    """Yield the numbers of each suite, where there are several."""
    grouped: dict[tuple[str, ...], list[Call]] = defaultdict(list)
    for call in calls:
        grouped[call.check.suite].append(call)
    if len(grouped) > 1:
        for suite in sorted(grouped, key=lambda path: [natural(part) for part in path]):
            yield suite, count_calls(grouped[suite])
