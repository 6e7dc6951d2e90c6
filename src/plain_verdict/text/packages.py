"""Packages that only some runs need."""

import importlib

from plain_verdict.runtime.errors import UsageError

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
        hint = f"pip install 'plain-verdict[{extra}]'{f', or {otherwise}' if otherwise else ''}"
        raise UsageError(f"{what} needs a package that is not installed", path=path, hint=hint) from error
