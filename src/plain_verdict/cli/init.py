"""``plain-verdict init``: a short settings file that fits what is here."""

import argparse
import os
import re
from pathlib import Path

from plain_verdict.cli.common import DONE, add_debug
from plain_verdict.cli.terminal import show
from plain_verdict.inputs.facts import remote_name
from plain_verdict.readers import knows
from plain_verdict.runtime.errors import UsageError, WriteError
from plain_verdict.settings.loading import NAME

_LOGO = re.compile(r"(?:.*[-_ ])?logo(?:[-_ ].*)?\.(?:svg|png|webp|jpe?g)", re.IGNORECASE)
_DARK = re.compile(r"dark|white|negative|inverse", re.IGNORECASE)
_MOST_FILES = 20_000  # looked through for results: a home folder must not take minutes
_SKIPPED = {"node_modules", "venv", "site-packages", "__pycache__", "dist", "build"}


def add_options(parser: argparse.ArgumentParser) -> None:
    """Add the command's options."""
    parser.add_argument(
        "folder", nargs="?", default=".", metavar="FOLDER", help="folder (default: the current one)"
    )
    add_debug(parser)


def run(options: argparse.Namespace) -> int:
    """Write the settings and say what was found."""
    folder = Path(options.folder)
    target = folder / NAME
    files = _files(folder)
    results, logos = _result_folders(files), _logos(files)
    text = _settings(_title(folder), [logo.relative_to(folder).as_posix() for logo in logos])
    try:
        with target.open("x", encoding="utf-8") as file:
            file.write(text)
    except FileExistsError as error:
        raise UsageError("exists already", path=str(target), hint="change it, or remove it first") from error
    except OSError as error:
        raise WriteError(f"can't be written ({error.strerror})", path=str(target)) from error
    show(f"Wrote {target}")
    for logo in logos:
        show(f"  logo: {logo}", "soft")
    for result in results:
        show(f"  results: {result}", "soft")
    show(f"Next: plain-verdict report {' '.join(map(str, results)) or 'RESULTS'}")
    return DONE


def _files(folder: Path) -> list[Path]:
    found: list[Path] = []
    for current, folders, names in os.walk(folder):
        folders[:] = sorted(name for name in folders if not name.startswith(".") and name not in _SKIPPED)
        found += [Path(current, name) for name in sorted(names)]
        if len(found) > _MOST_FILES:
            break
    return found


def _result_folders(files: list[Path]) -> list[Path]:
    """Return the folders that hold files which a reader knows; told by their content, as always."""
    paths = {path.parent for path in files if path.suffix in (".xml", ".jsonl") and knows(path)}
    inner = sorted(paths)
    return [path for path in inner if not any(other != path and other in path.parents for other in inner)]


def _logos(files: list[Path]) -> list[Path]:
    """Return a logo, and one for dark pages, where files are named like that."""
    named = sorted((path for path in files if _LOGO.fullmatch(path.name)), key=lambda path: len(path.parts))
    plain = [path for path in named if not _DARK.search(path.stem)]
    dark = [path for path in named if _DARK.search(path.stem)]
    return [*plain[:1], *(dark[:1] if plain else [])]


def _title(folder: Path) -> str:
    """Return the name of the repository by its remote, or else of the folder."""
    name = remote_name(folder) or folder.resolve().name
    return re.sub(r"[-_.]+", " ", name).strip().capitalize() or "Check results"


def _settings(title: str, logos: list[str]) -> str:
    def pair(key: str, value: str) -> str:
        escaped = value.replace("\\", "\\\\").replace('"', '\\"')
        return f'{key} = "{escaped}"'

    logo = pair("logo", logos[0]) if logos else '# logo = "logo.svg"     # PNG, JPEG, WebP or SVG'
    dark = f"\n{pair('logo_dark', logos[1])}" if len(logos) > 1 else ""
    return f"""\
# Settings of Plain Verdict. Every key: docs/settings.md. Paths are relative to this file.

[report]
{pair("title", title)}
# out = "pages/{{date}}-{{time}}-{{verdict}}.html"
# latest = "latest.html"        # the newest page is kept under this name as well
# keep = 30                     # older pages go

[brand]
# organisation = "Your company"
{logo}{dark}
# accent = "#155e8a"

[facts]
# team = "booking desk"

[facts_from_environment]        # a fact's key and the variable that holds its value
# build = "BUILD_NUMBER"

# [[cause]]                     # a name and advice for failures with one reason
# name = "The fare service did not answer"
# match = {{ type = "TimeoutError" }}
# advice = "Restart it and run again."

# [[waiver]]                    # permission to fail until a day
# match = {{ check = "The name of a check" }}
# reason = "known, BQ-402"
# until = 2030-01-31

# [[condition]]                 # what the run must keep to be fit
# measure = "pass rate"
# at_least = "99 %"
"""
