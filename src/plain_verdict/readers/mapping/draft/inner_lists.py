"""Tells what lists in items are: attempts, steps, expectations, problems, evidence."""

from collections.abc import Iterable, Sequence

from plain_verdict.readers.mapping.draft.choice import ERRORS, Choice, Inner, is_named
from plain_verdict.readers.mapping.draft.fields import Candidate, Field
from plain_verdict.readers.mapping.draft.guess import Legend, guess
from plain_verdict.readers.mapping.draft.meaning import Role, fit_of, is_called
from plain_verdict.text.names import split_identifier

_LEAST_STEP_SCORE = 4.0  # a name and an outcome: less is no step
_RULE_ID_CHARS = 80
_RULE_IDS = ("rule", "ruleid", "code", "testid", "checkid")


def lists_of(candidate: Candidate, others: Sequence[Candidate], legend: Legend) -> Iterable[Inner]:
    """Yield the lists of objects that stand in the items."""
    depth = len(candidate.levels)
    for other in others:
        if other.levels[:-1] == candidate.levels and len(other.levels) == depth + 1 and not other.lists:
            yield other.items, guess(other.items, legend)


def is_attempts(found: Inner) -> bool:
    """Return whether a list in the items looks like attempts: named so, with outcomes, and no names."""
    level, made = found
    return is_called("attempts", level.each) and Role.OUTCOME in made.roles and not is_named(made)


def is_steps(found: Inner) -> bool:
    """Return whether a list in the items looks like steps: with names and outcomes."""
    level, made = found
    if not {Role.NAME, Role.OUTCOME} <= made.roles.keys() or fit_of(Role.MESSAGE, level.each):
        return False
    if is_called("checks", level.each):
        return False
    return not is_expectations(found) and (made.score >= _LEAST_STEP_SCORE or is_called("steps", level.each))


def is_expectations(found: Inner) -> bool:
    """Return whether a list in the items looks like expectations: named so, with outcomes or errors."""
    level, made = found
    return is_called("expectations", level.each) and bool(
        made.roles.keys() & {Role.OUTCOME, Role.EXPECTED, *ERRORS}
    )


def is_problems(found: Inner, choice: Choice) -> bool:
    """Return whether a list in the items looks like problems: named so, and with a text or a location."""
    level, made = found
    is_finding = is_called("findings", level.each)
    if is_finding and Role.LOCATION in made.roles:
        return True
    if Role.MESSAGE in choice.roles or not (is_finding or fit_of(Role.MESSAGE, level.each)):
        return False
    return bool(made.roles.keys() & {Role.MESSAGE, Role.LOCATION})


def is_evidence(found: Inner) -> bool:
    """Return whether a list in the items looks like pictures and files."""
    level, made = found
    has_path = Role.EVIDENCE in made.roles or any(field.path.endswith("path") for field in level.fields)
    return has_path and bool(fit_of(Role.EVIDENCE, level.each))


def is_compliance(choice: Choice) -> bool:
    """Return whether items look like rules: named for what breaks them, or with findings at locations."""
    has_locations = choice.problems is not None and Role.LOCATION in choice.problems[1].roles
    return has_locations or any(is_called("rules", found.each) for found in choice.candidate.lists)


def are_findings(choice: Choice) -> bool:
    """Return whether items are what a linter finds: each with a message, and with a rule or a severity."""
    message = choice.roles.get(Role.MESSAGE)
    if Role.OUTCOME in choice.roles or choice.candidate.lists or choice.attempts:
        return False
    return message is not None and message.share == 1 and any(map(_tells_rule, choice.candidate.items.fields))


def _tells_rule(field: Field) -> bool:
    return split_identifier(field.path)[-1:] == ["severity"] or is_rule_id(field)


def is_rule_id(field: Field) -> bool:
    """Return whether a field holds ids of rules, by its name."""
    is_id = all(len(value) <= _RULE_ID_CHARS and not set(value) & set(" \n") for value in field.values)
    return is_id and field.path.casefold().replace("_", "") in _RULE_IDS


def error_of(choice: Choice) -> Field | None:
    """Return the field of an error that only some of the items have."""
    found = [choice.roles[role] for role in ERRORS if role in choice.roles]
    return next((field for field in found if field.share < 1), None)
