"""Makes and reads the statement that a report is of what was judged.

Source: in-toto Attestation Framework, Statement v1 and its parsing rules; predicate Test Result v0.1.
"""

from collections.abc import Sequence

import msgspec

from plain_verdict.model import BAD, Outcome, VerdictWord
from plain_verdict.model.judged_content import JudgedContent
from plain_verdict.report import Report
from plain_verdict.runtime.errors import ReadError

STATEMENT_TYPE = "https://in-toto.io/Statement/v1"
PREDICATE_TYPE = "https://in-toto.io/attestation/test-result/v0.1"
JUDGED_FIELD = "https://plain-verdict.example/judged/v1"
"""The name of a field of ours: one that the predicate does not have is named by a URI."""
_PASSED, _WARNED, _FAILED = "PASSED", "WARNED", "FAILED"
_STATEMENT_HINT = "name the file that --attest wrote"


class Subject(msgspec.Struct, frozen=True):
    """What a statement is about: a file by its name and hash; hashes by the names of their algorithms."""

    name: str
    digest: dict[str, str]


class Resource(msgspec.Struct, frozen=True, omit_defaults=True):
    """What results were made with or read from. Source: in-toto, ResourceDescriptor v1."""

    name: str
    digest: dict[str, str] = {}


class TestResult(msgspec.Struct, frozen=True, omit_defaults=True, rename="camel"):
    """The predicate: ``result``, and names of checks. ``judged`` is a field of ours."""

    result: str
    configuration: tuple[Resource, ...]
    url: str = ""
    passed_tests: tuple[str, ...] = ()
    warned_tests: tuple[str, ...] = ()
    failed_tests: tuple[str, ...] = ()
    judged: JudgedContent | None = msgspec.field(default=None, name=JUDGED_FIELD)


class Statement(msgspec.Struct, frozen=True, rename={"type": "_type", "predicate_type": "predicateType"}):
    """A statement of one predicate on some subjects."""

    type: str
    subject: tuple[Subject, ...]
    predicate_type: str
    predicate: TestResult


def make_statement(report: Report, subjects: Sequence[Subject], link: str) -> Statement:
    """Return the statement on a report.

    Only a fit run has passed: one that is undecided must not pass a gate. A check that failed and does not count is
    one that warns.
    """
    judged, waived = report.judged, report.verdict.waived
    names: dict[str, list[str]] = {_PASSED: [], _WARNED: [], _FAILED: []}
    for check in report.run.checks:
        if check.outcome is Outcome.PASSED:
            names[_PASSED].append(check.whole_name)
        elif check.outcome in BAD:
            names[_WARNED if check.id in waived else _FAILED].append(check.whole_name)
    inputs = (Resource(made_of.path, {"sha256": made_of.sha256}) for made_of in judged.inputs)
    predicate = TestResult(
        # Not WARNED where it is undecided: gates let that through.
        result=_PASSED if judged.verdict is VerdictWord.FIT else _FAILED,
        configuration=(Resource("settings", {"sha256": judged.settings}), *inputs),
        url=link,
        passed_tests=tuple(names[_PASSED]),
        warned_tests=tuple(names[_WARNED]),
        failed_tests=tuple(names[_FAILED]),
        judged=judged,
    )
    return Statement(STATEMENT_TYPE, tuple(subjects), PREDICATE_TYPE, predicate)


def encode_statement(statement: Statement) -> bytes:
    """Return a statement as JSON."""
    return msgspec.json.encode(statement)


def decode_statement(data: bytes) -> Statement:
    """Return the statement in JSON. Raises ReadError."""
    try:
        kind = msgspec.json.decode(data, type=_Kind)
        if (kind.type, kind.predicate_type) != (STATEMENT_TYPE, PREDICATE_TYPE):
            raise ReadError("is no statement on a test result", hint=_STATEMENT_HINT)
        return msgspec.json.decode(data, type=Statement)
    except msgspec.MsgspecError as error:
        raise ReadError(f"is no statement on a test result ({error})", hint=_STATEMENT_HINT) from error


class _Kind(msgspec.Struct, rename={"type": "_type", "predicate_type": "predicateType"}):
    type: str = ""
    predicate_type: str = ""
