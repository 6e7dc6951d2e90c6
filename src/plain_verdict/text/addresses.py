"""Addresses that users write: what may be shown of them."""

import os
import re
from pathlib import Path
from urllib.parse import unquote, urlsplit

from plain_verdict.runtime.errors import UsageError
from plain_verdict.text.patterns import pattern

# A password after a colon; and before the host of a web address anything, as tokens stand there alone.
_PASSWORD = pattern(r"(?<=://)[^/?#@\s]*:[^/?#\s]*(?=@)|(?<=http://)[^/?#@\s]+(?=@)|(?<=https://)[^/?#@\s]+(?=@)")


_QUERY_VALUE = pattern(r"(?<=[?&;])([^=&;#\s?]{1,80}=)[^&;#\s]+")
_WITH_SECRET = pattern(r"pass|pwd|secret|token|credential|(?:^|_)key", re.IGNORECASE)


def way_to(path: Path, folder: Path) -> str:
    """Return the way from a folder to a file, with slashes; the file's address on another drive of Windows."""
    try:
        return Path(os.path.relpath(path, folder)).as_posix()
    except ValueError:  # no way leads from one drive to another
        return path.absolute().as_uri()


def without_password(text: str) -> str:
    """Return an address, or words with addresses in them, as it may be shown."""
    text = _PASSWORD.sub("***", text)
    return _QUERY_VALUE.sub(r"\1***", text) if "://" in text else text


def host_and_path(address: str) -> str:
    """Return an address with nothing but its scheme, host, port and path."""
    head, _, _ = address.partition("?")
    scheme, sign, rest = head.partition("#")[0].partition("://")
    return f"{scheme}{sign}{rest.rpartition('@')[2]}"


def secret_parameters(address: str) -> tuple[str, ...]:
    """Return the names in an address's query that mean a secret, read as libraries do: escapes resolved.

    Raises ValueError for what is not an address.
    """
    names = (pair.partition("=")[0] for pair in re.split("[&;]", urlsplit(address).query))
    return tuple(name for name in map(unquote, names) if _WITH_SECRET.search(name))


def refuse_password(text: str, where: str = "", hint: str = "") -> None:
    """Make sure that an address holds no password: it would stand in logs and histories. Raises UsageError."""
    if _PASSWORD.search(text):
        raise UsageError("has a password or a token in it", path=without_password(text), where=where, hint=hint)
