"""Mappings: the team's own descriptions of result files in any JSON, XML or table form (docs/mappings.md)."""

from typing import Annotated, Literal

import msgspec
from msgspec import Meta

from plain_verdict.model import Kind, Outcome

Scalar = str | int | float | bool
Unit = Literal["ns", "us", "ms", "s", "min", "h", "d"]


class MappingTable(msgspec.Struct, frozen=True, forbid_unknown_fields=True, rename={"from_": "from"}):
    """What all tables of a mapping share."""


class Value(MappingTable, frozen=True):
    """How a text is found: at a place, or put together from several."""

    from_: Annotated[str | int | tuple[str | int, ...], Meta(description="a place, or several in their order")] = ""
    text: Annotated[str, Meta(description="words with places in braces, like `{quay}: {what}`")] = ""
    pattern: Annotated[
        str, Meta(description="a regular expression; its first group is taken, or all that it finds")
    ] = ""
    split: Annotated[str, Meta(description="what stands between several values in one")] = ""


Text = str | int | tuple[str | int, ...] | Value
"""A place: a path as the file's syntax has it, or a column's number; or how the text is found."""


class Bounds(MappingTable, frozen=True):
    """Numbers that mean an outcome: those that keep every bound given."""

    at_least: float | None = None
    at_most: float | None = None
    above: float | None = None
    below: float | None = None


Meaning = Scalar | tuple[Scalar, ...] | Bounds
"""What a value must be: one of these, ``*`` for any; or a number within bounds."""


class OutcomeRule(MappingTable, frozen=True):
    """Which values mean which outcome; one that stands in no list makes the check undecided."""

    from_: Annotated[Text, Meta(description="where the value stands")] = ""
    passed: Annotated[Meaning, Meta(description="the values that mean it; `*` is any other value")] = ()
    failed: Annotated[Meaning, Meta(description="as `passed`")] = ()
    errored: Annotated[Meaning, Meta(description="as `passed`")] = ()
    skipped: Annotated[Meaning, Meta(description="as `passed`")] = ()
    undecided: Annotated[Meaning, Meta(description="as `passed`")] = ()
    missing: Annotated[Outcome | None, Meta(description="what it means that no value is there")] = None

    def meaning_of(self, outcome: Outcome) -> Meaning:
        """Return the values that mean an outcome."""
        meaning: Meaning = getattr(self, outcome.value)
        return meaning


class Took(MappingTable, frozen=True):
    """How a duration is read."""

    from_: Annotated[Text, Meta(description="where it stands")] = ""
    unit: Annotated[Unit, Meta(description="of a bare number: ns, us, ms, s, min, h or d")] = "s"


class Moment(MappingTable, frozen=True):
    """How a moment is read: ISO 8601 and epoch numbers without more."""

    from_: Annotated[Text, Meta(description="where it stands; several are joined by a space")] = ""
    unit: Annotated[Unit | None, Meta(description="of an epoch number; else told by its size")] = None
    format: Annotated[str, Meta(description="how it is written, like `%d.%m.%Y %H:%M`")] = ""
    zone: Annotated[str, Meta(description="of times that name none, like `Europe/Oslo`")] = ""


class ManyTexts(MappingTable, frozen=True):
    """What may come several times."""

    each: Annotated[str, Meta(description="where the items stand; else it is the item around it")] = ""
    where: Annotated[
        dict[str, Scalar | tuple[Scalar, ...]],
        Meta(description='takes only items with these values, like `{ type = "result" }`'),
    ] = {}


class ProblemMapping(ManyTexts, frozen=True):
    """What went wrong, in a check or step that did not pass."""

    message: Annotated[Text, Meta(description="what went wrong")] = ""
    type: Annotated[Text, Meta(description="its type, like an exception's")] = ""
    detail: Annotated[Text, Meta(description="a stack or more text")] = ""
    expected: Annotated[Text, Meta(description="what should have been there")] = ""
    actual: Annotated[Text, Meta(description="what was there")] = ""


class EvidenceMapping(ManyTexts, frozen=True):
    """A picture or another file."""

    path: Annotated[Text, Meta(description="relative to the result file")] = ""
    base64: Annotated[Text, Meta(description="the file's content, where it stands in the result file")] = ""
    name: Annotated[Text, Meta(description="else the file's name")] = ""
    caption: Annotated[Text, Meta(description="a line below it")] = ""


class ExpectationMapping(ManyTexts, frozen=True):
    """One assertion."""

    subject: Annotated[Text, Meta(description="what was looked at")] = ""
    outcome: Annotated[OutcomeRule | tuple[OutcomeRule, ...], Meta(description="as a check's")] = ()
    expected: Annotated[Text, Meta(description="what should have been there")] = ""
    actual: Annotated[Text, Meta(description="what was there")] = ""
    message: Annotated[Text, Meta(description="in the words of the tool")] = ""


