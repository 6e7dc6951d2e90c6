"""What checks are made of in a mapping: levels around them, steps, problems, evidence, exchanges."""

from typing import Annotated

from msgspec import Meta

from plain_verdict.model import Outcome
from plain_verdict.settings.mappings.values import ManyTexts, Moment, OutcomeRule, Text, Took

HowEnded = Outcome | OutcomeRule | tuple[OutcomeRule, ...]
"""Rules that tell an outcome from values, or the outcome that all items have."""


class ProblemMapping(ManyTexts, frozen=True):
    """What went wrong, in a check or step that did not pass."""

    message: Annotated[Text, Meta(description="what went wrong")] = ""
    type: Annotated[Text, Meta(description="its type, like an exception's")] = ""
    detail: Annotated[Text, Meta(description="a stack or more text")] = ""
    expected: Annotated[Text, Meta(description="what should have been there")] = ""
    actual: Annotated[Text, Meta(description="what was there")] = ""
    place: Annotated[Text, Meta(description="where it was found: a file and line, an element of a page")] = ""


class EvidenceMapping(ManyTexts, frozen=True):
    """A picture or another file."""

    path: Annotated[Text, Meta(description="relative to the result file")] = ""
    base64: Annotated[Text, Meta(description="the file's content, where it stands in the result file")] = ""
    name: Annotated[Text, Meta(description="else the file's name")] = ""
    caption: Annotated[Text, Meta(description="a line below it")] = ""


class ExpectationMapping(ManyTexts, frozen=True):
    """One assertion."""

    subject: Annotated[Text, Meta(description="what was looked at")] = ""
    outcome: Annotated[HowEnded, Meta(description="as a check's")] = ()
    expected: Annotated[Text, Meta(description="what should have been there")] = ""
    actual: Annotated[Text, Meta(description="what was there")] = ""
    message: Annotated[Text, Meta(description="in the words of the tool")] = ""


class ExchangeMapping(ManyTexts, frozen=True):
    """A request to a service and what came back."""

    method: Annotated[Text, Meta(description="of the request; GET where none stands")] = ""
    url: Annotated[Text, Meta(description="of the request; without one there is no exchange")] = ""
    protocol: Annotated[Text, Meta(description="of an address in parts; https where none stands")] = ""
    host: Annotated[Text, Meta(description="of an address in parts: a text, or a list of its labels")] = ""
    port: Annotated[Text, Meta(description="of an address in parts")] = ""
    path: Annotated[Text, Meta(description="of an address in parts: a text, or a list of its segments")] = ""
    query: Annotated[str, Meta(description="of an address in parts: a text, or as headers")] = ""
    request_headers: Annotated[
        str,
        Meta(description="an object, lines `name: value`, or a list of pairs, whatever their two keys are called"),
    ] = ""
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
        HowEnded, Meta(description="how it ended: rules, of several the first with a value; or one outcome for all")
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

    inside: Annotated[
        str,
        Meta(description="where levels of the same form stand in a level, at any depth; `where` counts there too"),
    ] = ""
    suite: Suite = ""
    tags: Many = ""
    requirements: Many = ""
    facts: Pairs = {}
    parameters: Pairs = {}
    links: Links = {}
    worker: Annotated[Text, Meta(description="the machine or process that ran what is in it")] = ""
    file: Annotated[Text, Meta(description="the source file of what is in it")] = ""
    name: Annotated[Text, Meta(description="of checks that have none, and of the level itself as a check")] = ""
    outcome: Annotated[
        HowEnded, Meta(description="how the level itself ended: a failure that no check in it has is a check")
    ] = ()
    problem: Annotated[
        ProblemMapping | tuple[ProblemMapping, ...], Meta(description="what went wrong with it")
    ] = ()
    output: Annotated[dict[str, Text], Meta(description="what it printed, as a check's")] = {}


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
    severity: Annotated[
        Text, Meta(description="of kind compliance, the rule's: none, low, medium, high or critical; else a fact")
    ] = ""
    rule: Annotated[
        Text, Meta(description="of kind compliance: the rule's id; items of one rule and subject are one check")
    ] = ""
    subject: Annotated[Text, Meta(description="of kind compliance: the page, host or file that was looked at")] = ""
    place: Annotated[
        Text, Meta(description="of kind compliance: where it is broken, where no problem tells it")
    ] = ""
    help: Annotated[Text, Meta(description="of kind compliance: how to mend it")] = ""
    worker: Annotated[Text, Meta(description="the machine or process that ran it")] = ""
    cause: Annotated[Text, Meta(description="the cause that the file itself names")] = ""
    attempt: Annotated[Text, Meta(description="which attempt it is, where each is its own item")] = ""
    attempts: Annotated[
        str,
        Meta(description="items that are attempts at one check; outcome, times and all that went wrong are theirs"),
    ] = ""
    step: Annotated[StepMapping | tuple[StepMapping, ...], Meta(description="its steps")] = ()
