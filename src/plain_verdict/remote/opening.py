"""Opens a place by its address: which kind of place takes which."""

import os
from pathlib import Path
from urllib.parse import unquote, urlsplit

from plain_verdict.remote.folder import FolderDestination
from plain_verdict.remote.interface import Destination
from plain_verdict.remote.repository import RepositoryDestination
from plain_verdict.remote.store import StoreDestination
from plain_verdict.remote.web import WebDestination
from plain_verdict.text.addresses import refuse_password


def is_remote(text: str) -> bool:
    """Return whether an argument is an address, not a path: of a place that has to be reached."""
    scheme, sign, _ = text.partition("://")
    return bool(sign) and scheme.replace("+", "").isalnum() and not os.path.lexists(text)


def open_destination(text: str) -> Destination:
    """Return the place that an address or a path means. Raises UsageError."""
    scheme = text.partition("://")[0] if is_remote(text) else ""
    refuse_password(text, hint="credentials come from git, ~/.netrc or the store's own variables")
    if not scheme:
        return FolderDestination(Path(text).absolute())
    if scheme == "file":
        return FolderDestination(Path(unquote(urlsplit(text).path)))
    if scheme.startswith("git+"):
        return RepositoryDestination(text)
    if scheme in ("https", "http"):
        return WebDestination(text)

    return StoreDestination(text)
