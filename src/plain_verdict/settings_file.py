"""Reads ``plain-verdict.toml``: checked whole, with errors that name key, line and the nearest right key."""

import re
import tomllib
from pathlib import Path

import msgspec

from plain_verdict.errors import UsageError
from plain_verdict.judge.conditions import check_condition
from plain_verdict.merging import check_template
from plain_verdict.settings import read_size
from plain_verdict.settings_errors import explain, with_line
from plain_verdict.settings_tables import (
    SettingsFile,
)

NAME = "plain-verdict.toml"


def read_settings(named: str | None) -> SettingsFile:
    """Return the settings of the file that was named, or of the nearest one, or the defaults. Raises UsageError."""
    path = find_settings(named)
    if path is None:
        return SettingsFile()
    try:
        text = path.read_text("utf-8")
        fields = tomllib.loads(text)
    except OSError as error:
        raise UsageError(f"can't be read ({error.strerror})", path=str(path), hint="check --config") from error
    except UnicodeDecodeError as error:
        raise UsageError("is not UTF-8 text", path=path.name, hint="save it as UTF-8") from error
    except tomllib.TOMLDecodeError as error:
        what, _, rest = str(error).partition(" (at ")
        place = re.match(r"line (\d+)", rest)
        hint = "texts stand in quotes, lists in [ ], tables begin with [name]"
        what = f"is not proper TOML: {what[:1].lower()}{what[1:]}"
        raise UsageError(what, path=path.name, where=place[1] if place else "", hint=hint) from error
    try:
        settings = msgspec.convert(fields, SettingsFile)
        _check(settings)
    except msgspec.ValidationError as error:
        raise explain(str(error), path.name, text) from error
    except UsageError as error:
        raise UsageError(error.what, path=path.name, where=with_line(text, error.where), hint=error.hint) from error
    return _relative_to(settings, path.parent)


def find_settings(named: str | None) -> Path | None:
    """Return the settings file that was named, or else the nearest one; None if there is none."""
    return Path(named) if named else _nearest(Path.cwd())


def _nearest(folder: Path) -> Path | None:
    """Return the nearest settings file from a folder up to the root of its repository."""
    for place in (folder, *folder.parents):
        if (place / NAME).is_file():
            return place / NAME
        if (place / ".git").exists():
            return None
    return None


def _relative_to(settings: SettingsFile, folder: Path) -> SettingsFile:
    """Return the settings with their paths seen from the working folder."""

    def seen(path: str) -> str:
        # Joined as text: a slash at the end means a folder, and Path would lose it.
        return path if not path or Path(path).is_absolute() or folder == Path() else f"{folder}/{path}"

    replace, report, brand = msgspec.structs.replace, settings.report, settings.brand
    paths = {key: seen(getattr(brand, key)) for key in ("logo", "logo_dark", "stylesheet")}
    return replace(
        settings,
        report=replace(report, out=seen(report.out)),
        mail=replace(settings.mail, file=seen(settings.mail.file)),
        brand=replace(brand, **paths),
        evidence=replace(settings.evidence, places=tuple(map(seen, settings.evidence.places))),
        input=replace(settings.input, retry=tuple(map(seen, settings.input.retry))),
    )


def _check(settings: SettingsFile) -> None:
    """Make sure that every value makes sense, before any work is done."""
    try:
        read_size(settings.evidence.size_limit)
    except UsageError as error:
        raise UsageError(error.what, where="evidence.size_limit", hint=error.hint) from error
    check_template(settings.input.variants_from)
    for number, pattern in enumerate(settings.masking.patterns):
        _check_pattern(f"/{pattern}/", f"masking.patterns[{number}]")
    matches = {f"cause[{number}].match": rule.match for number, rule in enumerate(settings.cause)}
    matches |= {f"waiver[{number}].match": rule.match for number, rule in enumerate(settings.waiver)}
    for name, match in matches.items():
        if not any(msgspec.structs.astuple(match)):
            raise UsageError("covers everything; give it a key to match", where=name)
        for key in match.__struct_fields__:
            _check_pattern(getattr(match, key), f"{name}.{key}")
    for number, waiver in enumerate(settings.waiver):
        if waiver.most is not None and waiver.most < 1:
            raise UsageError("covers nothing", where=f"waiver[{number}].most", hint="write most = 1 or more")
    if settings.input.expect_files is not None and settings.input.expect_files < 0:
        raise UsageError("is no number of files", where="input.expect_files", hint="write 1 or more")
    for number, condition in enumerate(settings.condition):
        try:
            check_condition(condition)
        except ValueError as error:
            key, _, what = str(error).partition(": ")
            raise UsageError(what, where=f"condition[{number}].{key}") from error


def _check_pattern(text: object, where: str) -> None:
    if isinstance(text, str) and len(text) > 2 and text.startswith("/") and text.endswith("/"):
        import regex

        try:
            regex.compile(text[1:-1])
        except regex.error as error:
            raise UsageError(f"is no regular expression: {error}", where=where) from error
