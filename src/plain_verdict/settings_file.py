"""Reads ``plain-verdict.toml``: checked whole, with errors that name the key and the nearest right one."""

import difflib
import re
import tomllib
from pathlib import Path
from typing import Literal

import msgspec

from plain_verdict.again import VARIANT_FACTS
from plain_verdict.errors import UsageError
from plain_verdict.judge.conditions import check_condition
from plain_verdict.rules import CauseRule, ConditionRule, Match, Rules, Scope, WaiverRule
from plain_verdict.settings import read_size

NAME = "plain-verdict.toml"
_UNKNOWN = re.compile(r"unknown field `([^`]*)`(?: - at `\$\.?([^`]*)`)?")
_PLACE = re.compile(r"(.*?)(?: - at `\$\.?([^`]*)`)?\Z", re.DOTALL)


class EvidenceTable(msgspec.Struct, frozen=True, forbid_unknown_fields=True, rename={"whose": "for"}):
    """``[evidence]``: where to look for it, whose goes in, how large the page may get."""

    places: tuple[str, ...] = ()
    """Folders, and templates like ``shots/{suite}/{check}*.png``; relative to the file."""
    whose: Literal["all", "failed", "none"] = "all"
    size_limit: str = "25MB"


class InputTable(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """``[input]``: what must arrive, and how old it may be."""

    expect: tuple[str, ...] = ()
    """Patterns of files, relative to the file, each of which must match at least one."""
    expect_files: int | None = None
    stale_after: str = "12h"
    newer_than: str = ""
    variants: tuple[str, ...] = VARIANT_FACTS
    """Facts, in lower case, under which the same check is a variant and not another attempt."""


class SettingsFile(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """All that the file may hold."""

    evidence: EvidenceTable = EvidenceTable()
    input: InputTable = InputTable()
    cause: tuple[CauseRule, ...] = ()
    waiver: tuple[WaiverRule, ...] = ()
    condition: tuple[ConditionRule, ...] = ()

    @property
    def rules(self) -> Rules:
        """Return the rules to judge by."""
        return Rules(self.cause, self.waiver, self.condition)


def read_settings(named: str | None) -> SettingsFile:
    """Return the settings of the file that was named, or of the nearest one, or the defaults. Raises UsageError."""
    path = Path(named) if named else _nearest(Path.cwd())
    if path is None:
        return SettingsFile()
    try:
        fields = tomllib.loads(path.read_text("utf-8"))
    except OSError as error:
        raise UsageError(f"can't be read ({error.strerror})", path=str(path), hint="check --config") from error
    except (tomllib.TOMLDecodeError, UnicodeDecodeError) as error:
        raise UsageError(f"is not proper TOML: {error}", path=path.name) from error
    try:
        settings = msgspec.convert(fields, SettingsFile)
        read_size(settings.evidence.size_limit)
    except msgspec.ValidationError as error:
        raise _explained(str(error), path.name) from error
    _check_rules(settings, path.name)
    places = tuple(str(path.parent / place) for place in settings.evidence.places)
    return msgspec.structs.replace(settings, evidence=msgspec.structs.replace(settings.evidence, places=places))


def _nearest(folder: Path) -> Path | None:
    """Return the nearest settings file from a folder up to the root of its repository."""
    for place in (folder, *folder.parents):
        if (place / NAME).is_file():
            return place / NAME
        if (place / ".git").exists():
            return None
    return None


def _check_rules(settings: SettingsFile, file: str) -> None:
    """Make sure that every rule makes sense, before any work is done."""
    matches = {f"cause[{number}].match": rule.match for number, rule in enumerate(settings.cause)}
    matches |= {f"waiver[{number}].match": rule.match for number, rule in enumerate(settings.waiver)}
    for name, match in matches.items():
        if not any(msgspec.structs.astuple(match)):
            raise UsageError("covers everything; give it a key to match", path=file, where=name)
        for key in match.__struct_fields__:
            _check_pattern(getattr(match, key), file, f"{name}.{key}")
    for number, condition in enumerate(settings.condition):
        try:
            check_condition(condition)
        except ValueError as error:
            key, _, what = str(error).partition(": ")
            raise UsageError(what, path=file, where=f"condition[{number}].{key}") from error


def _check_pattern(text: object, file: str, where: str) -> None:
    if isinstance(text, str) and len(text) > 2 and text.startswith("/") and text.endswith("/"):
        import regex

        try:
            regex.compile(text[1:-1])
        except regex.error as error:
            raise UsageError(f"is no regular expression: {error}", path=file, where=where) from error


def _explained(message: str, file: str) -> UsageError:
    unknown = _UNKNOWN.search(message)
    if unknown:
        table = unknown[2] or ""
        kind = _TABLES.get(re.sub(r"\[(?:\d+|\.\.\.)\]", "", table), SettingsFile)
        known = kind.__struct_encode_fields__
        near = difflib.get_close_matches(unknown[1], known, n=1, cutoff=0.5)
        hint = f"did you mean {near[0]!r}?" if near else f"known here: {', '.join(known)}"
        return UsageError(f"has a key that is not known, {unknown[1]!r}", path=file, where=table, hint=hint)
    place = _PLACE.match(message)
    what, where = (place[1], place[2] or "") if place else (message, "")
    return UsageError(what[:1].lower() + what[1:], path=file, where=where)


_TABLES: dict[str, type[msgspec.Struct]] = {
    "evidence": EvidenceTable,
    "input": InputTable,
    "cause": CauseRule,
    "waiver": WaiverRule,
    "condition": ConditionRule,
    "cause.match": Match,
    "waiver.match": Match,
    "condition.scope": Scope,
}
