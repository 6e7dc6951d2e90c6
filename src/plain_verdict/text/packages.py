"""Packages that only some runs need."""

import importlib

from plain_verdict.runtime.errors import UsageError

_may_speak = [False]


def let_libraries_speak() -> None:
    """Let libraries log to the terminal: for those who look for a bug."""
    _may_speak[0] = True
    _log_above("NOTSET")


def quiet_libraries() -> None:
    """Let no library log to the terminal; what goes wrong is an error of ours, in words of ours."""
    if not _may_speak[0]:
        _log_above("CRITICAL")


def _log_above(level: str) -> None:
    import logging  # where libraries are used that log, and for those who look for a bug

    logging.disable(getattr(logging, level))


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
    from plain_verdict.text.installation import command_for  # for those who lack something

    return command_for(extra)