class ExchangeMapping(ManyTexts, frozen=True):
    """A request to a service and what came back."""

    method: Annotated[Text, Meta(description="of the request; GET where none stands")] = ""
    url: Annotated[Text, Meta(description="of the request; without one there is no exchange")] = ""
    request_headers: Annotated[str, Meta(description="an object, or items with `name` and `value`")] = ""
    request_body: Annotated[Text, Meta(description="what was sent")] = ""
    status: Annotated[Text, Meta(description="of the answer; without one nothing came back")] = ""
    response_headers: Annotated[str, Meta(description="as those of the request")] = ""
    response_body: Annotated[Text, Meta(description="what came back")] = ""
    no_answer: Annotated[Text, Meta(description="why nothing came back")] = ""
    sent: Annotated[str | int | Moment, Meta(description="when")] = ""
    took: Annotated[str | int | Took, Meta(description="until the whole answer was there")] = ""


class Part(ManyTexts, frozen=True):
    """What checks and steps share."""

    name: Annotated[Text, Meta(description="what it is called")] = ""
    outcome: Annotated[
        OutcomeRule | tuple[OutcomeRule, ...],
        Meta(description="how it ended; of several rules the first with a value"),
    ] = ()
    took: Annotated[str | int | Took, Meta(description="seconds, or a number with its unit")] = ""
    started: Annotated[str | int | Moment, Meta(description="ISO 8601 or an epoch number")] = ""
    ended: Annotated[str | int | Moment, Meta(description="for how long it took, where nothing reports it")] = ""
    problem: Annotated[ProblemMapping | tuple[ProblemMapping, ...], Meta(description="what went wrong")] = ()
    output: Annotated[
        dict[str, Text], Meta(description="captured texts: a name of yours and where each stands")
    ] = {}
    evidence: Annotated[EvidenceMapping | tuple[EvidenceMapping, ...], Meta(description="pictures and files")] = ()
    expectation: Annotated[
        ExpectationMapping | tuple[ExpectationMapping, ...], Meta(description="assertions, one by one")
    ] = ()
    exchange: Annotated[
        ExchangeMapping | tuple[ExchangeMapping, ...], Meta(description="requests and answers")
    ] = ()


class StepMapping(Part, frozen=True):
    """A named part of a check."""

    inside: Annotated[str, Meta(description="where steps of the same form stand in a step")] = ""
    step: Annotated["StepMapping | tuple[StepMapping, ...]", Meta(description="steps of another form in it")] = ()


Suite = Annotated[Text, Meta(description="one part of the suite's path, or several")]
Many = Annotated[Text, Meta(description="all that stand there")]
Pairs = Annotated[
    str | dict[str, Text], Meta(description="a name and a place each; or where an object of them stands")
]
Links = Annotated[dict[str, Text], Meta(description="a name and where its address stands")]


class LevelMapping(ManyTexts, frozen=True):
    """What stands around checks, and what it gives to all in it."""

    suite: Suite = ""
    tags: Many = ""
    requirements: Many = ""
    facts: Pairs = {}
    parameters: Pairs = {}
    links: Links = {}


class CheckMapping(Part, frozen=True):
    """The items that are checks."""

    suite: Suite = ""
    tags: Many = ""
    requirements: Many = ""
    facts: Pairs = {}
    parameters: Pairs = {}
    links: Links = {}
    description: Annotated[Text, Meta(description="what it is about")] = ""
    file: Annotated[Text, Meta(description="the source file it is written in")] = ""
    line: Annotated[Text, Meta(description="the line in it")] = ""
    reason: Annotated[Text, Meta(description="why it was skipped or is undecided; else what `problem` finds")] = ""
    severity: Annotated[Text, Meta(description="kept as the fact `severity`")] = ""
    worker: Annotated[Text, Meta(description="the machine or process that ran it")] = ""
    cause: Annotated[Text, Meta(description="the cause that the file itself names")] = ""
    attempt: Annotated[Text, Meta(description="which attempt it is, where each is its own item")] = ""
    attempts: Annotated[
        str,
        Meta(description="items that are attempts at one check; outcome, times and all that went wrong are theirs"),
    ] = ""
    step: Annotated[StepMapping | tuple[StepMapping, ...], Meta(description="its steps")] = ()


class RunMapping(ManyTexts, frozen=True):
    """What the file says of the run as a whole. Places are seen from the file's root, or the line that fits."""

    title: Annotated[Text, Meta(description="the page's title, where the settings give none")] = ""
    started: Annotated[str | int | Moment, Meta(description="else the first check's")] = ""
    ended: Annotated[str | int | Moment, Meta(description="else the last check's")] = ""
    facts: Annotated[str | dict[str, Text], Meta(description="facts about the run")] = {}
    checks: Annotated[Text, Meta(description="how many checks the file says it has; fewer are missing results")] = (
        ""
    )


Column = Annotated[str | int, Meta(description="a column or key by its name, or a column's number")]
Words = Scalar | tuple[Scalar, ...]


