"""Which secrets the job knows that makes a report: those of its environment, and those that somebody names."""

import glob
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import TypeVar

import msgspec

from plain_verdict.masking import MaskRules
from plain_verdict.masking.known import KnownValue, make_known
from plain_verdict.masking.variables import (
    is_secret_variable,
    secrets_of_environment,
    secrets_of_file,
    secrets_of_variables,
)
from plain_verdict.request.overrides import Overrides
from plain_verdict.runtime.errors import UsageError
from plain_verdict.settings.rules import Rules
from plain_verdict.settings.schema import SettingsFile
from plain_verdict.text.formatting import plural

_MOST_SECRET_BYTES = 1_000_000
_VARIABLES = "env:"
_SHOWN_KEYS = frozenset(
    (
        *("title", "description", "index_title", "link", "organisation", "footer", "contact"),
        *("name", "advice", "owner", "reason", "who"),
    )
)
"""Keys of the settings whose values are shown as they are."""
Thing = TypeVar("Thing", bound=msgspec.Struct)


def read_mask_rules(
    overrides: Overrides, settings: SettingsFile, environment: Mapping[str, str]
) -> tuple[MaskRules, tuple[str, ...]]:
    """Return what is masked, and notes on secrets that are too short to be looked for. Raises UsageError."""
    table = settings.masking
    off = table.off if overrides.masking is None else not overrides.masking
    if off:
        return MaskRules(off=True), ()
    known, notes = list(secrets_of_environment(environment)), list[str]()
    for name in (settings.mail.password_variable, *(table.url_variable for table in settings.notify)):
        known += secrets_of_variables(glob.escape(name), environment)
    for name in (*overrides.mask_values, *table.values):
        found, file_notes = _named_secrets(name, environment)
        known += found
        notes += file_notes
    named = tuple((key, name) for key, name in settings.facts_from_environment.items() if is_secret_variable(name))
    looked_for = dict.fromkeys(value for value in known if value.value not in table.ignore)
    rules = MaskRules(False, table.patterns, table.ignore, tuple(looked_for), named)
    return rules, tuple(notes)


def _named_secrets(name: str, environment: Mapping[str, str]) -> tuple[Sequence[KnownValue], list[str]]:
    """Return the secrets of variables or of a file, and notes on those that are none. Raises UsageError."""
    if name.startswith(_VARIABLES):
        return secrets_of_variables(name.removeprefix(_VARIABLES), environment), []
    try:
        found, short = secrets_of_file(_read(name), Path(name).name)
    except (ValueError, RecursionError) as error:
        hint = "correct it, or write KEY=VALUE or one secret per line"
        raise UsageError("is not valid JSON", path=name, hint=hint) from error
    notes = [f"{Path(name).name} holds no secret."] if not found and not short else []
    if short:
        verb = "is" if short == 1 else "are"
        notes.append(f"{Path(name).name}: {plural(short, 'value')} {verb} too short to be masked.")
    return found, notes


def _read(name: str) -> str:
    hint = "check --mask-values and masking.values"
    try:
        with Path(name).open("rb") as file:
            data = file.read(_MOST_SECRET_BYTES + 1)
    except OSError as error:
        raise UsageError(f"can't be read ({error.strerror})", path=name, hint=hint) from error
    if len(data) > _MOST_SECRET_BYTES:
        raise UsageError("is too large for a file of secrets", path=name, hint=hint)
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise UsageError("is not UTF-8 text", path=name, hint="save it as UTF-8") from error


def without_known(thing: Thing, rules: MaskRules) -> Thing:
    """Return a table or a rule of the settings with known secrets masked in what is shown of it."""
    known = make_known(rules.known)
    if known is None:
        return thing
    shown = [key for key in thing.__struct_fields__ if key in _SHOWN_KEYS]
    return msgspec.structs.replace(thing, **{key: known.masked(getattr(thing, key)) for key in shown})


def rules_without_known(rules: Rules, masking: MaskRules) -> Rules:
    """Return rules with known secrets masked in what is shown of them."""
    tables = {key: getattr(rules, key) for key in ("causes", "waivers", "conditions", "quarantines", "levels")}
    masked = {key: tuple(without_known(rule, masking) for rule in table) for key, table in tables.items()}
    return msgspec.structs.replace(rules, **masked)
