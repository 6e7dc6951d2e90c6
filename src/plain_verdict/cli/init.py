"""``plain-verdict init``: a short settings file that fits what is here."""

import argparse
import os
import re
from pathlib import Path

from plain_verdict.cli.common import DONE, add_debug
from plain_verdict.cli.terminal import show
from plain_verdict.inputs.facts import remote_name
from plain_verdict.inputs.source import RESULT_SUFFIXES
from plain_verdict.readers import knows
from plain_verdict.runtime.errors import UsageError, WriteError
from plain_verdict.settings.loading import NAME

_LOGO = re.compile(r"(?:.*[-_ ])?logo(?:[-_ ].*)?\.(?:svg|png|webp|jpe?g)", re.IGNORECASE)
_DARK = re.compile(r"dark|white|negative|inverse", re.IGNORECASE)
_RESULT_SUFFIXES = (*RESULT_SUFFIXES, ".trx", ".sarif", ".subunit", ".csv", ".load", ".ttl")
_EVIDENCE = re.compile(
    r"(?:test[-_ ]?)?(?:screen[-_ ]?)?(?:shots?|evidence|captures?|attachments?|artifacts?|videos?|traces?)",
    re.IGNORECASE,
)
_EVIDENCE_SUFFIXES = (".png", ".jpg", ".jpeg", ".webp", ".webm", ".mp4", ".zip", ".har")
_MOST_ALONE = 5  # result files that are named one by one: of more, the folder is
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
    results, logos = _results(files, folder), _logos(files)
    evidence = [path.relative_to(folder).as_posix() for path in _evidence_folders(files)]
    text = _settings(_title(folder), [logo.relative_to(folder).as_posix() for logo in logos], evidence)
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
    for path in evidence:
        show(f"  evidence: {path}", "soft")
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


def _results(files: list[Path], folder: Path) -> list[Path]:
    """Return folders with files that a reader knows by their content, and such files of the folder itself."""
    known = [path for path in files if path.name.lower().endswith(_RESULT_SUFFIXES) and knows(path)]
    alone = [path for path in known if path.parent == folder]
    if len(alone) > _MOST_ALONE:
        return [folder]
    return [*alone, *_outermost({path.parent for path in known} - {folder})]


def _evidence_folders(files: list[Path]) -> list[Path]:
    """Return the folders of pictures, videos and traces that are named for such."""
    kept = [path.parent for path in files if path.suffix.lower() in _EVIDENCE_SUFFIXES]
    return _outermost(
        {folder for path in kept for folder in (path, *path.parents) if _EVIDENCE.fullmatch(folder.name)}
    )


def _outermost(folders: set[Path]) -> list[Path]:
    return [path for path in sorted(folders) if not any(other in path.parents for other in folders)]


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


def _settings(title: str, logos: list[str], evidence: list[str]) -> str:
    def pair(key: str, value: str) -> str:
        escaped = value.replace("\\", "\\\\").replace('"', '\\"')
        return f'{key} = "{escaped}"'

    logo = pair("logo", logos[0]) if logos else '# logo = "logo.svg"     # PNG, JPEG, WebP or SVG'
    look_in = ", ".join('"' + name.replace("\\", "\\\\").replace('"', '\\"') + '"' for name in evidence)
    found = (
        f"look_in = [{look_in}]"
        if evidence
        else '# look_in = ["screenshots"]   # folders of pictures, videos and logs'
    )
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

[evidence]
{found}

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
