"""Packages that only some runs need."""

import importlib
import json
import re
import sys
from collections import defaultdict
from importlib.util import find_spec
from pathlib import Path
from urllib.parse import urlsplit
from urllib.request import url2pathname

from plain_verdict.runtime.errors import UsageError

_NAME = "plain-verdict"
_OF_EXTRA = re.compile(r"([\w.-]+).*\bextra == [\"']([\w-]+)[\"']")
_may_speak = [False]


def let_libraries_speak() -> None:
    """Let libraries log to the terminal: for those who look for a bug."""
    import logging  # for those who look for a bug

    _may_speak[0] = True
    logging.disable(logging.NOTSET)


def quiet_libraries() -> None:
    """Let no library log to the terminal; what goes wrong is an error of ours, in words of ours."""
    import logging  # where libraries are used that log

    if not _may_speak[0]:
        logging.disable(logging.CRITICAL)


def require(package: str, what: str, extra: str, otherwise: str = "", path: str = "") -> None:
    """Make sure that a package is there for what the user wants. Raises UsageError, which says how to get it."""
    quiet_libraries()
    try:
        importlib.import_module(package)
    except ImportError as error:
        hint = f"{install_command(extra)}{f', or {otherwise}' if otherwise else ''}"
        raise UsageError(f"{what} needs a package that is not installed", path=path, hint=hint) from error


def install_command(extra: str) -> str:
    """Return the command that adds an extra, for the way in which the program itself was installed."""
    environment = Path(sys.prefix)
    source, editable = _source()
    # Source: the files that pipx and uv keep in the environment of a tool
    if (environment / "pipx_metadata.json").is_file():
        return f"pipx runpip {_NAME} install {editable}'{source}[{extra}]'"
    if (environment / "uv-receipt.toml").is_file():  # a tool is installed anew, so with all that it has
        return f"uv tool install --force {editable}'{source}[{','.join(sorted({extra, *_extras_here()}))}]'"
    return f"{'pip' if find_spec('pip') else 'uv pip'} install {editable}'{source}[{extra}]'"


def _extras_here() -> list[str]:
    """Return the extras whose packages are all here."""
    from importlib import metadata  # takes longer to import than most runs have use for it

    needed: dict[str, list[str]] = defaultdict(list)
    for requirement in metadata.requires(_NAME) or ():
        if found := _OF_EXTRA.match(requirement):
            needed[found[2]].append(found[1])
    here = {str(found.metadata["Name"]).lower().replace("_", "-") for found in metadata.distributions()}
    return [extra for extra, names in needed.items() if here.issuperset(map(str.lower, names))]


def _source() -> tuple[str, str]:
    """Return what the program was installed from, and the option that goes before it. Source: PEP 610."""
    from importlib import metadata  # as above

    try:
        origin = json.loads(metadata.distribution(_NAME).read_text("direct_url.json") or "{}")
    except (metadata.PackageNotFoundError, ValueError):
        return _NAME, ""
    address = urlsplit(origin.get("url", ""))
    path = Path(url2pathname(address.path))
    if address.scheme != "file" or not path.exists():  # a wheel that is gone
        return _NAME, ""
    return str(path), "--editable " if origin.get("dir_info", {}).get("editable") else ""
