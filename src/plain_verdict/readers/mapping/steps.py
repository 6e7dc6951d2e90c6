"""How a check or a step ended, with all that belongs to it; and steps, in any depth."""

from collections.abc import Callable, Iterator, Sequence
from datetime import datetime, timedelta
from typing import NamedTuple, TypeVar

import msgspec

from plain_verdict.model import BAD, Evidence, Exchange, Expectation, Outcome, Output, Problem, Step, gravest
from plain_verdict.readers.mapping.exchanges import exchanges
from plain_verdict.readers.mapping.outcomes import NO_OUTCOME, Judged, Outcomes
from plain_verdict.readers.mapping.parts import Make, evidence, expectations, outputs, problems
from plain_verdict.readers.mapping.values import ReadValue, Values, numbered
from plain_verdict.readers.record.tree import NOT_WELL, unmet
from plain_verdict.settings.mappings import Part, StepMapping
from plain_verdict.text.cleaning import single_line
from plain_verdict.text.formatting import plural
from plain_verdict.text.moments import LONGEST_S

Read = TypeVar("Read")
NAMELESS_STEP = "Nameless step"
_DEEPEST_STEPS = 40
"""Steps nested deeper than this are left out, as no page can show them; their outcomes count."""


class ItemResult(NamedTuple):
    """What an item says of a check, attempt or step.

    ``unsaid``: it has no outcome, though it should. ``remarked``: a problem's text stands in what has none.
    """

    outcome: Outcome
    unsaid: bool
    reason: str
    took_s: float | None
    started: datetime | None
    ended: datetime | None
    problems: tuple[Problem, ...]
    outputs: tuple[Output, ...]
    evidence: tuple[Evidence, ...]
    expectations: tuple[Expectation, ...]
    exchanges: tuple[Exchange, ...]
    remarked: bool


def _asserted(expectations: tuple[Expectation, ...], exchanges: Sequence[Exchange]) -> tuple[Expectation, ...]:
    """Return expectations; with a single exchange, what is expected is expected of that one."""
    if len(exchanges) != 1:
        return expectations
    return tuple(msgspec.structs.replace(expectation, exchange=0) for expectation in expectations)


class ResultOfItem:
    """Reads how an item of one part of a mapping ended. Raises ValueError for a part that makes no sense.

    What passed by its file, while a step or an expectation of it did not, did not pass.
    """

    def __init__(self, values: Values, key: str, form: Part, outcomes: Outcomes) -> None:
        self._limits = values.limits
        self._outcome_of = outcomes.reader(f"{key}.outcome", form.outcome)
        self._took_of = values.took(f"{key}.took", form.took)
        self._started_of = values.moment(f"{key}.started", form.started)
        self._ended_of = values.moment(f"{key}.ended", form.ended)
        self._problems_of = problems(values, f"{key}.problem", form.problem) or _none
        self._outputs_of = outputs(values, f"{key}.output", form.output) or _none
        self._evidence_of = evidence(values, f"{key}.evidence", form.evidence) or _none
        self._expectations_of = expectations(values, f"{key}.expectation", form.expectation) or _none
        self._exchanges_of = exchanges(values, f"{key}.exchange", form.exchange) or _none

    def __call__(self, item: object, steps: Sequence[Step], judged: Judged | None = None) -> ItemResult:
        """Return how an item ended, given its steps; ``judged`` is known already where its values do not count."""
        judged = judged or self._judged(item)
        exchanged = self._exchanges_of(item)
        asserted = _asserted(self._expectations_of(item), exchanged)
        outcome, unknown = judged
        reason = "" if unknown is None else f"The mapping does not list the outcome “{unknown}”."
        if steps or asserted:
            outcome, reason = with_inner(outcome, reason, steps, asserted, has_outcome=self._outcome_of is not None)
        wrong, printed = self._problems_of(item), self._outputs_of(item)
        remarked = bool(wrong) and outcome not in BAD
        if outcome in BAD:
            wrong = tuple(_as(problem, outcome) for problem in wrong) or unmet(asserted, self._limits)
        elif wrong:
            reason, remarks = _no_problems(outcome, reason, wrong, self._limits.message_chars)
            wrong, printed = (), (*printed, *remarks)
        took_s, began, end = self._times(item)
        unsaid, proofs = judged is NO_OUTCOME, self._evidence_of(item)
        return ItemResult(
            outcome, unsaid, reason, took_s, began, end, wrong, printed, proofs, asserted, exchanged, remarked
        )

    def _judged(self, item: object) -> Judged:
        return self._outcome_of(item) if self._outcome_of else NO_OUTCOME

    def _times(self, item: object) -> tuple[float | None, datetime | None, datetime | None]:
        """Return how long an item took, when it began and when it ended."""
        began = self._started_of(item) if self._started_of else None
        end = self._ended_of(item) if self._ended_of else None
        took_s = self._took_of(item) if self._took_of else None
        return (*_worked_out(took_s, began, end), end)

    def times_of_texts(
        self, took: str | None, started: str | None, ended: str | None
    ) -> tuple[float | None, datetime | None] | None:
        """Return how long an item took and when it began, by these texts; None where one can't be read."""
        took_s, began, end = (
            _read(self._took_of, took),
            _read(self._started_of, started),
            _read(self._ended_of, ended),
        )
        if (took_s is None, began is None, end is None) != (not took, not started, not ended):
            return None
        took_s, began = _worked_out(took_s, began, end)
        return None if (took_s or 0) >= LONGEST_S else (took_s, began)

    def times_of_columns(
        self, took: Sequence[str | None], started: Sequence[str | None], ended: Sequence[str | None]
    ) -> list[tuple[float | None, datetime | None] | None]:
        """Return what ``times_of_texts`` does for many items."""
        if not any(ended):
            tooks, begun = _read_column(self._took_of, took), _read_column(self._started_of, started)
            if tooks is not None and begun is not None:
                return list(zip(tooks, begun, strict=True))
        return list(map(self.times_of_texts, took, started, ended))


