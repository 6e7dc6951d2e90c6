"""What was judged and of what, as data: a page holds it, so that both can be checked later."""

from datetime import date, datetime
from hashlib import sha256

import msgspec

from plain_verdict.model.outcome import Outcome
from plain_verdict.model.tally import Tally
from plain_verdict.model.verdict import NotCounted, State, VerdictWord

JUDGED_SCHEMA = "plain-verdict/judged/1"


class JudgedInput(msgspec.Struct, frozen=True, omit_defaults=True):
    """A result file: SHA-256 and size of its bytes, unpacked, and how many checks were taken from it.

    ``written`` is when the file was written; None where nobody knows. ``go`` counts the reruns that the user named.
    """

    path: str
    sha256: str
    size_bytes: int
    format: str = ""
    checks: int = 0
    others: dict[str, int] = {}
    """What was taken besides checks, by nouns."""
    written: datetime | None = None
    go: int = 0


class JudgedCondition(msgspec.Struct, frozen=True):
    """A condition in words, how it stands, and the number that it met."""

    words: str
    state: State
    met: str


class JudgedException(msgspec.Struct, frozen=True, omit_defaults=True):
    """Failures that do not count for one reason: how many, and the SHA-256 of the ids of their checks, a line each.

    ``until`` is the last day; None: nothing ends it.
    """

    by: NotCounted
    reason: str
    checks: int
    sha256: str
    until: date | None = None
    who: str = ""


class JudgedDecision(msgspec.Struct, frozen=True, omit_defaults=True):
    """What a person decided of a check."""

    check: str
    outcome: Outcome
    note: str = ""
    by: str = ""
    at: datetime | None = None


class JudgedContent(msgspec.Struct, frozen=True, omit_defaults=True):
    """A judged run.

    ``settings`` is the fingerprint of what the settings and options say of reading and judging; ``earlier`` counts
    the earlier builds that the run was compared with. ``outcomes`` is the SHA-256 of each check's id and outcome,
    ``numbers`` that of load results, operations, metrics and requirements.
    """

    schema: str
    version: str
    made: datetime
    title: str
    verdict: VerdictWord
    sentence: str
    counts: Tally
    outcomes: str
    numbers: str
    settings: str = ""
    reasons: tuple[str, ...] = ()
    facts: dict[str, str] = {}
    inputs: tuple[JudgedInput, ...] = ()
    unread: tuple[str, ...] = ()
    conditions: tuple[JudgedCondition, ...] = ()
    not_counted: tuple[JudgedException, ...] = ()
    decisions: tuple[JudgedDecision, ...] = ()
    earlier: int = 0

    @property
    def fingerprint(self) -> str:
        """Return the SHA-256 of this content as JSON with sorted keys."""
        return sha256(canonical(self)).hexdigest()


def canonical(value: object) -> bytes:
    """Return a value as JSON that is the same wherever it is made: keys sorted, no white space."""
    return msgspec.json.encode(value, order="deterministic")
