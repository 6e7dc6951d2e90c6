"""Writes the values of a drafted mapping: times, outcomes, problems."""

from collections.abc import Iterator, Mapping, Sequence

from plain_verdict.model import Outcome
from plain_verdict.readers.mapping.draft.choice import ERRORS, Choice
from plain_verdict.readers.mapping.draft.fields import Field, Level, quoted
from plain_verdict.readers.mapping.draft.guess import (
    Guess,
    Legend,
    Meanings,
    guess,
    meanings_of,
    shown_values,
    when,
)
from plain_verdict.readers.mapping.draft.meaning import Role
from plain_verdict.readers.mapping.draft.toml_text import examples, listed, paths, with_comment
from plain_verdict.text.formatting import plural
from plain_verdict.text.moments import read_moment
from plain_verdict.text.names import unit_in
from plain_verdict.text.numbers import read_number

_OUTCOME_ORDER = (Outcome.PASSED, Outcome.FAILED, Outcome.ERRORED, Outcome.SKIPPED, Outcome.UNDECIDED)
_PROBLEM = (Role.MESSAGE, Role.TYPE, Role.DETAIL, Role.LOCATION, Role.EXPECTED, Role.ACTUAL)
UNIT_IS_GUESS = "a guess: nothing tells the unit of these numbers"
_LONGER = 1.5  # than the whole run is too long for a part of it
_LIKELY_MS = 100


def span_s(choice: Choice) -> float | None:
    """Return how long the run took at least: from its own times, those of levels, or those of its checks."""
    run, around = choice.candidate.run, choice.candidate.levels[:-1]
    fields = _times_in([guess(run).roles] if run else [])
    fields = fields if len(fields) > 1 else _times_in([guess(level).roles for level in around])
    fields = fields if len(fields) > 1 else _times_in([choice.roles])
    moments = [moment for field in fields for text in field.values if (moment := read_moment(text))]
    if len({moment.tzinfo is None for moment in moments}) != 1:
        return None
    return (max(moments) - min(moments)).total_seconds()


def _times_in(all_roles: Sequence[Mapping[Role, Field]]) -> list[Field]:
    return [roles[role] for roles in all_roles for role in (Role.STARTED, Role.ENDED) if role in roles]


def time_lines(made: Guess, span_s: float | None = None) -> Iterator[str]:
    """Yield how long items took, and when they began and ended."""
    took = made.roles.get(Role.TOOK)
    if took:
        known = unit_in(took.path) or made.unit
        unit, comment = (known, "") if known else _unit_of(took, span_s)
        yield with_comment(f"took = {{ from = {quoted(took.path)}, unit = {quoted(unit)} }}", comment)
    started, ended = made.roles.get(Role.STARTED), made.roles.get(Role.ENDED)
    if started:
        yield _moment(Role.STARTED, [started, *filter(None, [made.time_of_day])])
    if ended:
        yield _moment(Role.ENDED, [ended])


def _unit_of(took: Field, span_s: float | None) -> tuple[str, str]:
    """Return the unit that durations most likely have, and a comment where that is a guess."""
    numbers = list(filter(None, map(read_number, took.values)))
    if not numbers or any(read_number(value) is None for value in took.values):
        return "s", ""  # they name their units
    if span_s and max(numbers) > _LONGER * span_s:
        return "ms", "in seconds they would be longer than the run"
    are_ms = span_s is None and max(numbers) >= _LIKELY_MS and all(map(float.is_integer, numbers))
    return "ms" if are_ms else "s", UNIT_IS_GUESS


def _moment(role: Role, fields: Sequence[Field]) -> str:
    found = when(fields)
    paths = [quoted(field.path) for field in fields]
    at = paths[0] if len(paths) == 1 else f"[{', '.join(paths)}]"
    if found is None:
        example = examples(fields[0])
        return with_comment(f'# {role} = {{ from = {at}, format = "FILL IN" }}', f"{example}: write its pattern")
    if not found.pattern:
        comment = "" if found.named_zone else 'names no zone; if it matters: { from = ..., zone = "Europe/Oslo" }'
        return with_comment(f"{role} = {at}" if len(paths) == 1 else f"{role} = {{ from = {at} }}", comment)
    comment = 'names no zone; if it matters, add zone = "Europe/Oslo"'
    if found.either:
        comment = f"or {found.either}: both fit all values"
    return with_comment(f"{role} = {{ from = {at}, format = {quoted(found.pattern)} }}", comment)


def outcome_lines(table: str, field: Field | None, level: Level, legend: Legend) -> Iterator[str]:
    """Yield the table that tells outcomes by the values of a field; a place to fill in where there is none."""
    yield ""
    yield f"[{table}]"
    if field is None:
        yield with_comment('from = "FILL IN"', f"the place of the outcome; there are {paths(level.fields)}")
        yield 'passed = ["FILL IN"]'
        return
    found = meanings_of(field, legend)
    yield f"from = {quoted(field.path)}"
    if field.filled < field.of:
        yield with_comment('# missing = "..."', f"{field.of - field.filled:,} of {field.of:,} have no value there")
    if found.number:
        yield "passed = { at_most = 0 }"
        yield "failed = { above = 0 }"
        return
    yield from _known(found)
    if found.unknown:
        yield "# FILL IN: what do these mean? A check is undecided while its value stands in no list."
        for value, times in shown_values(found.unknown):
            yield f"#   {quoted(value)} stands there {plural(times, 'time')}"


def _known(found: Meanings) -> Iterator[str]:
    for outcome in _OUTCOME_ORDER:
        values = found.known.get(outcome)
        if values:
            shown = [value if value in ("true", "false") else quoted(value) for value, _ in shown_values(values)]
            yield f"{outcome.value} = {shown[0] if shown in (['true'], ['false']) else listed(shown)}"
        elif outcome in (Outcome.PASSED, Outcome.FAILED):
            yield with_comment(f"{outcome.value} = []", "no value looked like it")


def problem_lines(roles: Mapping[Role, Field], listed: tuple[Level, Guess] | None) -> Iterator[str]:
    """Yield what went wrong, from fields or from a list of problems."""
    keys = [f"each = {quoted(listed[0].each)}"] if listed else []
    roles = listed[1].roles if listed else roles
    if not roles.keys() & {*ERRORS, Role.EXPECTED, Role.ACTUAL} and not listed:
        return  # a location alone is nothing that went wrong
    keys += [f"{role.value.partition('.')[2]} = {quoted(roles[role].path)}" for role in _PROBLEM if role in roles]
    if keys:
        yield f"problem = {{ {', '.join(keys)} }}"