def _read_column(
    value: Callable[[object], Read | None] | None, texts: Sequence[str | None]
) -> Sequence[Read | None] | None:
    if not any(texts):
        return [None] * len(texts)
    return value.read_column(texts) if isinstance(value, ReadValue) else None


def _read(value: Callable[[object], Read | None] | None, text: str | None) -> Read | None:
    return value.read(text) if text and isinstance(value, ReadValue) else None


def _worked_out(
    took_s: float | None, began: datetime | None, end: datetime | None
) -> tuple[float | None, datetime | None]:
    """Return how long something took and when it began, as far as the others tell."""
    if took_s is None and began is not None and end is not None:
        return _between(began, end), began
    if began is None and took_s is not None and end is not None:
        return took_s, _before(end, took_s)
    return took_s, began


def _none(_item: object) -> tuple[()]:
    return ()


def _no_problems(
    outcome: Outcome, reason: str, wrong: Sequence[Problem], most_chars: int
) -> tuple[str, Iterator[Output]]:
    """Return what stands where problems would, for an item that has none: why it was left out, and remarks."""
    if outcome is not Outcome.PASSED and not reason:
        reason, wrong = single_line(wrong[0].message, most_chars), wrong[1:]
    return reason, map(_remark, wrong)


def _as(problem: Problem, outcome: Outcome) -> Problem:
    return problem if problem.outcome is outcome else msgspec.structs.replace(problem, outcome=outcome)


def _remark(problem: Problem) -> Output:
    """Return what stands where a problem would, for something that is none."""
    return Output("remark", "\n".join(filter(None, (problem.type, problem.message, problem.detail))))


def with_inner(
    outcome: Outcome, reason: str, steps: Sequence[Step], asserted: Sequence[Expectation], *, has_outcome: bool
) -> tuple[Outcome, str]:
    """Return the outcome with what its steps and expectations say, and why it is another than its file says."""
    inner = gravest((*(step.outcome for step in steps), *(expectation.outcome for expectation in asserted)))
    if not has_outcome:
        return inner, ""
    # Steps of what was not run have no outcome.
    worse = BAD if outcome is Outcome.SKIPPED else NOT_WELL
    if outcome in NOT_WELL or inner not in worse:
        return outcome, reason
    step = next((step for step in steps if step.outcome is inner), None)
    what = f"its step “{step.name}” is {inner.value}" if step else "one of its expectations is not met"
    return inner, f"The file says {outcome.value}, but {what}."


def _before(ended: datetime, took_s: float) -> datetime | None:
    try:
        return ended - timedelta(seconds=took_s)
    except OverflowError:
        return None


def _between(started: datetime, ended: datetime) -> float | None:
    if (started.tzinfo is None) != (ended.tzinfo is None):
        return None
    return max(0.0, (ended - started).total_seconds())


def steps_of(values: Values, key: str, forms: StepMapping | tuple[StepMapping, ...]) -> Make[Step] | None:
    """Return what gives the steps of an item, in any depth. Raises ValueError."""
    makers = [_Steps(values, at, form) for at, form in numbered(key, forms)]
    return (lambda item: tuple(step for make in makers for step in make(item))) if makers else None


class _Steps:
    """Makes the steps of an item by one form, with those inside them."""

    def __init__(self, values: Values, key: str, form: StepMapping) -> None:
        self._each, self._name = values.each(key, form), values.line(f"{key}.name", form.name)
        self._result_of = ResultOfItem(values, key, form, values.inner_outcomes)
        self._inside = None
        if form.inside:
            self._inside = values.each(f"{key}.inside", StepMapping(each=form.inside, where=form.where))
        self._others = steps_of(values, f"{key}.step", form.step)

    def __call__(self, item: object) -> Iterator[Step]:
        """Yield the steps of an item."""
        return (self._made(part, 0) for part in self._each(item))

    def _made(self, item: object, depth: int) -> Step:
        steps = self._others(item) if self._others else ()
        if self._inside:
            steps = (*steps, *self._steps_inside(item, depth))
        result = self._result_of(item, steps)
        remarks = (Output("remark", result.reason),) if result.reason else ()
        return Step(
            name=(self._name(item) if self._name else None) or NAMELESS_STEP,
            outcome=result.outcome,
            started=result.started,
            took_s=result.took_s,
            problems=result.problems,
            steps=steps,
            outputs=(*result.outputs, *remarks),
            evidence=result.evidence,
            expectations=result.expectations,
            exchanges=result.exchanges,
        )

    def _steps_inside(self, item: object, depth: int) -> Iterator[Step]:
        inner = self._inside(item) if self._inside else ()
        if self._inside and inner and depth >= _DEEPEST_STEPS:
            yield _left_out(inner, self._inside, self._result_of)
        else:
            yield from (self._made(part, depth + 1) for part in inner)


def _left_out(
    items: Sequence[object], inside: Callable[[object], Sequence[object]], result_of: ResultOfItem
) -> Step:
    """Return one step for all that nest too deep; they may nest deeper than Python's recursion goes."""
    outcomes, waiting = [], list(items)
    while waiting:
        item = waiting.pop()
        outcomes.append(result_of(item, ()).outcome)
        waiting += inside(item)
    return Step(f"{plural(len(outcomes), 'step')} that nest too deep to be shown", gravest(outcomes))
