"""Finds extensions: installed packages that add readers, outputs, sections, measures and mappings by entry points.

Sources: Python Packaging User Guide, "Entry points specification", "Recording installed projects" and "Core
metadata specifications". They are read here, as to import ``importlib.metadata`` takes a tenth of a small report.
"""

import contextlib
import importlib
import os
import sys
from collections.abc import Iterator, Sequence
from functools import cache
from pathlib import Path

import msgspec

from plain_verdict.runtime.errors import ExtensionError
from plain_verdict.runtime.guard import described

API_VERSION = 1
"""Of what extensions are given and what they return; it grows when an extension that worked must be changed."""
KINDS = ("readers", "writers", "sections", "measures", "mappings")
"""What an extension can add, as its groups of entry points end: ``plain_verdict.readers``."""
_AS_BYTES = getattr(os, "O_BINARY", 0)  # Windows would read a text, and end at a Ctrl-Z
_LIST_BYTES = 1 << 16  # of a list of entry points
_GROUP_PREFIX = "plain_verdict."
_NOUN_OF_KIND = {"writers": "output"}
HOW_TO_DO_WITHOUT = "ask the authors of the package, or give --no-extensions"


class Extension(msgspec.Struct, frozen=True, order=True):
    """An entry point of an installed package. ``value`` names its object, ``folder`` is where it was found."""

    kind: str
    name: str
    package: str
    version: str
    value: str
    folder: str

    @property
    def noun(self) -> str:
        """Return what it adds, in a word."""
        return _NOUN_OF_KIND.get(self.kind, self.kind.removesuffix("s"))

    @property
    def title(self) -> str:
        """Return what it is called in messages."""
        return f"the {self.noun} “{self.name}” of {self.package} {self.version}"


def find_extensions(kind: str = "") -> tuple[Extension, ...]:
    """Return the extensions that are installed, or those of a kind, in the order of kinds and names."""
    found = _found_on(tuple(sys.path))
    return tuple(extension for extension in found if kind in ("", extension.kind))


def find_named(kind: str, name: str) -> Extension | None:
    """Return the extension of a name, None where none is installed."""
    return next((extension for extension in find_extensions(kind) if extension.name == name), None)


@cache
def _found_on(path: tuple[str, ...]) -> tuple[Extension, ...]:
    found: dict[str, list[Extension]] = {}
    for folder in _folders(path):
        in_folder: dict[str, list[Extension]] = {}
        for extension in _found_in(folder):
            in_folder.setdefault(extension.package, []).append(extension)
        # Of a package that stands in two folders the first is imported.
        found = in_folder | found
    extensions = (extension for package in found.values() for extension in package)
    return tuple(sorted(extensions, key=lambda extension: (KINDS.index(extension.kind), extension)))


def _folders(path: tuple[str, ...]) -> Iterator[str]:
    """Yield the folders of a module search path, but the working folder: what lies there may come from anybody."""
    working_folder = Path.cwd()
    for entry in dict.fromkeys(path):
        folder = Path(entry)
        if entry and folder.is_dir() and folder.resolve() != working_folder:
            yield entry


def _found_in(folder: str) -> Iterator[Extension]:
    """Yield the extensions whose packages are in a folder. It may hold hundreds, of which few are extensions."""
    with contextlib.suppress(OSError):
        for name in os.listdir(folder):  # noqa: PTH208  names are all that is wanted of hundreds
            if name.endswith((".dist-info", ".egg-info")):
                data = _beginning(f"{folder}/{name}/entry_points.txt")
                if b"[plain_verdict." in data:
                    yield from _found_of(Path(folder, name), data.decode("utf-8", "replace"))


def _beginning(file: str) -> bytes:
    """Return what a small file holds, b"" where there is none: a tenth of the time that a Path takes for it."""
    try:
        opened = os.open(file, os.O_RDONLY | _AS_BYTES)
    except OSError:
        return b""
    try:
        return os.read(opened, _LIST_BYTES)
    finally:
        os.close(opened)


def _found_of(information: Path, text: str) -> Iterator[Extension]:
    """Yield the extensions of a package, by the folder of what is recorded of it and its entry points."""
    package, version = _identity(information)
    kind = ""
    for line in map(str.strip, text.splitlines()):
        if line.startswith("["):
            kind = line.strip("[]").removeprefix(_GROUP_PREFIX) if line.startswith(f"[{_GROUP_PREFIX}") else ""
        elif kind in KINDS and "=" in line and line[0] not in "#;":
            name, _, value = line.partition("=")
            yield Extension(kind, name.strip(), package, version, value.strip(), str(information.parent))


def _identity(information: Path) -> tuple[str, str]:
    """Return the name and version of a package. Its metadata are headers, as those of a mail."""
    headers: dict[str, str] = {}
    for name in ("METADATA", "PKG-INFO"):
        with contextlib.suppress(OSError):
            for line in (information / name).read_text("utf-8", "replace").splitlines():
                if not line:
                    break
                key, _, value = line.partition(":")
                headers.setdefault(key, value.strip())
    stem, _, version = information.stem.partition("-")
    return headers.get("Name", stem), headers.get("Version", version or "unknown")


def check_unique(extension: Extension) -> None:
    """Make sure that no other package adds the same name. Raises ExtensionError."""
    same = [other for other in find_extensions(extension.kind) if other.name == extension.name]
    if len(same) > 1:
        packages = " and ".join(f"{other.package} {other.version}" for other in same)
        raise ExtensionError(
            f"the {extension.noun} “{extension.name}” is in {packages}", hint="uninstall one of them"
        )


def load(extension: Extension, needs: Sequence[str] = ()) -> object:
    """Return the object that an extension names, a class as an instance of it, with all that it ``needs``.

    Raises ExtensionError.
    """
    check_unique(extension)
    module, _, names = extension.value.partition(":")
    with calling(extension):
        found: object = importlib.import_module(module.strip())
        for name in filter(None, names.partition("[")[0].strip().split(".")):
            found = getattr(found, name)
        version = getattr(found, "api_version", API_VERSION)
        if not isinstance(version, int) or version > API_VERSION:
            what = f"is for version {version} of the extension API; this program has {API_VERSION}"
            hint = "install a newer version of the program, or an older one of the package"
            raise ExtensionError(f"{extension.title} {what}", hint=hint)
        if isinstance(found, type):
            found = found()
        lacks = [name for name in needs if not hasattr(found, name)]
        if lacks:
            raise failed(extension, f"lacks {' and '.join(lacks)}")
    return found


@contextlib.contextmanager
def calling(extension: Extension) -> Iterator[None]:
    """Turn whatever an extension raises into an error in words, and keep what it prints out of the output.

    Raises ExtensionError.
    """
    try:
        with contextlib.redirect_stdout(sys.stderr):
            yield
    except ExtensionError:
        raise
    except (Exception, SystemExit) as error:
        raise failed(extension, f"failed ({described(error)})") from error


def failed(extension: Extension, what: str) -> ExtensionError:
    """Return the error of an extension that did not do what it is for."""
    return ExtensionError(f"{extension.title} {what}", hint=HOW_TO_DO_WITHOUT)
