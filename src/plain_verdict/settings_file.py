"""Reads ``plain-verdict.toml``: checked whole, with errors that name key, line and the nearest right key."""

import difflib
import re
import tomllib
from pathlib import Path

import msgspec

from plain_verdict.errors import UsageError
from plain_verdict.judge.conditions import check_condition
from plain_verdict.merging import check_template
from plain_verdict.rules import CauseRule, ConditionRule, Match, Scope, WaiverRule
from plain_verdict.settings import read_size
from plain_verdict.settings_tables import (
    BrandTable,
    EvidenceTable,
    InputTable,
    MailTable,
    MaskingTable,
    ReportTable,
    SettingsFile,
)

NAME = "plain-verdict.toml"
_UNKNOWN = re.compile(r"unknown field `([^`]*)`(?: - at `\$\.?([^`]*)`)?")
_PLACE = re.compile(r"(.*?)(?: - at `\$\.?([^`]*)`)?\Z", re.DOTALL)


def read_settings(named: str | None) -> SettingsFile:
    """Return the settings of the file that was named, or of the nearest one, or the defaults. Raises UsageError."""
    path = Path(named) if named else _nearest(Path.cwd())
    if path is None:
        return SettingsFile()
    try:
        text = path.read_text("utf-8")
        fields = tomllib.loads(text)
    except OSError as error:
        raise UsageError(f"can't be read ({error.strerror})", path=str(path), hint="check --config") from error
    except (tomllib.TOMLDecodeError, UnicodeDecodeError) as error:
        raise UsageError(f"is not proper TOML: {error}", path=path.name) from error
    try:
        settings = msgspec.convert(fields, SettingsFile)
        _check(settings)
    except msgspec.ValidationError as error:
        raise _explained(str(error), path.name, text) from error
    except UsageError as error:
        raise UsageError(
            error.what, path=path.name, where=_with_line(text, error.where), hint=error.hint
        ) from error
    return _relative_to(settings, path.parent)


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


def _explained(message: str, file: str, text: str) -> UsageError:
    unknown = _UNKNOWN.search(message)
    if unknown:
        table = unknown[2] or ""
        kind = _TABLES.get(re.sub(r"\[(?:\d+|\.\.\.)\]", "", table), SettingsFile)
        known = kind.__struct_encode_fields__
        near = difflib.get_close_matches(unknown[1], known, n=1, cutoff=0.5)
        hint = f"did you mean {near[0]!r}?" if near else f"known here: {', '.join(known)}"
        where = _with_line(text, f"{table}.{unknown[1]}".lstrip("."), shown=table)
        return UsageError(f"has a key that is not known, {unknown[1]!r}", path=file, where=where, hint=hint)
    place = _PLACE.match(message)
    what, where = (place[1], place[2] or "") if place else (message, "")
    return UsageError(what[:1].lower() + what[1:], path=file, where=_with_line(text, where))


def _with_line(text: str, key: str, shown: str | None = None) -> str:
    """Return a key's place as ``line 4: report.out``; without the line where it can't be told."""
    shown = key if shown is None else shown
    line = _line_of(text, key)
    return ": ".join(part for part in (f"line {line}" if line else "", shown) if part)


def _line_of(text: str, key: str) -> int | None:
    """Return the line of a key like ``cause[2].match``, or of the nearest key around it."""
    best, nearest, table = 0, None, ""
    counts: dict[str, int] = {}
    for number, line in enumerate(text.split("\n"), 1):
        many = re.match(r"\s*\[\[\s*([\w.-]+)\s*\]\]", line)
        one = re.match(r"\s*\[\s*([\w.-]+)\s*\]", line)
        pair = re.match(r"""\s*["']?([\w-]+)["']?\s*=""", line)
        if many:
            counts[many[1]] = counts.get(many[1], -1) + 1
            table = here = f"{many[1]}[{counts[many[1]]}]"
        elif one:
            table = here = one[1]
        elif pair:
            here = f"{table}.{pair[1]}".lstrip(".")
        else:
            continue
        if len(here) > best and (key == here or key.startswith((f"{here}.", f"{here}["))):
            best, nearest = len(here), number
    return nearest


_TABLES: dict[str, type[msgspec.Struct]] = {
    "report": ReportTable,
    "brand": BrandTable,
    "mail": MailTable,
    "masking": MaskingTable,
    "evidence": EvidenceTable,
    "input": InputTable,
    "cause": CauseRule,
    "waiver": WaiverRule,
    "condition": ConditionRule,
    "cause.match": Match,
    "waiver.match": Match,
    "condition.scope": Scope,
}
