"""Turns what a record says of a check or step into an attempt or a step."""

from collections.abc import Iterator, Sequence
from datetime import datetime

from plain_verdict.model import (
    BAD,
    Attempt,
    Evidence,
    Exchange,
    Expectation,
    LogEntry,
    Outcome,
    Output,
    Problem,
    Step,
    gravest,
)
from plain_verdict.readers.record.lines import CheckLine, EndLine, StepLine
from plain_verdict.settings.limits import Limits
from plain_verdict.text.cleaning import block, single_line
from plain_verdict.text.formatting import capital
from plain_verdict.text.moments import LONGEST_S

STOPPED = "Stopped before it finished."
_DEEPEST = 40
"""Steps nested deeper than this are left out, as no page can show them; what they say of the check counts."""


class Node:
    """A check or step while its lines are being read."""

    __slots__ = (
        *("ended", "ending", "evidence", "exchanges", "expectations", "line", "logs", "name", "outputs", "started"),
        "steps",
    )

    def __init__(self, line: CheckLine | StepLine, name: str, started: datetime | None) -> None:
        self.line = line
        self.name = name
        self.started = started
        self.ended: datetime | None = None
        self.ending: EndLine | None = None
        self.steps: list[Node] = []
        self.logs: list[LogEntry] = []
        self.outputs: list[Output] = []
        self.evidence: list[Evidence] = []
        self.exchanges: list[Exchange] = []
        self.expectations: list[Expectation] = []

    @property
    def broken(self) -> Outcome:
        """Return the gravest outcome of its expectations, passed where none is broken or undecided."""
        if not self.expectations:
            return Outcome.PASSED
        return gravest(expectation.outcome for expectation in self.expectations if expectation.outcome in NOT_WELL)

    def end(self, line: EndLine, at: datetime | None) -> bool:
        """Take in the line that ends it; of several the gravest counts. Return whether it had none before."""
        first = self.ending is None
        if self.ending is None or gravest((self.ending.outcome, line.outcome)) is not self.ending.outcome:
            self.ending = line
            self.ended = at
        return first

    @property
    def took_s(self) -> float | None:
        """Return how long it took, as said, or else from its beginning to its end."""
        if self.ending is not None and self.ending.took_s is not None:
            return self.ending.took_s if self.ending.took_s < LONGEST_S else None
        if (
            self.started is None
            or self.ended is None
            or (self.started.tzinfo is None) != (self.ended.tzinfo is None)
        ):
            return None
        return max(0.0, (self.ended - self.started).total_seconds())


def attempt_of(node: Node, line: CheckLine, limits: Limits) -> Attempt:
    """Return the attempt that a check's lines tell; one that never ended is errored.

    One that says it passed, or was skipped, while a step of it or a problem says otherwise, did not pass.
    """
    ending = node.ending
    outcome = ending.outcome if ending else Outcome.ERRORED
    reason = single_line(ending.reason, limits.message_chars) if ending else ""
    problems = _problems(ending, limits) if ending else (Problem(Outcome.ERRORED, message=STOPPED),)
    if ending and outcome in (Outcome.PASSED, Outcome.SKIPPED):
        outcome, contradiction = _contradicted(node, outcome, problems)
        reason = " ".join(filter(None, (reason, contradiction)))
    return Attempt(
        outcome=outcome,
        took_s=node.took_s,
        started=node.started,
        reason=reason,
        problems=problems or unmet(node.expectations, limits),
        outputs=tuple(node.outputs),
        steps=_steps(node, outcome, ended=ending is not None, limits=limits),
        evidence=tuple(node.evidence),
        logs=tuple(node.logs),
        expectations=tuple(node.expectations),
        exchanges=tuple(node.exchanges),
        worker=single_line(line.worker, limits.name_chars),
        number=line.attempt,
        cause=single_line(ending.cause, limits.name_chars) if ending else "",
    )


def unmet(expectations: Sequence[Expectation], limits: Limits) -> tuple[Problem, ...]:
    """Return a problem for the first broken expectation, where nothing else says what went wrong."""
    if not expectations:
        return ()
    broken = next((expectation for expectation in expectations if expectation.outcome in BAD), None)
    return (
        () if broken is None else (Problem(broken.outcome, message=block(_worded(broken), limits.message_chars)),)
    )


