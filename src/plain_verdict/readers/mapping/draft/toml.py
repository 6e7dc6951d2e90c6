"""Writes a drafted mapping as TOML with comments: what works, and where a person must fill in."""

import json
import re
from collections.abc import Iterator, Sequence
from itertools import pairwise
from typing import NamedTuple

from plain_verdict.model import Outcome
from plain_verdict.readers.mapping.draft.fields import Candidate, Field, Level
from plain_verdict.readers.mapping.draft.guess import Guess, Meanings, guess, meanings_of, shown_values, when
from plain_verdict.readers.mapping.draft.meaning import Role
from plain_verdict.text.cleaning import single_line
from plain_verdict.text.formatting import plural
from plain_verdict.text.names import unit_in

_OUTCOME_ORDER = (Outcome.PASSED, Outcome.FAILED, Outcome.ERRORED, Outcome.SKIPPED, Outcome.UNDECIDED)
_COMMENT_AT = 48
_PLAIN_ROLES = (
    *(Role.TAGS, Role.REQUIREMENTS, Role.DESCRIPTION, Role.FILE, Role.LINE, Role.WORKER),
    *(Role.ATTEMPT, Role.SEVERITY),
)
_PROBLEM = (Role.MESSAGE, Role.TYPE, Role.DETAIL, Role.EXPECTED, Role.ACTUAL)
_SHOWN_CHARS = 40
_RUN_FACTS = 4


class Draft(NamedTuple):
    """What was found out about a file."""

    path: str
    name: str
    pattern: str
    needs: tuple[str, ...]
    candidate: Candidate
    made: Guess
    steps: tuple[Level, Guess] | None = None
    problems: tuple[Level, Guess] | None = None
    table: tuple[str, int] | None = None
    """Of a table: what stands between cells, and the line of its header."""
    prefixes: dict[str, str] | None = None


def quoted(text: str) -> str:
    """Return a text as TOML writes it. Source: TOML 1.0, section String (basic strings are those of JSON)."""
    return json.dumps(text, ensure_ascii=False).replace("\x7f", "\\u007f")


def as_toml(draft: Draft) -> str:
    """Return the mapping, ready to be used or filled in."""
    return "\n".join(_lines(draft)) + "\n"


def _lines(draft: Draft) -> Iterator[str]:
    levels, made = draft.candidate.levels, draft.made
    yield f"# A mapping for files like {single_line(draft.path, 200)}. What each key means: docs/mappings.md"
    yield "[[mapping]]"
    yield f"name = {quoted(draft.name)}"
    yield _with_comment(f"files = [{quoted(draft.pattern)}]", "such files are tried before all other formats")
    if draft.needs:
        yield _with_comment(f"# needs = [{', '.join(map(quoted, draft.needs))}]", "or tell them by what they hold")
    yield _with_comment('kind = "functional"', "or api, load, compliance")
    if draft.prefixes:
        pairs = ", ".join(f"{prefix} = {quoted(uri)}" for prefix, uri in draft.prefixes.items())
        yield f"prefixes = {{ {pairs} }}"
    if draft.table:
        yield from _table(*draft.table)
    yield from _run(draft.candidate)
    for level, inner in pairwise(levels):
        fields = tuple(field for field in level.fields if not field.path.startswith(inner.each.rstrip("[*]")))
        yield from _level(level._replace(fields=fields))
    yield from _check(levels[-1], made, draft)


def _run(candidate: Candidate) -> Iterator[str]:
    """Yield what the file says once, as facts about the run."""
    run = _beside(candidate)
    if run is None or not run.fields:
        return
    yield ""
    yield "[mapping.run]"
    yield from _where(run)
    made = guess(run)
    times: dict[Role, Field] = {role: made.roles[role] for role in (Role.STARTED, Role.ENDED) if role in made.roles}
    yield from _times(made._replace(roles=times))
    facts = [field for field in run.fields if field not in times.values()][:_RUN_FACTS]
    if facts:
        pairs = ", ".join(f"{_key(_fact_name(field.path))} = {quoted(field.path)}" for field in facts)
        yield f"facts = {{ {pairs} }}"


