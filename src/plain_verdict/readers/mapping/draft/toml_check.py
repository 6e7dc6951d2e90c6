"""Writes the checks of a drafted mapping, with all that stands in them."""

from collections.abc import Iterator, Sequence

from plain_verdict.model import Outcome
from plain_verdict.readers.mapping.draft.choice import Choice, inherits_name
from plain_verdict.readers.mapping.draft.drafting import Draft
from plain_verdict.readers.mapping.draft.exchanges import ExchangeFields
from plain_verdict.readers.mapping.draft.fields import Field, Level, quoted
from plain_verdict.readers.mapping.draft.guess import (
    Guess,
)
from plain_verdict.readers.mapping.draft.inner_lists import is_rule_id
from plain_verdict.readers.mapping.draft.meaning import Role
from plain_verdict.readers.mapping.draft.toml_text import (
    examples,
    pairs_of,
    paths,
    where_lines,
    with_comment,
)
from plain_verdict.readers.mapping.draft.toml_values import outcome_lines, problem_lines, span_s, time_lines
from plain_verdict.text.formatting import plural

_PLAIN_ROLES = (
    *(Role.TAGS, Role.REQUIREMENTS, Role.DESCRIPTION, Role.FILE, Role.LINE, Role.WORKER),
    *(Role.ATTEMPT, Role.SEVERITY),
)
_HELP = ("helpurl", "help", "fix", "remediation", "more_info", "ruleurl")
_SENTENCES = ("title", "help", "summary", "description")
_MOST_VARIANTS = 12
_ERROR_ROLES = (Role.MESSAGE, Role.TYPE, Role.DETAIL, Role.OUTCOME)


def check_lines(draft: Draft) -> Iterator[str]:
    """Yield the list of the checks, or each of several that have their outcomes."""
    choice, lists = draft.choice, draft.choice.candidate.lists
    if not lists:
        yield from _check(choice.candidate.items, draft, Outcome.FAILED if choice.are_findings else None)
    for outcome_list in lists:
        yield from _check(choice.candidate.items._replace(each=outcome_list.each), draft, outcome_list.outcome)


def _check(level: Level, draft: Draft, outcome: Outcome | None) -> Iterator[str]:
    choice = draft.choice
    table = "[[mapping.check]]" if choice.candidate.lists else "[mapping.check]"
    yield ""
    yield with_comment(table, "" if choice.candidate.lists else plural(level.number, "item"))
    yield from where_lines(level)
    yield from _name(level, choice)
    if outcome:
        yield with_comment(f"outcome = {quoted(outcome)}", "each breaks a rule" if choice.are_findings else "")
    yield from _identity(level, choice)
    yield from time_lines(choice.attempts[1] if choice.attempts else choice.made, span_s(choice))
    yield from problem_lines(choice.roles, choice.problems)
    yield from _evidence(choice)
    yield from _facts(level, choice)
    yield from _inner_tables(draft)
    yield from _unused([field for field in choice.made.unused if field.filled])
    yield from () if outcome else _how_ended(level, draft)
    yield from _step(*choice.steps, draft) if choice.steps else ()


def _inner_tables(draft: Draft) -> Iterator[str]:
    if draft.choice.expectations:
        yield from _expectation(*draft.choice.expectations, draft)
    if draft.choice.exchange:
        yield from _exchange(draft.choice.exchange)


def _identity(level: Level, choice: Choice) -> Iterator[str]:
    """Yield what tells a check from others of its name: its suite, its variant, and its attempts."""
    roles = choice.roles
    if choice.attempts:
        yield with_comment(f"attempts = {quoted(choice.attempts[0].each)}", "the last one counts")
    if Role.SUITE in roles:
        yield with_comment(f"suite = {quoted(roles[Role.SUITE].path)}", examples(roles[Role.SUITE]))
    if level.columns:
        yield 'parameters = { variant = "key" }'
    if inherits_name(choice):
        yield from _variants(choice.made.unused)


def _facts(level: Level, choice: Choice) -> Iterator[str]:
    roles = choice.roles
    if Role.OUTPUT in roles:
        yield f"output = {{ output = {quoted(roles[Role.OUTPUT].path)} }}"
    for role in _PLAIN_ROLES:
        if role in roles:
            yield with_comment(f"{role.value} = {quoted(roles[role].path)}", examples(roles[role]))
    yield from _rule(level, choice)


def _rule(level: Level, choice: Choice) -> Iterator[str]:
    """Yield the id of a rule, how to mend what breaks it, and where a finding is."""
    if not choice.is_compliance:
        return
    fields = {field.path.casefold(): field.path for field in level.fields}
    rule = next((field.path for field in level.fields if is_rule_id(field)), fields.get("id"))
    text = next(filter(None, map(fields.get, _HELP)), None)
    yield from (f"{key} = {quoted(path)}" for key, path in (("rule", rule), ("help", text)) if path)
    if choice.are_findings:
        yield from _location(choice)


def _location(choice: Choice) -> Iterator[str]:
    """Yield where a finding is: in a file, and in which line."""
    parts = [f"{{{choice.roles[role].path}}}" for role in (Role.FILE, Role.LINE) if role in choice.roles]
    if parts:
        yield f"place = {{ text = {quoted(':'.join(parts))} }}"


