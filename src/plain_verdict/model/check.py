"""A check and what it is made of: attempts, steps, problems, texts, evidence."""

from collections.abc import Iterator, Sequence
from datetime import datetime
from functools import lru_cache

from plain_verdict.model.evidence import Evidence
from plain_verdict.model.exchange import Exchange, Expectation
from plain_verdict.model.facts import OWNER, Fact, Value
from plain_verdict.model.outcome import BAD, Kind, Outcome
from plain_verdict.model.rule import Rule
from plain_verdict.text.cleaning import headline


class SourceLocation(Value, frozen=True):
    """Where a check is written: a source file, and its line if known."""

    file: str
    line: int | None = None

    def __str__(self) -> str:
        return self.file if self.line is None else f"{self.file}:{self.line}"


class Problem(Value, frozen=True, omit_defaults=True):
    """What went wrong. ``expected`` and ``actual`` are None where they can't be told."""

    outcome: Outcome
    type: str = ""
    message: str = ""
    detail: str = ""
    expected: str | None = None
    actual: str | None = None
    place: str = ""
    """Where it was found, in words: a file and its line, an element of a page."""


class Output(Value, frozen=True):
    """A named stream of text that a check, step or suite left behind."""

    name: str
    text: str


class LogEntry(Value, frozen=True):
    """A line of log, with the moment it was written if that is known."""

    text: str
    level: str = "info"
    at: datetime | None = None


class Step(Value, frozen=True, omit_defaults=True):
    """A named part of a check, with its own outcome and time; steps nest."""

    name: str
    outcome: Outcome
    started: datetime | None = None
    took_s: float | None = None
    problems: tuple[Problem, ...] = ()
    steps: tuple["Step", ...] = ()
    logs: tuple[LogEntry, ...] = ()
    outputs: tuple[Output, ...] = ()
    evidence: tuple[Evidence, ...] = ()
    expectations: tuple[Expectation, ...] = ()
    exchanges: tuple[Exchange, ...] = ()


class Attempt(Value, frozen=True, omit_defaults=True):
    """One execution of a check. ``reason`` says why it was skipped or is undecided.

    ``number`` counts attempts from 1 where the format tells it, else it is 0.
    """

    outcome: Outcome
    took_s: float | None = None
    started: datetime | None = None
    reason: str = ""
    problems: tuple[Problem, ...] = ()
    outputs: tuple[Output, ...] = ()
    steps: tuple[Step, ...] = ()
    evidence: tuple[Evidence, ...] = ()
    logs: tuple[LogEntry, ...] = ()
    expectations: tuple[Expectation, ...] = ()
    exchanges: tuple[Exchange, ...] = ()
    worker: str = ""
    number: int = 0
    cause: str = ""
    """The cause that its source names itself."""

    @property
    def has_details(self) -> bool:
        """Return whether there is anything to tell of it besides how it ended and how long it took."""
        return bool(
            self.problems
            or self.outputs
            or self.reason
            or self.steps
            or self.evidence
            or self.exchanges
            or self.expectations
            or self.logs
            or self.worker
        )


@lru_cache(1 << 15)
def passed_in(took_s: float | None) -> tuple[Attempt, ...]:
    """Return the only attempt of a check that passed in so many seconds, of which nothing else is known.

    Most checks of a large run are such, and many take the same time: they share one.
    """
    return (Attempt(Outcome.PASSED, took_s),)


