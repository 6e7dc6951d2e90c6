"""The lines of a record: what each may hold. docs/record.md explains them; the JSON Schema is made from these."""

from typing import Annotated

import msgspec

from plain_verdict.model import Kind, Outcome

Moment = Annotated[float | str | None, msgspec.Meta(description="epoch seconds, or ISO 8601 with a zone")]


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


class CheckLine(Line, frozen=True, tag="check", kw_only=True):
    """The beginning of a check."""

    id: str
    name: str
    suite: tuple[str, ...] = ()
    parameters: dict[str, str] = {}
    kind: Kind = Kind.FUNCTIONAL
    tags: tuple[str, ...] = ()
    description: str = ""
    requirements: tuple[str, ...] = ()
    links: dict[str, str] = {}
    worker: str = ""
    attempt: Annotated[int, msgspec.Meta(ge=0)] = 0
    file: str = ""
    line: int | None = None
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
    """Evidence of a check or step: a path relative to the record, or its content in base64."""

    in_: str
    name: str = ""
    path: str = ""
    base64: str = ""
    media_type: str = ""
    caption: str = ""
    at: Moment = None


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


AnyLine = RecordLine | FactLine | CheckLine | StepLine | LogLine | OutputLine | EvidenceLine | EndLine
KNOWN_KEYS: dict[str, frozenset[str]] = {
    str(kind.__struct_config__.tag): frozenset({"what", *kind.__struct_encode_fields__})
    for kind in (RecordLine, FactLine, CheckLine, StepLine, LogLine, OutputLine, EvidenceLine, EndLine)
}
