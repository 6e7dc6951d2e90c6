"""Reads ``plain-verdict.toml``: checked whole, with errors that name key, line and the nearest right key."""

import re
from collections.abc import Callable
from pathlib import Path
from typing import Any, TypeVar

import msgspec

from plain_verdict.runtime.errors import UsageError
from plain_verdict.settings.errors import explain, with_line
from plain_verdict.settings.mappings import MappingFile, ResultMapping
from plain_verdict.settings.paths import relative_to
from plain_verdict.settings.schema import SettingsFile
from plain_verdict.settings.trust import HOW_TO_TRUST, without_reach
from plain_verdict.text.cleaning import with_visible_controls
from plain_verdict.text.formatting import join_list
from plain_verdict.text.patterns import pattern

NAME = "plain-verdict.toml"

Check = Callable[[SettingsFile], None]
"""Makes sure that settings make sense. Raises UsageError whose ``where`` names the key."""


Table = TypeVar("Table", bound=msgspec.Struct)
_LIST_WANTED = pattern(r"Expected `array`, got `str` - at `\$((?:\.\w[\w-]*|\[\d+\])+)`")
_MOST_SINGLE_TEXTS = 100  # keys of one file that hold a text for a list
RULES = (
    "cause",
    "waiver",
    "condition",
    "severity",
    "owner",
    "quarantine",
    "accepted_level",
    "mapping",
    "compliance",
    "requirements",
    "input",
    "load",
    "history",
    "api",
)
"""The tables that can change a verdict."""
_AS_WRITTEN = ("mapping", "masking")
"""Tables whose texts are looked for in files, and separate columns: their control characters stay."""


class SettingsSource(msgspec.Struct, frozen=True):
    """Where settings are: in the file that is named, or in the nearest; ``rules`` names a file that judges instead.

    A file that was found is the operator's own only where it is ``trusted``.
    """

    named: str | None = None
    rules: str | None = None
    trusted: bool = False


class Settings(msgspec.Struct, frozen=True):
    """The settings, notes on how they are written, and the keys that a file which nobody named may not set."""

    file: SettingsFile = SettingsFile()
    notes: tuple[str, ...] = ()
    ignored: tuple[str, ...] = ()
    trusted: bool = True

    def refuse_ignored(self, key: str) -> None:
        """Make sure that a key which a command wants was not ignored. Raises UsageError."""
        if key in self.ignored:
            raise UsageError(
                f"{NAME} was found, not named with --config, so its key is ignored", where=key, hint=HOW_TO_TRUST
            )


def read_settings(source: SettingsSource, check: Check) -> Settings:
    """Return the settings of the file that was named, or of the nearest one, or the defaults. Raises UsageError."""
    path = find_settings(source.named)
    settings = _read(path, check) if path else Settings()
    if path and not (source.named or source.trusted):
        settings = _without_reach(settings, path)
    return _with_rules(settings, Path(source.rules), check) if source.rules else settings


def _without_reach(settings: Settings, path: Path) -> Settings:
    file, ignored = without_reach(settings.file, path)
    notes = settings.notes
    if ignored:
        keys = f"{join_list(ignored, len(ignored))} {'is' if len(ignored) == 1 else 'are'}"
        notes = (*notes, f"{path.name} was found, not named with --config, so {keys} ignored: {HOW_TO_TRUST}.")
    return Settings(file, notes, ignored, trusted=False)


def _with_rules(settings: Settings, path: Path, check: Check) -> Settings:
    """Return the settings with all that can change a verdict from another file."""
    rules, default = _read(path, check), SettingsFile()
    file, notes = settings.file, (*settings.notes, *rules.notes)
    unused = [key for key in RULES if getattr(file, key) not in (getattr(default, key), getattr(rules.file, key))]
    if unused:
        tables = join_list(unused, len(unused))
        notes = (*notes, f"{path.name} judges this run, so {NAME} is not used for {tables}.")
    file = msgspec.structs.replace(file, **{key: getattr(rules.file, key) for key in RULES})
    ignored = tuple(key for key in settings.ignored if key.partition(".")[0] not in RULES)
    return Settings(file, notes, ignored, settings.trusted)


