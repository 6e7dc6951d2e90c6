"""How the program was installed, and so how something is added to it."""

import json
import re
import sys
from collections import defaultdict
from importlib import metadata
from importlib.util import find_spec
from pathlib import Path
from urllib.parse import urlsplit
from urllib.request import url2pathname

_DISTRIBUTION = "plain-verdict"
_OF_EXTRA = re.compile(r"([\w.-]+).*\bextra == [\"']([\w-]+)[\"']")


def command_for(extra: str) -> str:
    """Return the command that adds an extra, for the way in which the program itself was installed."""
    environment = Path(sys.prefix)
    source, editable = _source()
    # Source: the files that pipx and uv keep in the environment of a tool
    if (environment / "pipx_metadata.json").is_file():
        return f"pipx runpip {_DISTRIBUTION} install {editable}'{source}[{extra}]'"
    if (environment / "uv-receipt.toml").is_file():  # a tool is installed anew, so with all that it has
        extras = ",".join(sorted({extra, *_installed_extras()}))
        # The recorder's wheel stands beside: no index needs to have it.
        beside = f"--find-links '{Path(source).parent}' " if source.endswith(".whl") else ""
        return f"uv tool install --force {beside}{editable}'{source}[{extras}]'"
    return f"{'pip' if find_spec('pip') else 'uv pip'} install {editable}'{source}[{extra}]'"


def _installed_extras() -> list[str]:
    """Return the extras whose packages are all installed."""
    needed: dict[str, list[str]] = defaultdict(list)
    for requirement in metadata.requires(_DISTRIBUTION) or ():
        if found := _OF_EXTRA.match(requirement):
            needed[found[2]].append(found[1])
    installed = {
        str(distribution.metadata["Name"]).lower().replace("_", "-") for distribution in metadata.distributions()
    }
    return [extra for extra, names in needed.items() if installed.issuperset(map(str.lower, names))]


def _source() -> tuple[str, str]:
    """Return what the program was installed from, and the option that goes before it. Source: PEP 610."""
    try:
        origin = json.loads(metadata.distribution(_DISTRIBUTION).read_text("direct_url.json") or "{}")
    except (metadata.PackageNotFoundError, ValueError):
        return _DISTRIBUTION, ""
    address = urlsplit(origin.get("url", ""))
    path = Path(url2pathname(address.path))
    if address.scheme != "file" or not path.exists():  # a wheel that is gone
        return _DISTRIBUTION, ""
    return str(path), "--editable " if origin.get("dir_info", {}).get("editable") else ""
