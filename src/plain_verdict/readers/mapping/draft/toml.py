"""Writes a drafted mapping as TOML with comments: what works, and where a person must fill in."""

from collections.abc import Iterator
from itertools import pairwise

from plain_verdict.readers.mapping.draft.choice import inherits_name
from plain_verdict.readers.mapping.draft.drafting import Draft
from plain_verdict.readers.mapping.draft.fields import Candidate, EventKeys, Field, Level, quoted
from plain_verdict.readers.mapping.draft.guess import (
    Guess,
    guess,
    meanings_of,
)
from plain_verdict.readers.mapping.draft.meaning import Role, fit_of
from plain_verdict.readers.mapping.draft.sums import SumFields
from plain_verdict.readers.mapping.draft.toml_check import check_lines
from plain_verdict.readers.mapping.draft.toml_text import (
    listed,
    pairs_of,
    toml_key,
    where_lines,
    with_comment,
)
from plain_verdict.readers.mapping.draft.toml_values import outcome_lines, problem_lines, time_lines
from plain_verdict.text.cleaning import single_line
from plain_verdict.text.formatting import plural

_CHECK_KINDS = ("functional", "api", "load", "compliance")
_RUN_FACTS = 4


def as_toml(draft: Draft) -> str:
    """Return the mapping, ready to be used or filled in."""
    return "\n".join(_lines(draft)) + "\n"


def _lines(draft: Draft) -> Iterator[str]:
    candidate = draft.choice.candidate
    yield from _header(draft)
    if draft.table:
        yield from _table(*draft.table)
    if draft.sums:
        yield from _sums(draft.sums, candidate.items)
        return
    if candidate.events:
        yield from _events(candidate.events)
    yield from _run(candidate)
    for level, inner in pairwise(candidate.levels):
        key = inner.each.rstrip("[*]") or " "
        fields = tuple(field for field in level.fields if not field.path.startswith(key))
        yield from _level(level._replace(fields=fields), draft)
    yield from check_lines(draft)


def _header(draft: Draft) -> Iterator[str]:
    """Yield what a mapping says of itself: its name, its files, and its kind."""
    yield f"# A mapping for files like {single_line(draft.path, 200)}. What each key means: docs/mappings.md"
    yield "[[mapping]]"
    yield f"name = {quoted(draft.name)}"
    yield with_comment(f"files = [{quoted(draft.pattern)}]", "such files are tried before all other formats")
    if draft.needs:
        yield with_comment(f"# needs = [{', '.join(map(quoted, draft.needs))}]", "or tell them by what they hold")
    kind = _kind(draft)
    yield with_comment(f'kind = "{kind}"', f"or {', '.join(other for other in _CHECK_KINDS if other != kind)}")
    if draft.prefixes:
        pairs = ", ".join(f"{prefix} = {quoted(uri)}" for prefix, uri in draft.prefixes.items())
        yield f"prefixes = {{ {pairs} }}"


def _kind(draft: Draft) -> str:
    if draft.sums:
        return "load"
    return "compliance" if draft.choice.is_compliance else "api" if draft.choice.exchange else "functional"


def _sums(sums: SumFields, rows: Level) -> Iterator[str]:
    yield ""
    yield with_comment("[[mapping.request]]", f"{plural(rows.number, 'row')} with the numbers of a request each")
    yield from where_lines(rows)
    yield f"name = {sums.name}"
    yield from (f"{key} = {quoted(path)}" for key, path in sums.numbers.items())
    if sums.percentiles:
        pairs = ", ".join(f"{quoted(name)} = {quoted(path)}" for name, path in sums.percentiles.items())
        yield f"percentiles = {{ {pairs} }}"
    yield f"unit = {quoted(sums.unit)}"


def _events(events: EventKeys) -> Iterator[str]:
    yield ""
    yield with_comment("[mapping.events]", "lines of one id are one item")
    if events.each:
        yield f"each = {quoted(events.each)}"
    yield f"id = {quoted(events.id)}"
    for key, values in (("start", events.start), ("end", events.end)):
        yield f"{key} = {{ {toml_key(events.kind)} = {listed([quoted(value) for value in values])} }}"
    if events.append:
        yield f"append = {listed([quoted(key) for key in events.append])}"


def _run(candidate: Candidate) -> Iterator[str]:
    """Yield what the file says once, as facts about the run."""
    run = _beside(candidate)
    if run is None or not run.fields:
        return
    yield ""
    yield "[mapping.run]"
    yield from where_lines(run)
    made = guess(run)
    times: dict[Role, Field] = {role: made.roles[role] for role in (Role.STARTED, Role.ENDED) if role in made.roles}
    yield from time_lines(made._replace(roles=times))
    facts = [field for field in run.fields if field not in times.values()][:_RUN_FACTS]
    if facts:
        yield f"facts = {pairs_of(facts)}"


def _beside(candidate: Candidate) -> Level | None:
    """Return what stands once in the file, without the items and what tells its line from others."""
    run = candidate.run
    if run is None:
        return None
    lists = tuple(level.each.removeprefix("$.").partition("[")[0] for level in candidate.levels if level.each)
    fixed = run.where[0] if run.where else ""
    fields = [field for field in run.fields if not field.many and field.path != fixed]
    return run._replace(fields=tuple(field for field in fields if not field.path.startswith(lists)))


def _table(delimiter: str, header: int) -> Iterator[str]:
    yield ""
    yield "[mapping.table]"
    yield with_comment(f"delimiter = {quoted(delimiter)}", "found out; without it, it is found out file by file")
    if header != 1:
        yield with_comment(f"header = {header}", "the line that names the columns")


def _name_of(made: Guess) -> Field | None:
    """Return what a level is best called by: a name that is called one, a group, a file, a machine, or any text."""
    name = made.roles.get(Role.NAME)
    if name is not None and fit_of(Role.NAME, name.path):
        return name
    others = (Role.SUITE, Role.FILE, Role.WORKER)
    return next((made.roles[role] for role in others if role in made.roles), name)


def _level(level: Level, draft: Draft) -> Iterator[str]:
    made = guess(level, draft.legend)
    yield ""
    yield with_comment("[[mapping.level]]", plural(level.number, "item"))
    yield from where_lines(level)
    name = _name_of(made)
    yield _name_line(level, draft, name)
    for role in (Role.TAGS, Role.FILE, Role.WORKER):
        if role in made.roles and made.roles[role] is not name:
            yield f"{role.value} = {quoted(made.roles[role].path)}"
    outcome = made.roles.get(Role.OUTCOME)
    if outcome and not meanings_of(outcome, draft.legend).unknown and not level.inside:
        yield from problem_lines(made.roles, None)
        yield from outcome_lines("mapping.level.outcome", outcome, level, draft.legend)


def _name_line(level: Level, draft: Draft, name: Field | None) -> str:
    """Return what a level's name is to the checks in it: a suite, or their own where they have none."""
    if name is None:
        return with_comment('# suite = "..."', "the place of a name for all that is in it")
    if level.each == draft.choice.candidate.levels[-2].each and inherits_name(draft.choice):
        return with_comment(f"name = {quoted(name.path)}", "that of the checks in it")
    return f"suite = {quoted(name.path)}"