def _beside(candidate: Candidate) -> Level | None:
    """Return what stands once in the file, without the items and what tells its line from others."""
    run = candidate.run
    if run is None:
        return None
    lists = tuple(level.each.removeprefix("$.").partition("[")[0] for level in candidate.levels if level.each)
    fixed = run.where[0] if run.where else ""
    fields = [field for field in run.fields if not field.many and field.path != fixed]
    return run._replace(fields=tuple(field for field in fields if not field.path.startswith(lists)))


def _fact_name(path: str) -> str:
    return re.sub(r"[^\w]+", " ", path).strip()


def _key(name: str) -> str:
    return name if re.fullmatch(r"[A-Za-z0-9_-]+", name) else quoted(name)


def _table(delimiter: str, header: int) -> Iterator[str]:
    yield ""
    yield "[mapping.table]"
    yield _with_comment(f"delimiter = {quoted(delimiter)}", "found out; without it, it is found out file by file")
    if header != 1:
        yield _with_comment(f"header = {header}", "the line that names the columns")


def _level(level: Level) -> Iterator[str]:
    made = guess(level)
    yield ""
    yield _with_comment("[[mapping.level]]", plural(level.number, "item"))
    yield from _where(level)
    name = made.roles.get(Role.NAME) or made.roles.get(Role.SUITE) or made.roles.get(Role.WORKER)
    if name:
        yield f"suite = {quoted(name.path)}"
    else:
        yield _with_comment('# suite = "..."', "the place of a name for all that is in it")
    if Role.TAGS in made.roles:
        yield f"tags = {quoted(made.roles[Role.TAGS].path)}"


def _where(level: Level) -> Iterator[str]:
    if level.each:
        yield f"each = {quoted(level.each)}"
    if level.where:
        path, value = level.where
        yield f"where = {{ {_key(path)} = {quoted(value)} }}"


def _unused(fields: Sequence[Field]) -> Iterator[str]:
    if fields:
        yield f"# not used: {_paths(fields)}; for example"
        pairs = ", ".join(f"{_key(_fact_name(field.path))} = {quoted(field.path)}" for field in fields[:2])
        yield f"# facts = {{ {pairs} }}"


def _check(level: Level, made: Guess, draft: Draft) -> Iterator[str]:
    yield ""
    yield _with_comment("[mapping.check]", plural(level.number, "item"))
    yield from _where(level)
    roles = made.roles
    if Role.NAME in roles:
        yield _with_comment(f"name = {quoted(roles[Role.NAME].path)}", _examples(roles[Role.NAME]))
    else:
        yield _with_comment('name = "FILL IN"', f"the place of a name; there are {_paths(level.fields)}")
    if Role.SUITE in roles:
        yield _with_comment(f"suite = {quoted(roles[Role.SUITE].path)}", _examples(roles[Role.SUITE]))
    yield from _times(made)
    yield from _problem(roles, draft.problems)
    if Role.EVIDENCE in roles:
        yield _with_comment(
            f"evidence = {{ path = {quoted(roles[Role.EVIDENCE].path)} }}", "relative to the result file"
        )
    if Role.OUTPUT in roles:
        yield f"output = {{ output = {quoted(roles[Role.OUTPUT].path)} }}"
    for role in _PLAIN_ROLES:
        if role in roles:
            yield _with_comment(f"{role.value} = {quoted(roles[role].path)}", _examples(roles[role]))
    yield from _unused([field for field in made.unused if field.filled])
    yield from _outcome("mapping.check.outcome", roles.get(Role.OUTCOME), level)
    if draft.steps:
        yield from _step(*draft.steps)


