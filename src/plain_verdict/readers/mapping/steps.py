"""How a check or a step ended, with all that belongs to it; and steps, in any depth."""

from collections.abc import Callable, Iterator, Sequence
from datetime import datetime
from typing import NamedTuple

import msgspec

from plain_verdict.model import BAD, Evidence, Exchange, Expectation, Outcome, Output, Problem, Step, gravest
from plain_verdict.readers.mapping.outcomes import NO_OUTCOME, Outcomes
from plain_verdict.readers.mapping.parts import Make, evidence, exchanges, expectations, outputs, problems
from plain_verdict.readers.mapping.values import Values, numbered
from plain_verdict.readers.record.tree import unmet
from plain_verdict.settings.mappings import Part, StepMapping
from plain_verdict.text.cleaning import single_line
from plain_verdict.text.formatting import plural

NAMELESS_STEP = "Nameless step"
_DEEPEST_STEPS = 40
"""Steps nested deeper than this are left out, as no page can show them; their outcomes count."""
_WORSE = (*BAD, Outcome.UNDECIDED)


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


ReadResult = Callable[[object, Sequence[Step]], ItemResult]


def teller(values: Values, key: str, form: Part, outcomes: Outcomes) -> ReadResult:
    """Return what tells how an item ended, given its steps. Raises ValueError.

    What passed by its file, while a step or an expectation of it did not, did not pass.
    """
    judge = outcomes.reader(f"{key}.outcome", form.outcome)
    took, started = values.took(f"{key}.took", form.took), values.moment(f"{key}.started", form.started)
    ended = values.moment(f"{key}.ended", form.ended)
    problems_of = problems(values, f"{key}.problem", form.problem) or _none
    outputs_of = outputs(values, f"{key}.output", form.output) or _none
    evidence_of = evidence(values, f"{key}.evidence", form.evidence) or _none
    expectations_of = expectations(values, f"{key}.expectation", form.expectation) or _none
    exchanges_of = exchanges(values, f"{key}.exchange", form.exchange) or _none

    def read_result(item: object, steps: Sequence[Step]) -> ItemResult:
        judged = judge(item) if judge else NO_OUTCOME
        began, end = started(item) if started else None, ended(item) if ended else None
        took_s = took(item) if took else None
        exchanged, asserted = exchanges_of(item), expectations_of(item)
        if asserted and len(exchanged) == 1:
            asserted = tuple(msgspec.structs.replace(expectation, exchange=0) for expectation in asserted)
        outcome, unknown = judged
        reason = f"The mapping does not list the outcome “{unknown}”." if unknown is not None else ""
        if steps or asserted:
            outcome, reason = _with_inner(outcome, reason, steps, asserted, has_outcome=judge is not None)
        wrong, printed = problems_of(item), outputs_of(item)
        remarked = bool(wrong) and outcome not in BAD
        if outcome in BAD:
            wrong = tuple(_as(problem, outcome) for problem in wrong) or unmet(asserted, values.limits)
        elif wrong:
            reason, remarks = _no_problems(outcome, reason, wrong, values.limits.message_chars)
            wrong, printed = (), (*printed, *remarks)
        if took_s is None and began is not None and end is not None:
            took_s = _between(began, end)
        unsaid, proofs = judged is NO_OUTCOME, evidence_of(item)
        return ItemResult(
            outcome, unsaid, reason, took_s, began, end, wrong, printed, proofs, asserted, exchanged, remarked
        )

    return read_result


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


def _with_inner(
    outcome: Outcome, reason: str, steps: Sequence[Step], asserted: Sequence[Expectation], *, has_outcome: bool
) -> tuple[Outcome, str]:
    """Return the outcome with what its steps and expectations say, and why it is another than its file says."""
    inner = gravest((*(step.outcome for step in steps), *(expectation.outcome for expectation in asserted)))
    if not has_outcome:
        return inner, ""
    if outcome in _WORSE or inner not in _WORSE:
        return outcome, reason
    step = next((step for step in steps if step.outcome is inner), None)
    what = f"its step “{step.name}” is {inner.value}" if step else "one of its expectations is not met"
    return inner, f"The file says {outcome.value}, but {what}."


def _between(started: datetime, ended: datetime) -> float | None:
    if (started.tzinfo is None) != (ended.tzinfo is None):
        return None
    return max(0.0, (ended - started).total_seconds())


def steps_of(values: Values, key: str, forms: StepMapping | tuple[StepMapping, ...]) -> Make[Step] | None:
    """Return what gives the steps of an item, in any depth. Raises ValueError."""
    makers = [_step(values, at, form) for at, form in numbered(key, forms)]
    return (lambda item: tuple(step for make in makers for step in make(item))) if makers else None


def _step(values: Values, key: str, form: StepMapping) -> Callable[[object], Iterator[Step]]:
    each, name = values.each(key, form), values.line(f"{key}.name", form.name)
    read_result = teller(values, key, form, values.inner_outcomes)
    inside = None
    if form.inside:
        inside = values.each(f"{key}.inside", StepMapping(each=form.inside, where=form.where))
    others = steps_of(values, f"{key}.step", form.step)

    def made(item: object, depth: int) -> Step:
        steps = others(item) if others else ()
        if inside is not None:
            inner = inside(item)
            if inner and depth >= _DEEPEST_STEPS:
                steps = (*steps, _left_out(inner, inside, read_result))
            else:
                steps = (*steps, *(made(part, depth + 1) for part in inner))
        item_result = read_result(item, steps)
        remarks = (Output("remark", item_result.reason),) if item_result.reason else ()
        return Step(
            name=(name(item) if name else None) or NAMELESS_STEP,
            outcome=item_result.outcome,
            started=item_result.started,
            took_s=item_result.took_s,
            problems=item_result.problems,
            steps=steps,
            outputs=(*item_result.outputs, *remarks),
            evidence=item_result.evidence,
            expectations=item_result.expectations,
            exchanges=item_result.exchanges,
        )

    return lambda item: (made(part, 0) for part in each(item))


def _left_out(
    items: Sequence[object], inside: Callable[[object], Sequence[object]], read_result: ReadResult
) -> Step:
    """Return one step for all that nest too deep; they may nest deeper than Python's recursion goes."""
    outcomes, waiting = [], list(items)
    while waiting:
        item = waiting.pop()
        outcomes.append(read_result(item, ()).outcome)
        waiting += inside(item)
    return Step(f"{plural(len(outcomes), 'step')} that nest too deep to be shown", gravest(outcomes))
