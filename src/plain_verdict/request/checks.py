"""Makes sure that settings make sense, each on its own, before any work is done."""

import difflib
from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from enum import Enum

import msgspec

from plain_verdict.history.interface import CHAIN
from plain_verdict.history.series import check_series
from plain_verdict.inputs.completeness import read_age, read_newer_than
from plain_verdict.judging.conditions import check_condition
from plain_verdict.judging.matching import matches_everything
from plain_verdict.judging.measures import extension_measure
from plain_verdict.judging.measures.interface import PER_CENT_SLOWER, read_bound
from plain_verdict.judging.measures.interface import SECONDS as SECONDS_UNIT
from plain_verdict.judging.severities import read_severity
from plain_verdict.merging import check_template
from plain_verdict.merging.time_zones import read_zone
from plain_verdict.request.registered import registered_choices
from plain_verdict.runtime.errors import UsageError
from plain_verdict.settings.limits import read_size
from plain_verdict.settings.mappings import ResultMapping
from plain_verdict.settings.rules import ConditionRule, Match, QuarantineRule, SeverityMatch, WaiverRule
from plain_verdict.settings.schema import HistoryTable, SettingsFile
from plain_verdict.text.expressions import Expression
from plain_verdict.text.names import SECONDS
from plain_verdict.text.patterns import pattern

_MOST_KEPT = 10_000
_LEAVE_OUT = pattern(r"first\s+(\d{1,6}(?:\.\d{1,3})?)\s*(ms|s|min|h)")


def check_settings(settings: SettingsFile, *, extensions: bool = True) -> None:
    """Make sure that every value makes sense. Raises UsageError whose ``where`` names the key.

    Conditions may name measures of ``extensions``, unless they are switched off.
    """
    check_choice("report.layout", settings.report.layout)
    _check_texts(settings)
    check_template(settings.input.variants_from)
    for number, expression in enumerate(settings.masking.patterns):
        _check_expression(f"/{expression}/", f"masking.patterns[{number}]")
    if settings.requirements.pattern:
        _check_expression(f"/{settings.requirements.pattern}/", "requirements.pattern")
    read_leave_out(settings.load.leave_out)
    read_noise_threshold(settings.load.least_change, settings.load.least_difference)
    _check_history(settings.history)
    for where, match in _matches(settings):
        _check_match(match, where)
    for number, waiver in enumerate(settings.waiver):
        _check_waiver(waiver, f"waiver[{number}]")
    _check_history_rules(settings)
    if (settings.input.expect_files or 0) < 0:
        raise UsageError("must be 0 or more", where="input.expect_files", hint="write expect_files = 4")
    for number, condition in enumerate(settings.condition):
        _check_condition(condition, f"condition[{number}]", extensions=extensions)
    for number, rule in enumerate(settings.severity):
        _check_severity(rule.match, f"severity[{number}].match")
    for number, mapping in enumerate(settings.mapping):
        check_mapping(mapping, f"mapping[{number}]")


def _check_texts(settings: SettingsFile) -> None:
    """Make sure that sizes, ages and zones can be read; the reader of each knows not what key it reads."""
    for where, read, text in (
        ("evidence.size_limit", read_size, settings.evidence.size_limit),
        ("input.stale_after", read_age, settings.input.stale_after),
        ("input.newer_than", _read_newer_than, settings.input.newer_than),
        ("report.time_zone", read_zone, settings.report.time_zone),
    ):
        try:
            read(text)
        except UsageError as error:
            raise UsageError(error.what, where=where, hint=error.hint) from error


def _check_history(history: HistoryTable) -> None:
    check_series(history.series)
    if history.every:
        read_step(history.every)
    if history.pages and not history.pages.startswith(("https://", "http://")):
        raise UsageError("is not an address", where="history.pages", hint="begin it with https://")


def _read_newer_than(text: str) -> None:
    read_newer_than(text, datetime.now(UTC))


def read_leave_out(text: str) -> float:
    """Return how many seconds at the beginning of samples are left out. Raises UsageError."""
    if not text:
        return 0.0
    found = _LEAVE_OUT.fullmatch(text.strip())
    seconds = float(found[1]) * SECONDS[found[2]] if found else 0.0
    if not seconds:
        raise UsageError(
            f"{text!r} is not a part of a run", where="load.leave_out", hint='write it like "first 60 s"'
        )
    return seconds


def read_noise_threshold(share: str, difference: str) -> tuple[float, float]:
    """Return which changes of load results are trifles: a share, 0 to 1, and seconds. Raises UsageError."""
    try:
        per_cent = read_bound(share, PER_CENT_SLOWER)
    except ValueError as error:
        raise UsageError(str(error), where="load.least_change") from error
    try:
        return per_cent / 100, read_bound(difference, SECONDS_UNIT)
    except ValueError as error:
        raise UsageError(str(error), where="load.least_difference") from error


