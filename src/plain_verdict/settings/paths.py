"""The keys of the settings that hold paths and addresses of files: one table, for all who change or check them."""

import os
from collections.abc import Callable
from pathlib import Path

import msgspec

from plain_verdict.settings.schema import SettingsFile

Change = Callable[[str, str], str]
"""Takes a key and a path or an address, and gives another; "" takes it away."""

PATHS: tuple[tuple[str, ...], ...] = (
    *(
        ("report", key)
        for key in ("out", "tables", "charts", "earl", "digest", "junit", "markdown", "pdf", "attest")
    ),
    ("report", "outputs"),
    ("report", "sign_with"),
    ("report", "subjects"),
    *(("brand", key) for key in ("logo", "logo_dark", "stylesheet")),
    ("mail", "file"),
    ("evidence", "look_in"),
    ("masking", "values"),
    ("input", "retry"),
    ("input", "mappings"),
    *(("input", "kinds", key) for key in ("functional", "api", "load", "compliance")),
    ("requirements", "files"),
    ("history", "store"),
    ("history", "previous"),
    ("load", "baseline"),
    ("api", "document"),
)
_VARIABLE_PREFIX = "env:"


def with_paths(settings: SettingsFile, change: Change) -> SettingsFile:
    """Return the settings with every path and every address of files changed."""
    for keys in PATHS:
        settings = _changed(settings, keys, ".".join(keys), change)
    replace = msgspec.structs.replace
    return replace(
        settings,
        publish=tuple(
            replace(table, destination=_path(table.destination, "publish", change)) for table in settings.publish
        ),
        notify=tuple(replace(table, template=_path(table.template, "notify", change)) for table in settings.notify),
    )


def _changed(table: msgspec.Struct, keys: tuple[str, ...], name: str, change: Change) -> SettingsFile:
    """Return a table with the value at the end of its keys changed."""
    key, *rest = keys
    value = getattr(table, key)
    new: object
    if rest:
        new = _changed(value, tuple(rest), name, change)
    elif isinstance(value, tuple):
        new = tuple(filter(None, (_path(path, name, change) for path in value)))
    else:
        new = _path(value, name, change)
    return msgspec.structs.replace(table, **{key: new})  # type: ignore[return-value]  # the table's own type


def _path(text: str, name: str, change: Change) -> str:
    if name == "report.outputs" and "=" in text:  # NAME=FILE
        output, _, file = text.partition("=")
        changed = change(name, file)
        return f"{output}={changed}" if changed else ""
    if name == "report.subjects" and "=sha256:" in text:  # a hash, and no file
        return text
    return change(name, text) if text not in ("", "-") and not text.startswith(_VARIABLE_PREFIX) else text


def relative_to(settings: SettingsFile, folder: Path) -> SettingsFile:
    """Return the settings with their paths seen from the working folder."""

    def seen(_: str, path: str) -> str:
        # Joined as text: a slash at the end means a folder, and Path would lose it.
        is_whole = "://" in path or os.path.isabs(path) or folder == Path()  # noqa: PTH117  text, as said
        return path if is_whole else f"{folder}/{path}"

    return with_paths(settings, seen)