def _sentence_of_rule(level: Level) -> Field | None:
    """Return the field that says in words what a rule asks."""
    fields = {field.path.casefold(): field for field in level.fields if any(" " in value for value in field.values)}
    return next(filter(None, map(fields.get, _SENTENCES)), None)


def _variants(fields: Sequence[Field]) -> Iterator[str]:
    """Yield the fields by which items of one name differ; of two with the same values the last."""
    found = {tuple(field.values): field for field in fields if _is_variant(field)}
    if found:
        yield f"parameters = {pairs_of(list(found.values())[:2])}"


def _is_variant(field: Field) -> bool:
    return field.share == 1 and 1 < field.different <= _MOST_VARIANTS and not field.many


def _name(level: Level, choice: Choice) -> Iterator[str]:
    field = _name_of(level, choice)
    if level.columns and field is None:
        texts = [text.path for text in level.fields if text.path not in ("key", "value")]
        yield f"name = {quoted(next(iter(texts), 'key'))}"
    elif field is not None:
        yield with_comment(f"name = {quoted(field.path)}", examples(field))
    elif not inherits_name(choice):
        yield with_comment('name = "FILL IN"', f"the place of a name; there are {paths(level.fields)}")


def _name_of(level: Level, choice: Choice) -> Field | None:
    """Return the field with the name of items: of findings the rule's id, of rules what they ask."""
    of_rule = None
    if choice.are_findings:
        of_rule = next(filter(is_rule_id, level.fields), None)
    elif choice.is_compliance:
        of_rule = _sentence_of_rule(level)
    if of_rule is not None or inherits_name(choice):
        return of_rule
    return choice.made.roles.get(Role.NAME)


def _how_ended(level: Level, draft: Draft) -> Iterator[str]:
    """Yield how the items of one list ended: by their own words, by their errors, or by what they expect."""
    choice = draft.choice
    field = choice.roles.get(Role.OUTCOME)
    if field is None and choice.error:
        yield ""
        yield "[mapping.check.outcome]"
        yield with_comment(f"from = {quoted(choice.error.path)}", "a guess: only items that failed have it")
        yield 'failed = "*"'
        yield 'missing = "passed"'
    elif field is not None or not (choice.expectations or choice.steps):
        yield from outcome_lines("mapping.check.outcome", field, level, draft.legend)


def _evidence(choice: Choice) -> Iterator[str]:
    roles = choice.roles
    if Role.EVIDENCE in roles:
        path = f"{{ path = {quoted(roles[Role.EVIDENCE].path)} }}"
        yield with_comment(f"evidence = {path}", "relative to the result file")
    elif choice.evidence:
        level, made = choice.evidence
        paths_of = [field for field in level.fields if field.path.endswith("path")]
        file = made.roles.get(Role.EVIDENCE) or paths_of[0]
        name = next((f", name = {quoted(field.path)}" for field in level.fields if field.path == "name"), "")
        yield f"evidence = {{ each = {quoted(level.each)}, path = {quoted(file.path)}{name} }}"


def _expectation(level: Level, made: Guess, draft: Draft) -> Iterator[str]:
    """Yield the list of expectations: with an outcome each, or an error where one is not met."""
    single = (field for field in level.fields if not field.many)
    subject = made.roles.get(Role.NAME) or next(single, None)
    yield ""
    yield "[mapping.check.expectation]"
    yield f"each = {quoted(level.each)}"
    texts = {"subject": subject, "message": made.roles.get(Role.MESSAGE)}
    yield from (f"{key} = {quoted(field.path)}" for key, field in texts.items() if field)
    outcome = made.roles.get(Role.OUTCOME)
    errors = _rare(made)
    if errors and outcome in (None, errors[0]):
        fails = f'{{ from = {quoted(errors[0].path)}, failed = "*", missing = "passed" }}'
        yield with_comment(f"outcome = {fails}", "a guess: only those that are not met have it")
    else:
        yield from list(outcome_lines("mapping.check.expectation.outcome", outcome, level, draft.legend))[1:]


def _rare(made: Guess) -> list[Field]:
    """Return the fields of errors that only some items have."""
    return [made.roles[role] for role in _ERROR_ROLES if role in made.roles and made.roles[role].share < 1]


def _exchange(exchange: ExchangeFields) -> Iterator[str]:
    yield ""
    yield "[mapping.check.exchange]"
    for key, path in exchange.paths.items():
        if key in exchange.as_bytes:
            yield f'{key} = {{ from = {quoted(path)}, encoding = "bytes" }}'
        elif key == "took":
            yield with_comment(f'{key} = {{ from = {quoted(path)}, unit = "ms" }}', "or s")
        else:
            yield f"{key} = {quoted(path)}"


def _step(level: Level, made: Guess, draft: Draft) -> Iterator[str]:
    yield ""
    yield with_comment("[[mapping.check.step]]", plural(level.number, "step"))
    yield from where_lines(level)
    yield f"name = {quoted(made.roles[Role.NAME].path)}"
    yield from time_lines(made)
    if Role.MESSAGE in made.roles:
        yield f"problem = {{ message = {quoted(made.roles[Role.MESSAGE].path)} }}"
    yield from outcome_lines("mapping.check.step.outcome", made.roles.get(Role.OUTCOME), level, draft.legend)


def _unused(fields: Sequence[Field]) -> Iterator[str]:
    if fields:
        yield f"# not used: {paths(fields)}; for example"
        yield f"# facts = {pairs_of(fields[:2])}"