def _problem(roles: dict[Role, Field], listed: tuple[Level, Guess] | None) -> Iterator[str]:
    keys = [f"each = {quoted(listed[0].each)}"] if listed else []
    roles = listed[1].roles if listed else roles
    keys += [f"{role.value.partition('.')[2]} = {quoted(roles[role].path)}" for role in _PROBLEM if role in roles]
    if keys:
        yield f"problem = {{ {', '.join(keys)} }}"


def _step(level: Level, made: Guess) -> Iterator[str]:
    yield ""
    yield _with_comment("[[mapping.check.step]]", plural(level.number, "step"))
    yield from _where(level)
    yield f"name = {quoted(made.roles[Role.NAME].path)}"
    yield from _times(made)
    if Role.MESSAGE in made.roles:
        yield f"problem = {{ message = {quoted(made.roles[Role.MESSAGE].path)} }}"
    yield from _outcome("mapping.check.step.outcome", made.roles.get(Role.OUTCOME), level)


def _times(made: Guess) -> Iterator[str]:
    took = made.roles.get(Role.TOOK)
    if took:
        unit = unit_in(took.path) or made.unit
        bare = all(value.replace(".", "").replace(",", "").isdigit() for value in took.values)
        comment = "" if unit or not bare else "nothing tells the unit of these numbers: ms, s, min?"
        yield _with_comment(f"took = {{ from = {quoted(took.path)}, unit = {quoted(unit or 's')} }}", comment)
    for role in (Role.STARTED, Role.ENDED):
        field = made.roles.get(role)
        if field:
            with_time = made.time_of_day if role is Role.STARTED else None
            yield _moment(role, [field, *([with_time] if with_time else [])])


def _moment(role: Role, fields: Sequence[Field]) -> str:
    found = when(fields)
    paths = [quoted(field.path) for field in fields]
    at = paths[0] if len(paths) == 1 else f"[{', '.join(paths)}]"
    if found is None:
        example = _examples(fields[0])
        return _with_comment(f'# {role} = {{ from = {at}, format = "FILL IN" }}', f"{example}: write its pattern")
    if not found.pattern:
        comment = "" if found.named_zone else 'names no zone; if it matters: { from = ..., zone = "Europe/Oslo" }'
        return _with_comment(f"{role} = {at}" if len(paths) == 1 else f"{role} = {{ from = {at} }}", comment)
    comment = 'names no zone; if it matters, add zone = "Europe/Oslo"'
    if found.either:
        comment = f"or {found.either}: both fit all values"
    return _with_comment(f"{role} = {{ from = {at}, format = {quoted(found.pattern)} }}", comment)


def _outcome(table: str, field: Field | None, level: Level) -> Iterator[str]:
    yield ""
    yield f"[{table}]"
    if field is None:
        yield _with_comment('from = "FILL IN"', f"the place of the outcome; there are {_paths(level.fields)}")
        yield 'passed = ["FILL IN"]'
        return
    found = meanings_of(field)
    yield f"from = {quoted(field.path)}"
    if field.filled < field.of:
        yield _with_comment('# missing = "..."', f"{field.of - field.filled:,} of {field.of:,} have no value there")
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
            yield f"{outcome.value} = {shown[0] if shown in (['true'], ['false']) else _listed(shown)}"
        elif outcome in (Outcome.PASSED, Outcome.FAILED):
            yield _with_comment(f"{outcome.value} = []", "no value looked like it")


def _examples(field: Field) -> str:
    examples = list(dict.fromkeys(field.values))[:2]
    return "like " + ", ".join(f"“{single_line(value, _SHOWN_CHARS)}”" for value in examples)


def _paths(fields: Sequence[Field]) -> str:
    return ", ".join(single_line(field.path, _SHOWN_CHARS) for field in fields[:12]) or "none"


def _with_comment(line: str, comment: str) -> str:
    if not comment:
        return line
    return f"{line.ljust(_COMMENT_AT)}  # {single_line(comment, 160)}"


def _listed(values: Sequence[str]) -> str:
    return f"[{', '.join(values)}]"