class Check(Value, frozen=True, omit_defaults=True):
    """The leaf that has an outcome. ``attempts`` is never empty, and its last entry counts."""

    id: str
    kind: Kind
    suite: tuple[str, ...]
    name: str
    attempts: tuple[Attempt, ...]
    parameters: tuple[Fact, ...] = ()
    location: SourceLocation | None = None
    facts: tuple[Fact, ...] = ()
    tags: tuple[str, ...] = ()
    description: str = ""
    requirements: tuple[str, ...] = ()
    links: tuple[Fact, ...] = ()
    variant: tuple[Fact, ...] = ()
    """What sets it apart from the same check elsewhere in the run: browser, platform, region."""
    disambiguator: str = ""
    """Where it comes from, in words, if other checks of the run have its name: a file, a host, "2 of 3"."""
    rule: Rule | None = None
    """Of checks of kind compliance."""

    @property
    def owners(self) -> list[str]:
        """Return who owns it."""
        return [fact.value for fact in self.facts if fact.key.casefold() == OWNER]

    @property
    def title(self) -> str:
        """Return the name with its parameters, as one line of text."""
        if not self.parameters:
            return self.name
        return " ".join([self.name, *(f"[{parameter.value}]" for parameter in self.parameters)])

    @property
    def bare_title(self) -> str:
        """Return its title with what sets it apart from others of that title: a host, a browser, a file."""
        if not (self.variant or self.disambiguator):
            return self.title
        differs_by = (*(fact.value for fact in self.variant), *filter(None, (self.disambiguator,)))
        return f"{self.title} ({', '.join(differs_by)})"

    @property
    def whole_name(self) -> str:
        """Return its suites and its own name in one line."""
        return " › ".join((*self.suite, self.bare_title))

    @property
    def why(self) -> str:
        """Return the line that says why it ended so: of its first problem, or else its reason."""
        last = self.last
        return headline(last.problems[0].message) if last.problems else last.reason

    @property
    def has_details(self) -> bool:
        """Return whether there is anything to tell of it besides its name, how it ended and how long it took."""
        if self.attempts[-1].has_details or len(self.attempts) > 1:
            return True
        return bool(self.facts or self.location or self.tags or self.description or self.requirements or self.links)

    @property
    def last(self) -> Attempt:
        """Return the attempt that counts."""
        return self.attempts[-1]

    @property
    def outcome(self) -> Outcome:
        """Return the outcome that counts."""
        return self.attempts[-1].outcome

    @property
    def flaky(self) -> bool:
        """Return whether it passed only after an attempt that did not."""
        was_repeated = len(self.attempts) > 1
        return (
            was_repeated
            and self.outcome is Outcome.PASSED
            and any(attempt.outcome in BAD for attempt in self.attempts)
        )


def steps_below(part: Attempt | Step) -> Iterator[Step]:
    """Yield the steps of an attempt or a step at any depth, in the order in which they are shown."""
    for step in part.steps:
        yield step
        yield from steps_below(step)


def failing_steps(part: Attempt | Step) -> Iterator[Step]:
    """Yield the steps at any depth that failed or errored: an outer one before those in it."""
    return (step for step in steps_below(part) if step.outcome in BAD)


def evidence_of(check: Check) -> Iterator[Evidence]:
    """Yield all evidence of a check, in the order in which it is shown."""
    for attempt in check.attempts:
        if attempt.evidence or attempt.exchanges or attempt.steps:  # most have none
            yield from _evidence_below(attempt)


def _evidence_below(part: Attempt | Step) -> Iterator[Evidence]:
    yield from evidence_of_check(part)
    for step in part.steps:
        yield from _evidence_below(step)


def evidence_of_check(part: Attempt | Step) -> Iterator[Evidence]:
    """Yield the evidence of an attempt or a step itself: what it was given, and bodies that are no text."""
    yield from part.evidence
    for exchange in part.exchanges:
        for message in (exchange.request, exchange.response):
            if message is not None and message.body is not None and message.body.binary is not None:
                yield message.body.binary


def exchanges_of(part: Attempt | Step) -> Iterator[tuple[Exchange, Attempt | Step, int]]:
    """Yield the exchanges of an attempt or a step and of the steps below it, each with its part and place there."""
    for position, exchange in enumerate(part.exchanges):
        yield exchange, part, position
    for step in part.steps:
        yield from exchanges_of(step)


def counting_last(attempts: Sequence[Attempt]) -> tuple[Attempt, ...]:
    """Return the attempts with the one that counts at the end.

    Only a pass supersedes a failure: one that was skipped, or that nobody can tell, stands before what failed.
    """
    if len(attempts) == 1 or attempts[-1].outcome not in (Outcome.SKIPPED, Outcome.UNDECIDED):
        return tuple(attempts)
    graver = (*BAD, Outcome.UNDECIDED) if attempts[-1].outcome is Outcome.SKIPPED else BAD
    counts = next((attempt for attempt in reversed(attempts) if attempt.outcome in graver), attempts[-1])
    return (*(attempt for attempt in attempts if attempt is not counts), counts)