def _read(path: Path, check: Check) -> Settings:
    """Return the settings that a file holds. Raises UsageError."""
    text, fields = _parsed(path)
    try:
        settings = _converted(fields, SettingsFile)
        check(settings)
    except msgspec.ValidationError as error:
        raise explain(str(error), path.name, text) from error
    except UsageError as error:
        raise UsageError(error.what, path=path.name, where=with_line(text, error.where), hint=error.hint) from error
    return Settings(relative_to(settings, path.parent))


def read_mappings(
    name: str, check: Callable[[ResultMapping, str], None], *, in_settings: bool = False
) -> tuple[ResultMapping, ...]:
    """Return the mappings of a file of their own; ``in_settings`` other settings may stand next to them.

    Raises UsageError.
    """
    path = Path(name)
    text, fields = _parsed(path, "check --mapping and input.mappings")
    if in_settings:
        fields = {key: value for key, value in fields.items() if key == "mapping"}
    try:
        mappings = _converted(fields, MappingFile).mapping
        for number, mapping in enumerate(mappings):
            check(mapping, f"mapping[{number}]")
    except msgspec.ValidationError as error:
        raise explain(str(error), path.name, text, MappingFile) from error
    except UsageError as error:
        raise UsageError(error.what, path=path.name, where=with_line(text, error.where), hint=error.hint) from error
    if not mappings:
        raise UsageError("has no mapping", path=path.name, hint="begin one with [[mapping]], see docs/mappings.md")
    return mappings


def _converted(fields: dict[str, object], kind: type[Table]) -> Table:
    """Return fields as a struct; a text stands for a list of one text. Raises ValidationError."""
    for _ in range(_MOST_SINGLE_TEXTS):
        try:
            return msgspec.convert(fields, kind)
        except msgspec.ValidationError as error:
            found = _LIST_WANTED.fullmatch(str(error))
            if found is None:
                raise
            *tables, key = re.findall(r"\w[\w-]*", found[1])
            if not tables:  # at the top of a file all lists are of tables
                raise
            table: Any = fields
            for name in tables:
                table = table[int(name) if isinstance(table, list) else name]
            table[key] = [table[key]]
    return msgspec.convert(fields, kind)


def _parsed(path: Path, named_by: str = "check --config") -> tuple[str, dict[str, object]]:
    """Return the file's text and what it holds. Raises UsageError."""
    import tomllib  # for teams that have settings

    try:
        text = path.read_text("utf-8")
        fields = {
            key: value if key in _AS_WRITTEN else _visible(value) for key, value in tomllib.loads(text).items()
        }
    except OSError as error:
        raise UsageError(f"can't be read ({error.strerror})", path=str(path), hint=named_by) from error
    except UnicodeDecodeError as error:
        raise UsageError("is not UTF-8 text", path=path.name, hint="save it as UTF-8") from error
    except (ValueError, RecursionError) as error:  # a number of thousands of digits, tables without end
        what, _, rest = str(error).partition(" (at ")
        match = re.match(r"line (\d+)", rest)
        hint = "put texts in quotes and lists in [ ]; a table begins with [name]"
        what = f"is not proper TOML: {what[:1].lower()}{what[1:]}"
        raise UsageError(what, path=path.name, where=match[1] if match else "", hint=hint) from error
    return text, fields


def _visible(value: object) -> object:
    """Return a value whose texts show the pictures of their control characters, as those of results do."""
    if isinstance(value, dict):
        return {with_visible_controls(key): _visible(inner) for key, inner in value.items()}
    if isinstance(value, list):
        return list(map(_visible, value))
    return with_visible_controls(value) if isinstance(value, str) else value


def find_settings(named: str | None) -> Path | None:
    """Return the settings file that was named, or else the nearest one; None if there is none."""
    return Path(named) if named else _nearest(Path.cwd())


def _nearest(folder: Path) -> Path | None:
    """Return the nearest settings file from a folder up to the root of its repository."""
    for parent in (folder, *folder.parents):
        if (parent / NAME).is_file():
            return parent / NAME
        if (parent / ".git").exists():
            return None
    return None
