"""The words of the project as data: what a run, a check, a step, a problem and a verdict are.

Everything here is immutable and compact: a nightly run has 100,000 checks. Nothing here opens files or knows
how a page looks.
"""

from collections.abc import Iterable, Iterator, Sequence
from datetime import UTC, date, datetime
from enum import StrEnum

import msgspec


class Kind(StrEnum):
    """What sort of run a check comes from."""

    FUNCTIONAL = "functional"
    API = "api"
    LOAD = "load"
    COMPLIANCE = "compliance"


class Outcome(StrEnum):
    """How a check, an attempt or a step ended, in the order in which outputs list them."""

    FAILED = "failed"
    ERRORED = "errored"
    UNDECIDED = "undecided"
    SKIPPED = "skipped"
    PASSED = "passed"


BAD = (Outcome.FAILED, Outcome.ERRORED)
"""The outcomes that need a cause."""


class Word(StrEnum):
    """The verdict in a word."""

    FIT = "fit"
    NOT_FIT = "not fit"
    UNDECIDED = "undecided"


class Value(msgspec.Struct, frozen=True, gc=False):
    """A plain immutable value; without reference cycles, so the garbage collector can leave it alone."""


class Fact(Value, frozen=True):
    """A key and value about a run, a suite or a check."""

    key: str
    value: str


class Place(Value, frozen=True):
    """Where a check is written: a source file, and its line if known."""

    file: str
    line: int | None = None

    def __str__(self) -> str:
        return self.file if self.line is None else f"{self.file}:{self.line}"


class Problem(Value, frozen=True):
    """What went wrong. ``expected`` and ``actual`` are None where they can't be told."""

    outcome: Outcome
    type: str = ""
    message: str = ""
    detail: str = ""
    expected: str | None = None
    actual: str | None = None


class Output(Value, frozen=True):
    """A named stream of text that a check, step or suite left behind."""

    name: str
    text: str


class LogEntry(Value, frozen=True):
    """A line of log, with the moment it was written if that is known."""

    text: str
    level: str = "info"
    at: datetime | None = None


class Content(Value, frozen=True):
    """What evidence holds, once in a page however often it is used. ``key`` is made from the original bytes.

    ``kind`` is ``picture``, ``text``, ``video`` or ``file``. Pictures have their size in pixels; texts have
    ``text``, all others ``data``. ``remark`` says what was done to it (scaled, shortened).
    """

    key: str
    kind: str
    media_type: str
    data: bytes = b""
    text: str = ""
    width: int = 0
    height: int = 0
    remark: str = ""


class Evidence(Value, frozen=True):
    """A screenshot, log, body or other file that belongs to a check or step.

    As read it has ``path`` (relative to the folder of its result file) or ``data``. Once collected it has
    ``content``, the key of what it holds, or ``trouble``: why it is not on the page.
    """

    name: str
    path: str = ""
    data: bytes = b""
    caption: str = ""
    at: datetime | None = None
    content: str = ""
    trouble: str = ""


class Message(Value, frozen=True):
    """One half of an exchange: a request or a response. A response's ``start_line`` holds its status."""

    start_line: str
    headers: tuple[Fact, ...] = ()
    body: str = ""


class Exchange(Value, frozen=True):
    """A request to a service and what came back; ``response`` is None if nothing did."""

    request: Message
    response: Message | None = None
    took_s: float | None = None


class Step(Value, frozen=True):
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
    exchange: Exchange | None = None


class Attempt(Value, frozen=True):
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
    exchange: Exchange | None = None
    logs: tuple[LogEntry, ...] = ()
    worker: str = ""
    number: int = 0
    cause: str = ""
    """The cause that its source names itself."""


