"""The team's rules, as they stand in plain-verdict.toml: causes, waivers, conditions, what must arrive."""

from datetime import date
from typing import Literal

import msgspec

from plain_verdict.model import Kind, Outcome


class Match(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """What a rule covers: every key that is given must fit.

    A text fits where it stands in the value. With * or ? in it the whole value must fit. ``/.../`` is a regular
    expression.
    """

    message: str = ""
    type: str = ""
    detail: str = ""
    step: str = ""
    check: str = ""
    suite: str = ""
    tag: str = ""
    source: str = ""
    kind: Kind | None = None
    outcome: Outcome | None = None


class CauseRule(msgspec.Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """``[[cause]]``: a name for failures that have one reason."""

    name: str
    match: Match
    advice: str = ""
    owner: str = ""
    link: str = ""


class WaiverRule(msgspec.Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """``[[waiver]]``: permission to fail until a day, that day included; for at most so many checks if told."""

    match: Match
    reason: str
    until: date
    who: str = ""
    link: str = ""
    most: int | None = None


class Scope(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """Which checks a condition looks at."""

    kind: Kind | None = None
    suite: str = ""
    tag: str = ""
    variant: str = ""
    """A browser, platform or region, like ``firefox*``."""


Measure = Literal[
    "checks",
    "failed",
    "errored",
    "skipped",
    "undecided",
    "flaky",
    "waived",
    "pass rate",
    "duration",
    "slowest check",
]


class ConditionRule(msgspec.Struct, frozen=True, forbid_unknown_fields=True, kw_only=True):
    """``[[condition]]``: a measure and its bound: a number, or a text with a unit like ``"20 min"``."""

    measure: Measure
    at_most: int | float | str | None = None
    at_least: int | float | str | None = None
    exactly: int | float | str | None = None
    scope: Scope = Scope()
    name: str = ""
    reason: str = ""


class Rules(msgspec.Struct, frozen=True):
    """All rules; without conditions, the default rule holds."""

    causes: tuple[CauseRule, ...] = ()
    waivers: tuple[WaiverRule, ...] = ()
    conditions: tuple[ConditionRule, ...] = ()
