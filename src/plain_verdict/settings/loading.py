"""Reads ``plain-verdict.toml``: checked whole, with errors that name key, line and the nearest right key."""

import re
from collections.abc import Callable, Iterator
from pathlib import Path

import msgspec

from plain_verdict.errors import UsageError
from plain_verdict.settings.errors import explain, with_line
from plain_verdict.settings.schema import KindsTable, SettingsFile
from plain_verdict.settings.shapes import Shape, ShapeFile

NAME = "plain-verdict.toml"


_WRITTEN = ("out", "tables", "charts", "earl", "digest", "junit", "markdown", "pdf")
RENAMED = {("masking", "leave"): "ignore", ("evidence", "places"): "look_in"}
"""Keys that had another name; the old one is still read, with a note, until the next version."""

Check = Callable[[SettingsFile], None]
"""Makes sure that settings make sense. Raises UsageError whose ``where`` names the key."""


class Settings(msgspec.Struct, frozen=True):
    """The settings, and notes on how they are written."""

    file: SettingsFile = SettingsFile()
    notes: tuple[str, ...] = ()


def read_settings(named: str | None, check: Check) -> Settings:
    """Return the settings of the file that was named, or of the nearest one, or the defaults. Raises UsageError."""
    path = find_settings(named)
    if path is None:
        return Settings()
    text, fields = _parsed(path)
    notes = tuple(_with_new_names(fields, path.name))
    try:
        settings = msgspec.convert(fields, SettingsFile)
        check(settings)
    except msgspec.ValidationError as error:
        raise explain(str(error), path.name, text) from error
    except UsageError as error:
        raise UsageError(error.what, path=path.name, where=with_line(text, error.where), hint=error.hint) from error
    return Settings(_relative_to(settings, path.parent), notes)


def read_shapes(name: str, check: Callable[[Shape, str], None], *, in_settings: bool = False) -> tuple[Shape, ...]:
    """Return the shapes of a file of their own; ``in_settings`` other settings may stand beside them.

    Raises UsageError.
    """
    path = Path(name)
    text, fields = _parsed(path, "check --shape and input.shapes")
    if in_settings:
        fields = {key: value for key, value in fields.items() if key == "shape"}
    try:
        shapes = msgspec.convert(fields, ShapeFile).shape
        for number, shape in enumerate(shapes):
            check(shape, f"shape[{number}]")
    except msgspec.ValidationError as error:
        raise explain(str(error), path.name, text) from error
    except UsageError as error:
        raise UsageError(error.what, path=path.name, where=with_line(text, error.where), hint=error.hint) from error
    if not shapes:
        raise UsageError("holds no shape", path=path.name, hint="begin one with [[shape]]; see docs/shapes.md")
    return shapes


def _with_new_names(fields: dict[str, object], file: str) -> Iterator[str]:
    """Give keys that have an old name their new one; yield a note on each."""
    for (table, old), new in RENAMED.items():
        inside = fields.get(table)
        if isinstance(inside, dict) and old in inside and new not in inside:
            inside[new] = inside.pop(old)
            until = "the old name is read until the next version"
            yield f"{file}: the key {table}.{old} is called {table}.{new} now; {until}."


def _parsed(path: Path, named_by: str = "check --config") -> tuple[str, dict[str, object]]:
    """Return the file's text and what it holds. Raises UsageError."""
    import tomllib  # for teams that have settings

    try:
        text = path.read_text("utf-8")
        fields = tomllib.loads(text)
    except OSError as error:
        raise UsageError(f"can't be read ({error.strerror})", path=str(path), hint=named_by) from error
    except UnicodeDecodeError as error:
        raise UsageError("is not UTF-8 text", path=path.name, hint="save it as UTF-8") from error
    except tomllib.TOMLDecodeError as error:
        what, _, rest = str(error).partition(" (at ")
        place = re.match(r"line (\d+)", rest)
        hint = "texts stand in quotes, lists in [ ], tables begin with [name]"
        what = f"is not proper TOML: {what[:1].lower()}{what[1:]}"
        raise UsageError(what, path=path.name, where=place[1] if place else "", hint=hint) from error
    return text, fields


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
        return path if path in ("", "-") or Path(path).is_absolute() or folder == Path() else f"{folder}/{path}"

    replace, report, brand = msgspec.structs.replace, settings.report, settings.brand
    paths = {key: seen(getattr(brand, key)) for key in ("logo", "logo_dark", "stylesheet")}
    return replace(
        settings,
        report=replace(report, **{key: seen(getattr(report, key)) for key in _WRITTEN}),
        mail=replace(settings.mail, file=seen(settings.mail.file)),
        publish=tuple(
            one if "://" in one.place else replace(one, place=seen(one.place)) for one in settings.publish
        ),
        notify=tuple(replace(one, template=seen(one.template)) for one in settings.notify),
        brand=replace(brand, **paths),
        evidence=replace(settings.evidence, look_in=tuple(map(seen, settings.evidence.look_in))),
        input=replace(
            settings.input,
            retry=tuple(map(seen, settings.input.retry)),
            shapes=tuple(map(seen, settings.input.shapes)),
            kinds=KindsTable(*(tuple(map(seen, paths)) for paths in msgspec.structs.astuple(settings.input.kinds))),
        ),
        requirements=replace(settings.requirements, files=tuple(map(seen, settings.requirements.files))),
        history=replace(
            settings.history,
            store=settings.history.store if "://" in settings.history.store else seen(settings.history.store),
            earlier=tuple(map(seen, settings.history.earlier)),
        ),
        load=replace(settings.load, baseline=tuple(map(seen, settings.load.baseline))),
        api=replace(settings.api, document=seen(settings.api.document)),
    )