class Check(Value, frozen=True):
    """The leaf that has an outcome. ``attempts`` is never empty, and its last entry counts."""

    id: str
    kind: Kind
    suite: tuple[str, ...]
    name: str
    attempts: tuple[Attempt, ...]
    parameters: tuple[Fact, ...] = ()
    place: Place | None = None
    facts: tuple[Fact, ...] = ()
    tags: tuple[str, ...] = ()
    description: str = ""
    requirements: tuple[str, ...] = ()
    links: tuple[Fact, ...] = ()
    variant: tuple[Fact, ...] = ()
    """What sets it apart from the same check elsewhere in the run: browser, platform, region."""
    apart: str = ""
    """Where it comes from, in words, if other checks of the run have its name: a file, a host, "2 of 3"."""

    @property
    def title(self) -> str:
        """Return the name with its parameters, as one line of text."""
        return " ".join([self.name, *(f"[{parameter.value}]" for parameter in self.parameters)])

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
        return self.outcome is Outcome.PASSED and any(one.outcome in BAD for one in self.attempts)


def evidence_of(check: Check) -> Iterator[Evidence]:
    """Yield all evidence of a check, in the order in which it is shown."""
    for attempt in check.attempts:
        yield from _evidence_below(attempt)


def _evidence_below(part: Attempt | Step) -> Iterator[Evidence]:
    yield from part.evidence
    for step in part.steps:
        yield from _evidence_below(step)


class Tally(Value, frozen=True):
    """How many checks ended in each outcome."""

    passed: int = 0
    failed: int = 0
    errored: int = 0
    skipped: int = 0
    undecided: int = 0

    @property
    def total(self) -> int:
        """Return the number of all checks."""
        return self.passed + self.failed + self.errored + self.skipped + self.undecided

    @property
    def ran(self) -> int:
        """Return the number of checks that were not left out."""
        return self.total - self.skipped

    def of(self, outcome: Outcome) -> int:
        """Return the number of checks with this outcome."""
        return int(getattr(self, outcome.value))


class ReadingNote(Value, frozen=True):
    """Something the reader of a file noticed; ``lost`` where results may be missing because of it.

    A ``quiet`` one stands on the page and is not worth a line on the terminal.
    """

    path: str
    what: str
    where: str = ""
    lost: bool = False
    quiet: bool = False

    @property
    def sentence(self) -> str:
        """Return the note as a sentence that begins with the file's path."""
        return f"{self.path} {self.what}{f' ({self.where})' if self.where else ''}."


class Unread(Value, frozen=True):
    """An input that could not be read, with the reason and what to do."""

    path: str
    what: str
    where: str = ""
    hint: str = ""
    file: str = ""
    """Where it stands; never shown."""
    chosen: bool = False
    """Whether the user asked for it to be left out, so that nothing is missing."""

    @property
    def sentence(self) -> str:
        """Return the trouble as a sentence that begins with the input's path."""
        return f"{self.path} {self.what}{f' ({self.where})' if self.where else ''}."


class SuiteNotes(Value, frozen=True):
    """What a result file says of a suite as a whole, outside its checks."""

    suite: tuple[str, ...]
    facts: tuple[Fact, ...] = ()
    outputs: tuple[Output, ...] = ()


class ResultFile(Value, frozen=True):
    """One result file, read. ``started`` and ``ended`` are None where the file names no time."""

    path: str
    format: str
    size_bytes: int
    checks: tuple[Check, ...]
    suites: tuple[SuiteNotes, ...] = ()
    notes: tuple[ReadingNote, ...] = ()
    started: datetime | None = None
    ended: datetime | None = None
    title: str = ""
    folder: str = ""
    """Where it stands, to find its evidence; never shown."""
    digest: str = ""
    """Of its bytes, to tell the same file given twice."""
    cases: int = 0
    """How many executions of checks it holds, reruns that were brought together counted one by one."""
    reruns: tuple[str, ...] = ()
    """Names of checks of which several executions became attempts at one."""
    go: int = 0
    """0 for results of the first go; 1 and more for those that the user calls a retry of what is before."""