def _worded(broken: Expectation) -> str:
    if broken.message or broken.actual is None:
        return broken.message or f"{capital(broken.subject)}: the expectation is not met"
    is_status = broken.subject.lower() == "status"
    found = f"Answered {broken.actual}" if is_status else f"{capital(broken.subject)} is {broken.actual}"
    return found if broken.expected is None else f"{found}, expected {broken.expected}"


def _contradicted(node: Node, outcome: Outcome, problems: tuple[Problem, ...]) -> tuple[Outcome, str]:
    """Return the outcome that counts where a problem, or a step at any depth, says worse; and that it does."""
    bad = [problem.outcome for problem in problems if problem.outcome in BAD] if problems else []
    if bad:
        return gravest(bad), f"The record says {outcome.value}, but has a problem."
    stated_outcome, what = outcome, ""
    if node.broken in NOT_WELL:
        outcome = node.broken
        what = f"one of its expectations is {'not met' if outcome in BAD else 'undecided'}"
    for step in _below(node):
        found = _step_outcome(step)
        if found in NOT_WELL and gravest((found, outcome)) is not outcome:
            outcome, what = found, f"its step “{step.name}” {_WORDS[found] if step.ending else 'never ended'}"
    return outcome, f"The record says {stated_outcome.value}, but {what}." if what else ""


def _step_outcome(step: Node) -> Outcome:
    # What never ended was cut off: nobody knows how it would have ended.
    if step.ending and not (step.ending.problems or step.expectations):
        return step.ending.outcome
    return gravest((_outcome_of(step.ending) if step.ending else Outcome.UNDECIDED, step.broken))


def _below(node: Node) -> Iterator[Node]:
    """Yield the steps at any depth, each before its own; they may nest deeper than Python's recursion goes."""
    waiting = list(reversed(node.steps))
    while waiting:
        step = waiting.pop()
        waiting += reversed(step.steps)
        yield step


def _outcome_of(ending: EndLine) -> Outcome:
    """Return the gravest of what a step's end says and what its problems say."""
    return gravest((ending.outcome, *(problem.outcome or Outcome.FAILED for problem in ending.problems)))


NOT_WELL = (*BAD, Outcome.UNDECIDED)
_WORDS = {
    Outcome.FAILED: "failed",
    Outcome.ERRORED: "could not finish",
    Outcome.UNDECIDED: "is undecided",
}


def _steps(node: Node, outcome: Outcome, *, ended: bool, limits: Limits, depth: int = 0) -> tuple[Step, ...]:
    if depth > _DEEPEST or not node.steps:
        return ()
    return tuple(_step(step, outcome, ended=ended, limits=limits, depth=depth + 1) for step in node.steps)


def _step(node: Node, around: Outcome, *, ended: bool, limits: Limits, depth: int) -> Step:
    """Return a step; one that never ended is errored, or undecided if what is around it says that it did end."""
    ending = node.ending
    if ending:
        problems = _problems(ending, limits)
        outcome = ending.outcome
        if problems or node.expectations:
            outcome = gravest((outcome, node.broken, *(problem.outcome for problem in problems)))
    elif node.broken in BAD:
        outcome, problems = node.broken, ()
    elif ended and around in (Outcome.PASSED, Outcome.UNDECIDED):
        outcome, problems = Outcome.UNDECIDED, ()
    else:
        outcome, problems = Outcome.ERRORED, (Problem(Outcome.ERRORED, message=STOPPED),)
    problems = problems or unmet(node.expectations, limits)
    return Step(
        name=node.name,
        outcome=outcome,
        started=node.started,
        took_s=node.took_s,
        problems=problems,
        steps=_steps(node, outcome, ended=ending is not None, limits=limits, depth=depth),
        logs=tuple(node.logs),
        outputs=tuple(node.outputs),
        evidence=tuple(node.evidence),
        expectations=tuple(node.expectations),
        exchanges=tuple(node.exchanges),
    )


def _problems(ending: EndLine, limits: Limits) -> tuple[Problem, ...]:
    if not ending.problems:
        return ()
    fallback = ending.outcome if ending.outcome in BAD else Outcome.FAILED
    return tuple(
        Problem(
            part.outcome or fallback,
            single_line(part.type, limits.name_chars),
            block(part.message, limits.message_chars),
            block(part.detail, limits.detail_chars),
            None if part.expected is None else block(part.expected, limits.message_chars),
            None if part.actual is None else block(part.actual, limits.message_chars),
        )
        for part in ending.problems
    )
