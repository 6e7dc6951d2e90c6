"""The lines of a record: what each may hold. docs/record.md explains them; the JSON Schema is made from these."""

import typing
from typing import Annotated

import msgspec

from plain_verdict.model import Kind, Outcome, PictureRole, Timings

Moment = Annotated[float | str | None, msgspec.Meta(description="epoch seconds, or ISO 8601 with a zone")]


Headers = Annotated[
    tuple[tuple[str, str], ...], msgspec.Meta(description="pairs of name and value, in their order")
]


Count = Annotated[int, msgspec.Meta(ge=0, le=2**53)]
"""No more than every reader of JSON can hold: RFC 8259, section 6."""


class Line(
    msgspec.Struct, frozen=True, gc=False, tag_field="what", rename={"in_": "in"}, forbid_unknown_fields=True
):
    """What all lines share: their kind stands in ``what``."""


class RecordLine(Line, frozen=True, tag="record", kw_only=True):
    """The first line: the version of the format."""

    version: int
    zone: Annotated[str, msgspec.Meta(description="what epoch seconds are shown in, like +01:00")] = ""
    at: Moment = None


class FactLine(Line, frozen=True, tag="fact"):
    """A fact about the run."""

    key: str
    value: str


class MetricLine(Line, frozen=True, tag="metric", kw_only=True):
    """A number of your own about the run; one name may come many times."""

    name: str
    value: float
    unit: str = ""
    at: Moment = None


class DecisionLine(Line, frozen=True, tag="decision", kw_only=True):
    """What a person decided of a check of another file that nothing else could tell; ``base64`` is evidence."""

    check: Annotated[str, msgspec.Meta(description="the check's id, as `--json --detail` has it")]
    outcome: Outcome
    note: str = ""
    by: str = ""
    base64: str = ""
    name: str = ""
    at: Moment = None


class CheckLine(Line, frozen=True, tag="check", kw_only=True):
    """The beginning of a check."""

    id: str
    name: str
    suite: tuple[str, ...] = ()
    parameters: dict[str, str] = {}
    kind: Annotated[Kind | None, msgspec.Meta(description="else what the caller says, or functional")] = None
    tags: tuple[str, ...] = ()
    description: str = ""
    requirements: tuple[str, ...] = ()
    links: dict[str, str] = {}
    worker: str = ""
    attempt: Count = 0
    file: str = ""
    line: Count | None = None
    at: Moment = None


class StepLine(Line, frozen=True, tag="step", kw_only=True):
    """The beginning of a step in a check or another step."""

    id: str
    in_: str
    name: str
    at: Moment = None


class LogLine(Line, frozen=True, tag="log", kw_only=True):
    """A line of log inside a check or step."""

    in_: str
    text: str
    level: str = "info"
    at: Moment = None


class OutputLine(Line, frozen=True, tag="output", kw_only=True):
    """Captured output of a check, or of a step."""

    in_: str
    text: str
    name: str = "output"


class EvidenceLine(Line, frozen=True, tag="evidence", kw_only=True):
    """Evidence of a check or step: a path relative to the record, or its content in base64.

    ``role``: what a picture is to others of its check; ``began``: when a video begins.
    """

    in_: str
    name: str = ""
    path: str = ""
    base64: str = ""
    media_type: str = ""
    caption: str = ""
    role: PictureRole | None = None
    began: Moment = None
    at: Moment = None


class RequestPart(msgspec.Struct, frozen=True, kw_only=True):
    """What was sent: a body as text, or in base64. ``wire_bytes`` went over the wire."""

    method: str
    url: str
    protocol: str = ""
    headers: Headers = ()
    body: str = ""
    base64: str = ""
    wire_bytes: Count | None = None


class ResponsePart(msgspec.Struct, frozen=True, kw_only=True):
    """What came back: a body as text, or in base64. ``size_bytes`` is that of a body which is not kept."""

    status: Count
    reason: str = ""
    protocol: str = ""
    headers: Headers = ()
    body: str = ""
    base64: str = ""
    size_bytes: Count | None = None
    wire_bytes: Count | None = None


class ExchangeLine(Line, frozen=True, tag="exchange", kw_only=True):
    """A request of a check or step and what came back; without a response ``no_answer`` says why."""

    in_: str
    request: RequestPart
    response: ResponsePart | None = None
    no_answer: str = ""
    took_s: float | None = None
    timings: Timings = Timings()
    address: str = ""
    at: Moment = None


class ExpectationLine(Line, frozen=True, tag="expectation", kw_only=True):
    """One assertion of a check or step, about the exchange that was last before it."""

    in_: str
    subject: str
    outcome: Outcome
    expected: str | None = None
    actual: str | None = None
    message: str = ""


class ProblemPart(msgspec.Struct, frozen=True, kw_only=True):
    """A problem inside an end line."""

    type: str = ""
    message: str = ""
    detail: str = ""
    expected: str | None = None
    actual: str | None = None
    outcome: Outcome | None = None


class EndLine(Line, frozen=True, tag="end", kw_only=True):
    """The end of a check or step."""

    id: str
    outcome: Outcome
    reason: str = ""
    problems: tuple[ProblemPart, ...] = ()
    cause: str = ""
    took_s: Annotated[float, msgspec.Meta(ge=0)] | None = None
    at: Moment = None


InnerLine = LogLine | OutputLine | EvidenceLine | ExchangeLine | ExpectationLine
"""A line for something in a check or step."""
AnyLine = RecordLine | FactLine | MetricLine | DecisionLine | CheckLine | StepLine | InnerLine | EndLine
KNOWN_KEYS: dict[str, frozenset[str]] = {
    str(kind.__struct_config__.tag): frozenset({"what", *kind.__struct_encode_fields__})
    for kind in typing.get_args(AnyLine)
}
