"""The team's rules, as they stand in plain-verdict.toml: causes, waivers, conditions, what must arrive."""

from datetime import date
from typing import Annotated

import msgspec
from msgspec import Meta

from plain_verdict.model import Kind, Outcome, Severity


class Match(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """What a rule covers: every key that is given must fit.

    A text fits where it stands in the value. With * or ? in it the whole value must fit. ``/.../`` is a regular
    expression.
    """

    message: Annotated[str, Meta(description="of a problem")] = ""
    type: Annotated[str, Meta(description="of a problem")] = ""
    detail: Annotated[str, Meta(description="a problem's stack or detail")] = ""
    step: Annotated[str, Meta(description="the name of a step that failed")] = ""
    check: Annotated[str, Meta(description="the check's name")] = ""
    suite: Annotated[str, Meta(description="the suite's path")] = ""
    tag: Annotated[str, Meta(description="one of the check's tags")] = ""
    owner: Annotated[str, Meta(description="one of the check's owners")] = ""
    source: Annotated[str, Meta(description="the result file's path")] = ""
    status: Annotated[str, Meta(description="of an answer: `503`, `5xx`, or `no answer`")] = ""
    method: Annotated[str, Meta(description="of a request")] = ""
    url: Annotated[str, Meta(description="of a request")] = ""
    header: Annotated[str, Meta(description="one of an exchange, as `name: value`")] = ""
    body: Annotated[str, Meta(description="of an answer")] = ""
    severity: Annotated[str, Meta(description="of a rule: `high`, `high or above`")] = ""
    subject: Annotated[str, Meta(description="the host or page that a rule is for, or a check's variant")] = ""
    place: Annotated[str, Meta(description="where a finding is: a file and line, an element")] = ""
    kind: Annotated[Kind | None, Meta(description="of check")] = None
    outcome: Annotated[Outcome | None, Meta(description="of the check")] = None


class CauseRule(msgspec.Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """``[[cause]]``: a name for failures that have one reason."""

    name: Annotated[str, Meta(description="its name in the report")]
    match: Annotated[Match, Meta(description="what it matches; every key must match")]
    advice: Annotated[str, Meta(description="advice: what to do")] = ""
    owner: Annotated[str, Meta(description="owner: whom to ask")] = ""
    link: Annotated[str, Meta(description="link to more")] = ""


class WaiverRule(msgspec.Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """``[[waiver]]``: permission to fail until a day, that day included; for at most so many checks if told."""

    match: Annotated[Match, Meta(description="what it matches; every key must match")]
    reason: Annotated[str, Meta(description="why the failure is accepted")]
    until: Annotated[date, Meta(description="its last day")]
    who: Annotated[str, Meta(description="who accepted it")] = ""
    link: Annotated[str, Meta(description="link to more")] = ""
    most: Annotated[int | None, Meta(description="how many failed checks it may cover")] = None


class Scope(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """Which checks a condition looks at."""

    kind: Annotated[Kind | None, Meta(description="of check")] = None
    suite: Annotated[str, Meta(description="the suite's path")] = ""
    tag: Annotated[str, Meta(description="one of the check's tags")] = ""
    owner: Annotated[str, Meta(description="one of the check's owners, like `@brindle/fares`")] = ""
    variant: Annotated[str, Meta(description="a browser, platform or region, like `firefox*`")] = ""
    operation: Annotated[str, Meta(description="calls of an operation, like `POST /bookings`")] = ""
    status: Annotated[str, Meta(description="calls with this status: `503`, `5xx`, or `no answer`")] = ""
    request: Annotated[str, Meta(description="requests of a load run, like `Pay*`: one target for each")] = ""
    subject: Annotated[str, Meta(description="rules for a host or page, like `north-gate*`")] = ""
    severity: Annotated[str, Meta(description="rules of a severity, like `high` or `high or above`")] = ""
    metric: Annotated[str, Meta(description="metrics, like `first paint`: one target for each")] = ""


class ConditionRule(msgspec.Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """``[[condition]]``: a measure and its bound: a number, or a text with a unit like ``"20 min"``."""

    measure: Annotated[str, Meta(description="what is measured")]
    at_most: Annotated[
        int | float | str | None, Meta(description="upper bound: a number, or a text with a unit")
    ] = None
    at_least: Annotated[int | float | str | None, Meta(description="the same")] = None
    exactly: Annotated[int | float | str | None, Meta(description="the same")] = None
    scope: Annotated[Scope, Meta(description="which checks it covers")] = Scope()
    name: Annotated[str, Meta(description="its name in the report")] = ""
    reason: Annotated[str, Meta(description="the reason for the condition")] = ""


class SeverityMatch(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """Which rules get another severity: every key that is given must fit the whole value.

    ``*`` and ``?`` stand for any text and any character; ``/.../`` is a regular expression.
    """

    tool: Annotated[str, Meta(description="name of the tool or rule set")] = ""
    rule: Annotated[str, Meta(description="id or name of a rule")] = ""
    severity: Annotated[str, Meta(description="as the file gives it: `medium`, `high or above`")] = ""


class SeverityRule(msgspec.Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """``[[severity]]``: the team's own severity for rules of a tool."""

    match: Annotated[SeverityMatch, Meta(description="what it matches; every key must match")]
    severity: Annotated[Severity, Meta(description="its severity from now on")] = msgspec.field(name="is")


class OwnerRule(msgspec.Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """``[[owner]]``: who owns checks, and how to reach them; without ``match``, an owner that CODEOWNERS names."""

    name: Annotated[str, Meta(description="the owner's name, as in CODEOWNERS if it is there")]
    match: Annotated[Match | None, Meta(description="which checks the owner has; every key must match")] = None
    mail: Annotated[str, Meta(description="mail address")] = ""
    link: Annotated[str, Meta(description="link to more, like a channel")] = ""


class QuarantineRule(msgspec.Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """``[[quarantine]]``: unsteady checks whose failures do not count for some days; with ``match`` or ``flaky``.

    A check comes in with its first failure, and leaves once it was steady. Earlier builds keep the days.
    """

    match: Annotated[
        Match | None, Meta(description="which checks come in when they fail; every key must match")
    ] = None
    flaky: Annotated[bool, Meta(description="only checks that history finds flaky")] = False
    limit: Annotated[int, Meta(description="how many checks at once, 1 or more")] = 5
    days: Annotated[int, Meta(description="how many days for each, by the dates of the runs, 1 or more")] = 14
    release_after: Annotated[
        int, Meta(description="released after so many builds in a row that it passed, 1 to 30")
    ] = 10
    reason: Annotated[str, Meta(description="why their failures are accepted for now")] = ""
    link: Annotated[str, Meta(description="link to more")] = ""


class LevelRule(msgspec.Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """``[[accepted_level]]``: durations or metrics that are normal as of a build; with ``match`` or ``metric``."""

    as_of: Annotated[str, Meta(description="key of the build whose level is accepted; later changes count")]
    match: Annotated[Match | None, Meta(description="checks whose duration is meant; every key must match")] = None
    metric: Annotated[str, Meta(description="metrics and percentiles that are meant, like `95 % of Pay*`")] = ""
    reason: Annotated[str, Meta(description="why the level is accepted")] = ""


class Rules(msgspec.Struct, frozen=True):
    """All rules; without conditions, the default rule holds."""

    causes: tuple[CauseRule, ...] = ()
    waivers: tuple[WaiverRule, ...] = ()
    conditions: tuple[ConditionRule, ...] = ()
    breaks_from: Severity = Severity.MEDIUM
    """The least severity of a failed rule that breaks the verdict."""
    severities: tuple[SeverityRule, ...] = ()
    owners: tuple[OwnerRule, ...] = ()
    quarantines: tuple[QuarantineRule, ...] = ()
    levels: tuple[LevelRule, ...] = ()