class Run(Value, frozen=True):
    """Everything that goes into one page, files in the order of their paths."""

    files: tuple[ResultFile, ...]
    checks: tuple[Check, ...]
    unread: tuple[Unread, ...] = ()
    left_alone: tuple[Unread, ...] = ()
    """Files in a given folder that are no result files."""
    contents: tuple[Content, ...] = ()
    unclaimed: tuple[Evidence, ...] = ()
    """Evidence that belongs to no check."""
    evidence_notes: tuple[str, ...] = ()
    """What was done to keep the page within its limits, and what could not be shown."""

    @property
    def notes(self) -> tuple[ReadingNote, ...]:
        """Return every file's reading notes."""
        return tuple(note for file in self.files for note in file.notes)

    @property
    def cases(self) -> int:
        """Return how many executions of checks were read."""
        return sum(file.cases for file in self.files)

    @property
    def reruns(self) -> tuple[str, ...]:
        """Return the names of the checks whose executions were brought together."""
        return tuple(name for file in self.files for name in file.reruns)


class ConditionResult(Value, frozen=True):
    """One rule the run must keep to be fit, in words, and the number it met. ``kept`` None: undecided.

    ``name`` is short; "" where the rule says no more than that nothing may fail.
    """

    words: str
    kept: bool | None
    met: str
    name: str = ""


class Cause(Value, frozen=True):
    """A named reason that several failures share. ``typical`` is a message in pieces: (text, whether it varies)."""

    name: str
    checks: tuple[Check, ...]
    typical: tuple[tuple[str, bool], ...] = ()
    type: str = ""
    by_rule: bool = False
    advice: str = ""
    owner: str = ""
    link: str = ""


class Waived(Value, frozen=True):
    """That a check may fail, why, and until which day."""

    reason: str
    until: date
    who: str = ""
    link: str = ""


class Verdict(Value, frozen=True):
    """The judgement: a word, why, every reason behind it, and remarks: what ``why`` leaves unsaid.

    ``why`` goes on from the word ("all 12 checks passed."); reasons and remarks are sentences of their own.
    """

    word: Word
    why: str
    reasons: tuple[str, ...]
    remarks: tuple[str, ...] = ()
    conditions: tuple[ConditionResult, ...] = ()
    causes: tuple[Cause, ...] = ()
    waived: dict[str, Waived] = {}
    """By check id."""
    notes: tuple[str, ...] = ()
    """For the team that keeps the rules: what covered nothing, what was switched off."""

    @property
    def sentence(self) -> str:
        """Return the verdict as one sentence to read aloud."""
        return f"{self.word.capitalize()}: {self.why}"


_WEIGHT = (Outcome.PASSED, Outcome.SKIPPED, Outcome.UNDECIDED, Outcome.FAILED, Outcome.ERRORED)


def gravest(outcomes: Iterable[Outcome]) -> Outcome:
    """Return the outcome that outweighs the others: errored, failed, undecided, skipped, passed."""
    return max(outcomes, key=_WEIGHT.index, default=Outcome.PASSED)


def counting_last(attempts: Sequence[Attempt]) -> tuple[Attempt, ...]:
    """Return the attempts with the one that counts at the end.

    Only a pass supersedes a failure: one that was skipped, or that nobody can tell, stands before what failed.
    """
    if len(attempts) == 1 or attempts[-1].outcome not in (Outcome.SKIPPED, Outcome.UNDECIDED):
        return tuple(attempts)
    graver = (*BAD, Outcome.UNDECIDED) if attempts[-1].outcome is Outcome.SKIPPED else BAD
    counts = next((attempt for attempt in reversed(attempts) if attempt.outcome in graver), attempts[-1])
    return (*(attempt for attempt in attempts if attempt is not counts), counts)


_IDENTITIES = tuple((outcome.value, id(outcome)) for outcome in Outcome)


def in_order(moment: datetime) -> datetime:
    """Return a moment that can be compared with others; one without a zone counts as UTC."""
    return moment.replace(tzinfo=UTC) if moment.tzinfo is None else moment


def tally_of(checks: Iterable[Check]) -> Tally:
    """Return how many of the checks ended in each outcome."""
    # By identity, as hashing a member of an enum is slow, and this is done for every check more than once.
    outcomes = [id(check.attempts[-1].outcome) for check in checks]
    return Tally(**{name: outcomes.count(id_) for name, id_ in _IDENTITIES})
