"""The list of tables in a folder, with their columns, as other tools read it.

Source: Data Package, Data Resource and Table Schema, version 1 (specs.frictionlessdata.io).
"""

from collections.abc import Collection, Iterable
from datetime import datetime

import msgspec

from plain_verdict.settings.choices import TablesAs
from plain_verdict.writers.tables.interface import Column, Holds

PACKAGE = "datapackage.json"
_MADE_BY = "plain-verdict"
_TABLE_SUFFIXES = (".csv", ".parquet")


class TableFile(msgspec.Struct, frozen=True):
    """A table that was written."""

    name: str
    about: str
    columns: tuple[Column, ...]
    how: TablesAs

    @property
    def path(self) -> str:
        """Return the name of its file."""
        return f"{self.name}{'.parquet' if self.how is TablesAs.PARQUET else '.csv'}"


class _Resource(msgspec.Struct):
    path: str = ""


class _Package(msgspec.Struct):
    sources: list[dict[str, str]] = []
    resources: list[_Resource] = []


def describe(title: str, made: datetime, files: Iterable[TableFile]) -> bytes:
    """Return the list."""
    package = {
        "profile": "data-package",
        "name": "run",
        "title": title,
        "created": made.isoformat(),
        "sources": [{"title": _MADE_BY}],
        "resources": [_resource(file) for file in files],
    }
    return msgspec.json.format(msgspec.json.encode(package), indent=2) + b"\n"


def _resource(file: TableFile) -> dict[str, object]:
    parquet = file.how is TablesAs.PARQUET
    properties: dict[str, object] = {"format": "parquet", "mediatype": "application/vnd.apache.parquet"}
    if not parquet:
        properties = {
            "format": "csv",
            "mediatype": "text/csv",
            "encoding": "utf-8",
            "dialect": {"lineTerminator": "\r\n"},
        }
    return {
        "profile": "data-resource" if parquet else "tabular-data-resource",
        "name": file.name,
        "path": file.path,
        "description": file.about,
        **properties,
        "schema": {"fields": [_field(column, parquet=parquet) for column in file.columns], "missingValues": [""]},
    }


def _field(column: Column, *, parquet: bool) -> dict[str, object]:
    field: dict[str, object] = {"name": column.name, "type": column.holds.value, "description": column.about}
    if column.holds is Holds.FLAG and not parquet:
        field |= {"trueValues": ["yes"], "falseValues": ["no"]}
    if column.holds is Holds.MOMENT:
        field["format"] = "any"  # ISO 8601 with an offset, or without one where results tell none
    return field


def tables_listed(data: bytes, known: Collection[str]) -> frozenset[str]:
    """Return the files that an earlier list of ours names: tables of ours, and nothing else."""
    try:
        package = msgspec.json.decode(data, type=_Package)
    except msgspec.MsgspecError:
        return frozenset()
    if {"title": _MADE_BY} not in package.sources:
        return frozenset()
    ours = {f"{name}{suffix}" for name in known for suffix in _TABLE_SUFFIXES}
    return frozenset(resource.path for resource in package.resources if resource.path in ours)
