"""Packages that only some runs need."""

import importlib

from plain_verdict.errors import UsageError


def require(package: str, what: str, extra: str, otherwise: str = "", path: str = "") -> None:
    """Make sure that a package is there for what the user wants. Raises UsageError, which says how to get it."""
    try:
        importlib.import_module(package)
    except ImportError as error:
        hint = f"pip install 'plain-verdict[{extra}]'{f', or {otherwise}' if otherwise else ''}"
        raise UsageError(f"{what} needs a package that is not installed", path=path, hint=hint) from error
