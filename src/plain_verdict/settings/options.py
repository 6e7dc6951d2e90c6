"""Options of the command line that set a key of the settings. Each is declared once, with its key in ``schema``."""

import typing
from collections.abc import Iterator, Mapping
from enum import StrEnum
from functools import cache
from typing import NamedTuple

import msgspec

from plain_verdict.settings.choices import Option
from plain_verdict.settings.schema import SettingsFile


class Declared(NamedTuple):
    """An option with the key that it sets and the key's type."""

    table: str
    key: str
    option: Option
    kind: object

    @property
    def name(self) -> str:
        """Return the option as the parser calls it: ``--evidence-for`` is ``evidence_for``."""
        return self.option.flag.removeprefix("--").replace("-", "_")

    @property
    def takes_empty(self) -> bool:
        """Return whether an empty text takes away what the settings give; elsewhere it leaves them as they are.

        Pipelines pass variables that may be unset: one must not take the store, the baseline or the limits away.
        """
        return self.table in ("report", "brand", "mail") and self.key != "time_zone"

    @property
    def choices(self) -> tuple[str, ...]:
        """Return the values that it may have; none where any text is one."""
        is_closed = isinstance(self.kind, type) and issubclass(self.kind, StrEnum)
        return tuple(value.value for value in self.kind) if is_closed else ()  # type: ignore[attr-defined]  # an enum


@cache
def declared_options() -> Mapping[str, Declared]:
    """Return all declared options by their key, like ``report.out``, in the order of the settings."""
    return {f"{found.table}.{found.key}": found for found in _options()}


def _options() -> Iterator[Declared]:
    for table, kind in typing.get_type_hints(SettingsFile).items():
        if not (isinstance(kind, type) and issubclass(kind, msgspec.Struct)):
            continue
        for key, hint in typing.get_type_hints(kind, include_extras=True).items():
            for declared in getattr(hint, "__metadata__", ()):
                if isinstance(declared, Option):
                    yield Declared(table, key, declared, typing.get_args(hint)[0])


def with_options(file: SettingsFile, given: Mapping[str, Mapping[str, object]]) -> SettingsFile:
    """Return the settings with the values that the command line gives, by table and key."""
    for table, values in given.items():
        hints = typing.get_type_hints(type(getattr(file, table)))
        converted = {key: msgspec.convert(value, hints[key]) for key, value in values.items()}
        file = msgspec.structs.replace(file, **{table: msgspec.structs.replace(getattr(file, table), **converted)})
    return file