def read_step(text: str) -> timedelta:
    """Return how often a series runs. Raises UsageError."""
    try:
        step = read_age(text)
    except UsageError as error:
        raise UsageError(f"{text[:40]!r} is not a step", where="history.every", hint=error.hint) from error
    if not step:
        raise UsageError("is not a step", where="history.every", hint="write it like 1d or 6h")
    return step


def read_patience_s(text: str, where: str) -> float:
    """Return for how many seconds something is waited. Raises UsageError."""
    try:
        patience_s = read_age(text).total_seconds()
    except UsageError as error:
        raise UsageError(f"{text[:40]!r} is not a time", where=where, hint="write it like 3min") from error
    if not patience_s:
        raise UsageError("leaves no time", where=where, hint="write it like 3min")
    return patience_s


def check_mapping(mapping: ResultMapping, where: str) -> None:
    """Make sure that a mapping makes sense. Raises UsageError whose ``where`` names the key."""
    from plain_verdict.readers.mapping import checking  # for teams that have mappings

    checking.check_mapping(mapping, where)


def check_choice(key: str, value: str, where: str = "") -> None:
    """Make sure that a registry knows the value of a key. Raises UsageError."""
    choices = registered_choices()[key]
    if value not in choices:
        name = key.rpartition(".")[2]
        near = difflib.get_close_matches(value, choices, n=1, cutoff=0.6)
        hint = f"did you mean {near[0]!r}?" if near else f"use one of {', '.join(choices)}"
        raise UsageError(f"{value!r} is not a value of {name!r}", where=where or key, hint=hint)


def _matches(settings: SettingsFile) -> Iterator[tuple[str, Match]]:
    yield from ((f"cause[{number}].match", rule.match) for number, rule in enumerate(settings.cause))
    yield from ((f"waiver[{number}].match", rule.match) for number, rule in enumerate(settings.waiver))
    optional = (
        *((f"owner[{number}].match", rule.match) for number, rule in enumerate(settings.owner)),
        *((f"accepted_level[{number}].match", rule.match) for number, rule in enumerate(settings.accepted_level)),
        *((f"quarantine[{number}].match", rule.match) for number, rule in enumerate(settings.quarantine)),
    )
    yield from ((where, match) for where, match in optional if match)


def _check_match(match: Match, where: str) -> None:
    if not any(msgspec.structs.astuple(match)):
        raise UsageError("matches everything", where=where, hint='add a key, like match = { check = "Pay" }')
    _check_values(match, where)
    given = [value for key in match.__struct_fields__ if (value := getattr(match, key))]
    if all(isinstance(value, str) and not isinstance(value, Enum) and matches_everything(value) for value in given):
        raise UsageError(
            "matches everything", where=where, hint="write a pattern that matches only the failures that are meant"
        )


def _check_values(match: Match | SeverityMatch, where: str) -> None:
    """Make sure that a severity, and expressions, can be read."""
    if match.severity:
        try:
            read_severity(match.severity)
        except ValueError as error:
            raise UsageError(str(error), where=f"{where}.severity") from error
    for key in match.__struct_fields__:
        _check_expression(getattr(match, key), f"{where}.{key}")


def _check_severity(match: SeverityMatch, where: str) -> None:
    if not any(msgspec.structs.astuple(match)):
        raise UsageError("matches everything", where=where, hint='add a key, like match = { tool = "QuayLint" }')
    _check_values(match, where)


def _check_waiver(waiver: WaiverRule, where: str) -> None:
    if waiver.most is not None and waiver.most < 1:
        raise UsageError("must be 1 or more", where=f"{where}.most", hint="write most = 3")


def _check_history_rules(settings: SettingsFile) -> None:
    for number, quarantine in enumerate(settings.quarantine):
        _check_quarantine(quarantine, f"quarantine[{number}]")
    for number, level in enumerate(settings.accepted_level):
        if (level.match is None) is not bool(level.metric):
            where = f"accepted_level[{number}]"
            raise UsageError("needs match or metric", where=where, hint='write match = { check = "Pay" }')


def _check_quarantine(rule: QuarantineRule, where: str) -> None:
    if rule.match is None and not rule.flaky:
        raise UsageError("needs match or flaky", where=where, hint="write flaky = true")
    for key, most in (("limit", _MOST_KEPT), ("days", _MOST_KEPT), ("release_after", CHAIN)):
        if not 1 <= getattr(rule, key) <= most:
            raise UsageError(f"must be 1 to {most:,}", where=f"{where}.{key}", hint=f"write {key} = 5")


def _check_condition(condition: ConditionRule, where: str, *, extensions: bool) -> None:
    if not (extensions and extension_measure(condition.measure)):
        check_choice("condition.measure", condition.measure, f"{where}.measure")
    try:
        check_condition(condition)
    except ValueError as error:
        key, _, what = str(error).partition(": ")
        raise UsageError(what, where=f"{where}.{key}") from error


def _check_expression(text: object, where: str) -> None:
    if isinstance(text, str) and len(text) > 2 and text.startswith("/") and text.endswith("/"):
        try:
            Expression(text[1:-1])
        except ValueError as error:
            raise UsageError(str(error), where=where) from error
