"""A run: result files with their checks, and what was noticed while they were read."""

from collections.abc import Sequence
from datetime import datetime
from functools import cached_property

import msgspec

from plain_verdict.model.api import ApiCalls
from plain_verdict.model.check import Check, Output
from plain_verdict.model.checks import Checks
from plain_verdict.model.evidence import Content, Evidence
from plain_verdict.model.facts import Fact, Masked, Owner, Value
from plain_verdict.model.history import ChangesSince, HistoryContext
from plain_verdict.model.load import LoadRun, Metric, Reported
from plain_verdict.model.outcome import Kind, Outcome
from plain_verdict.model.requirement import Requirements
from plain_verdict.model.tally import Tally, tally_of


class ReadingNote(Value, frozen=True):
    """Something the reader of a file noticed; ``results_missing`` where some may be missing because of it.

    A ``quiet`` one stands on the page and is not worth a line on the terminal.
    """

    path: str
    what: str
    where: str = ""
    results_missing: bool = False
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
    excluded_by_user: bool = False
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


class Payload(Value, frozen=True):
    """What a result file holds besides checks: numbers of a load run, exchanges that no check asked about.

    A reader of such a kind makes its own struct from it. Its texts are masked and its times moved like all
    others.
    """

    kind: Kind

    @property
    def amount(self) -> tuple[int, str]:
        """Return how much it is, and a noun for one of it; 0 where nothing is counted."""
        return 0, ""

    def added_to(self, first: "Payload") -> "Payload":  # noqa: ARG002  only some can be added up
        """Return what is left of it once it is added to the first of its sort in a run: all, where it can't be."""
        return self


class Decision(Value, frozen=True):
    """What a person decided of a check that nothing else could tell."""

    check: str
    """Its id."""
    outcome: Outcome
    note: str = ""
    by: str = ""
    at: datetime | None = None
    evidence: tuple[Evidence, ...] = ()


class DecisionsPayload(Payload, frozen=True):
    """The decisions that a record holds."""

    decisions: tuple[Decision, ...]

    @property
    def amount(self) -> tuple[int, str]:
        """Return how many decisions it holds."""
        return len(self.decisions), "decision"


class Score(Value, frozen=True):
    """A score that a result file gives a machine, by a system of its standard; both ends of the scale are known."""

    system: str
    value: float
    maximum: float = 100.0
    subject: str = ""

    @property
    def share(self) -> float:
        """Return it as a share of the best, 0 to 1."""
        return self.value / self.maximum if self.maximum > 0 else 0.0


class ResultFile(msgspec.Struct, frozen=True, dict=True):
    """One result file, read. ``started`` and ``ended`` are None where the file names no time.

    Its reader tells what is in it; path, format, size, folder, digest and go are filled in for all formats alike.
    """

    path: str = ""
    format: str = ""
    size_bytes: int = 0
    checks: Sequence[Check] = ()
    payloads: tuple[Payload, ...] = ()
    suites: tuple[SuiteNotes, ...] = ()
    notes: tuple[ReadingNote, ...] = ()
    started: datetime | None = None
    ended: datetime | None = None
    title: str = ""
    folder: str = ""
    """Where it stands, to find its evidence; never shown."""
    root: str = ""
    """The folder that the user named, in which it was found; else as ``folder``."""
    digest: str = ""
    """SHA-256 of its bytes, unpacked: by it the file is known wherever it is."""
    written: datetime | None = None
    """When the file was written; None where nobody knows."""
    cases: int = 0
    """How many executions of checks it holds, reruns that were brought together counted one by one."""
    reruns: tuple[str, ...] = ()
    """Names of checks of which several executions became attempts at one."""
    scores: tuple[Score, ...] = ()
    amounts: tuple[tuple[int, str], ...] = ()
    """What was taken from it besides checks: how much, and a noun for one of it."""
    go: int = 0
    """0 for results of the first go; 1 and more for those that the user calls a retry of what is before."""

    @cached_property
    def tally(self) -> Tally:
        """Return how many of its checks ended in each outcome."""
        return tally_of(self.checks)


class Run(msgspec.Struct, frozen=True, dict=True):
    """Everything that goes into one page, files in the order of their paths."""

    files: tuple[ResultFile, ...]
    unread: tuple[Unread, ...] = ()
    left_alone: tuple[Unread, ...] = ()
    """Files in a given folder that are no result files."""
    contents: tuple[Content, ...] = ()
    unclaimed: tuple[Evidence, ...] = ()
    """Evidence that belongs to no check."""
    evidence_notes: tuple[str, ...] = ()
    """What was done to keep the page within its limits, and what could not be shown."""
    masked: Masked | None = Masked()
    """How many secrets were masked; None: masking is off."""
    masking_notes: tuple[str, ...] = ()
    mapping_notes: tuple[str, ...] = ()
    """Which mappings of the team no file is of."""
    engine_notes: tuple[str, ...] = ()
    """How a cluster read it, for who asked for it: pages are the same wherever results are read."""
    baseline_notes: tuple[str, ...] = ()
    """Why nothing, or not all, is compared with the earlier run that was named."""
    owners: tuple[Owner, ...] = ()
    """Those that the team's settings know, with how to reach them."""
    owner_notes: tuple[str, ...] = ()
    load: LoadRun | None = None
    """The numbers of its samples, together."""
    reported: tuple[Reported, ...] = ()
    """Load results of which only sums are left, file by file."""
    metrics: tuple[Metric, ...] = ()
    requirements: Requirements = Requirements()
    api: ApiCalls = ApiCalls()
    """The calls of its checks, by operation."""
    in_series: HistoryContext | None = None
    """Its place among earlier runs; None where nobody looked for any."""

    @cached_property
    def checks(self) -> Checks:
        """Return the checks of all files."""
        return Checks.joined(file.checks for file in self.files)

    @cached_property
    def tally(self) -> Tally:
        """Return how many checks ended in each outcome."""
        return tally_of(self.checks)

    @property
    def since(self) -> ChangesSince | None:
        """Return what changed since an earlier run; None where there is none to compare with."""
        return self.in_series.since if self.in_series else None

    @property
    def not_whole(self) -> tuple[ReadingNote | Unread, ...]:
        """Return what says that results are missing, files that could not be read at the end."""
        notes = tuple(note for note in self.notes if note.results_missing)
        return (*notes, *(trouble for trouble in self.unread if not trouble.excluded_by_user))

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