class SuccessMapping(MappingTable, frozen=True, rename={"from_": "from"}):
    """How a row says that a request went well; any other word makes it no sample."""

    from_: Column = ""
    passed: Annotated[Words, Meta(description="words for yes; else those of English")] = ()
    failed: Annotated[Words, Meta(description="words for no; else those of English")] = ()


class SamplesMapping(MappingTable, frozen=True, kw_only=True):
    """Rows that are samples of a load run, each a request."""

    time: Annotated[str | int | Moment, Meta(description="when it was sent; a zone for times that name none")]
    duration: Annotated[str | int | Took, Meta(description="how long it took; its unit, else told by the values")]
    request: Column = ""
    method: Column = ""
    status: Column = ""
    success: SuccessMapping = SuccessMapping()
    bytes: Column = ""
    message: Column = ""
    users: Column = ""
    metrics: Annotated[dict[str, Column], Meta(description="numbers of your own: a name and a column each")] = {}
    units: Annotated[dict[str, str], Meta(description="of metrics, by their names")] = {}


class RequestMapping(ManyTexts, frozen=True):
    """What a summary says of each request. ``each`` may be an object, whose members are named by their keys."""

    name: Annotated[Text, Meta(description='else the key it stands under; `{ text = "all requests" }`: of all')] = (
        ""
    )
    count: Annotated[Text, Meta(description="how many were sent")] = ""
    failed: Annotated[Text, Meta(description="how many of them failed")] = ""
    least: Annotated[Text, Meta(description="the shortest time")] = ""
    mean: Annotated[Text, Meta(description="the mean time")] = ""
    longest: Annotated[Text, Meta(description="the longest time")] = ""
    percentiles: Annotated[dict[str, Text], Meta(description='like `{ p50 = "median", "p99.9" = "p999" }`')] = {}
    unit: Annotated[Unit, Meta(description="of bare times")] = "ms"


class MetricMapping(ManyTexts, frozen=True):
    """Numbers of your own: one an item, or one a member where ``each`` is an object."""

    name: Annotated[Text, Meta(description="what is measured; else the key it stands under")] = ""
    value: Annotated[Text, Meta(description="the number; else the item itself is one")] = ""
    unit: Annotated[str, Meta(description="as the page writes it, like `ms`, `MB` or `jobs`")] = ""
    at: Annotated[str | int | Moment, Meta(description="when it was measured")] = ""


class TableMapping(MappingTable, frozen=True):
    """How a CSV or TSV file is written; what is not told is found out."""

    delimiter: Annotated[str, Meta(description="between cells; a comma, semicolon, tab or bar is found out")] = ""
    quote: Annotated[str, Meta(description="around cells")] = '"'
    encoding: Annotated[str, Meta(description="else UTF-8, or Windows-1252 where it is not that")] = ""
    header: Annotated[int, Meta(description="the line that holds the columns' names; 0: none does", ge=0)] = 1


class ResultMapping(MappingTable, frozen=True, kw_only=True):
    """``[[mapping]]``: a result file of your own form. See docs/mappings.md."""

    name: Annotated[str, Meta(description="what outputs call the format", min_length=1)]
    check: Annotated[CheckMapping, Meta(description="the items that are checks")] = CheckMapping()
    samples: Annotated[SamplesMapping | None, Meta(description="for kind load: its rows are samples")] = None
    request: Annotated[
        RequestMapping | tuple[RequestMapping, ...],
        Meta(description="for kind load: sums of each request, as reported"),
    ] = ()
    metric: Annotated[
        MetricMapping | tuple[MetricMapping, ...], Meta(description="for kind load: numbers of your own")
    ] = ()
    files: Annotated[
        tuple[str, ...], Meta(description="patterns for the ends of paths; such files are tried before all formats")
    ] = ()
    needs: Annotated[tuple[str, ...], Meta(description="places that a file must have to be of this mapping")] = ()
    syntax: Annotated[
        Literal["", "json", "json lines", "xml", "table"], Meta(description="else told by the content")
    ] = ""
    kind: Annotated[Kind, Meta(description="of the checks")] = Kind.FUNCTIONAL
    decimal: Annotated[
        Literal["", ".", ","], Meta(description="what stands before decimals; else found out number by number")
    ] = ""
    level: Annotated[
        tuple[LevelMapping, ...], Meta(description="what stands around the checks, from outside in")
    ] = ()
    run: Annotated[RunMapping, Meta(description="what the file says as a whole")] = RunMapping()
    table: Annotated[TableMapping, Meta(description="how a CSV or TSV file is written")] = TableMapping()
    prefixes: Annotated[dict[str, str], Meta(description="XML namespaces by the prefixes used in places")] = {}

    @property
    def is_load(self) -> bool:
        """Return whether it is about a load run, not about checks."""
        return bool(self.samples or self.request or self.metric)


class MappingFile(MappingTable, frozen=True):
    """What a file for ``--mapping`` may hold."""

    mapping: tuple[ResultMapping, ...] = ()
