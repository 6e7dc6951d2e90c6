"""Takes from settings that nobody named what reaches beyond their repository.

A settings file that was found may come from the change under test. It may say how the page looks and what the
team's rules are. Where reports go, which variables are read, and which files outside its repository, only the
operator says: with ``--config`` or ``--trust-settings``.
"""

from collections.abc import Iterator
from pathlib import Path

import msgspec

from plain_verdict.settings.paths import with_paths
from plain_verdict.settings.schema import SettingsFile
from plain_verdict.text.patterns import pattern

REACH: tuple[tuple[str, ...], ...] = (
    *(("mail", key) for key in ("server", "send", "user_variable", "password_variable")),
    ("notify",),
    ("publish",),
    ("engine", "address"),
    ("facts_from_environment",),
    ("masking", "off"),
    ("report", "sign_with"),
)
"""Keys that only the operator may set; also any address, and any path outside the settings' repository."""
TRUST_VARIABLE = "PLAIN_VERDICT_TRUST"
HOW_TO_TRUST = "name the file with --config, or give --trust-settings"
_NOT_FIXED = pattern(r"[*?\[{]")


def without_reach(settings: SettingsFile, file: Path) -> tuple[SettingsFile, tuple[str, ...]]:
    """Return the settings of a file that was found without what they may not say, and the keys of that.

    Paths in them are seen from the working folder.
    """
    ignored: list[str] = []
    default = SettingsFile()
    for keys in REACH:
        if _value(settings, keys) != _value(default, keys):
            ignored.append(".".join(keys))
            settings = _with_value(settings, keys, _value(default, keys))
    folder = file.absolute().parent
    root = _root_of(folder)

    def inside(key: str, path: str) -> str:
        if "://" not in path and _stands_in(path, folder.resolve() if key == "history.store" else root):
            return path
        ignored.append(key)
        return ""

    settings = with_paths(settings, inside)
    return settings, tuple(dict.fromkeys(ignored))


def _value(table: object, keys: tuple[str, ...]) -> object:
    for key in keys:
        table = getattr(table, key)
    return table


def _with_value(settings: SettingsFile, keys: tuple[str, ...], value: object) -> SettingsFile:
    if len(keys) > 1:
        value = msgspec.structs.replace(getattr(settings, keys[0]), **{keys[1]: value})
    return msgspec.structs.replace(settings, **{keys[0]: value})


def _root_of(folder: Path) -> Path:
    """Return the root of the repository around a folder, links followed; the folder itself where there is none."""
    return next((parent for parent in (folder, *folder.parents) if (parent / ".git").exists()), folder).resolve()


def _stands_in(path: str, root: Path) -> bool:
    """Return whether a path, or a pattern of paths, can only lead into a folder, and not into git's own."""
    if any(part == ".." for part in _varying(path)):
        return False
    fixed = Path(*_fixed(path)).resolve()
    return fixed.is_relative_to(root) and ".git" not in (part.casefold() for part in fixed.parts)


def _fixed(path: str) -> Iterator[str]:
    """Yield the parts of a path before the first that a pattern or a placeholder varies."""
    for part in Path(path).parts:
        if _NOT_FIXED.search(part):
            return
        yield part


def _varying(path: str) -> tuple[str, ...]:
    return Path(path).parts[len(tuple(_fixed(path))) :]
