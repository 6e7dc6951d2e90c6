"""``plain-verdict record``: the command of the recorder, for those who have the whole program."""

import argparse

from plain_verdict.cli.common import DONE, add_debug
from plain_verdict.cli.terminal import show
from plain_verdict.runtime.errors import UsageError
from plain_verdict_recorder import command


def add_options(parser: argparse.ArgumentParser) -> None:
    """Add an action for each kind of line."""
    command.add_options(parser, add_debug)


def run(options: argparse.Namespace) -> int:
    """Append one line to the record."""
    try:
        printed = command.run(options)
    except command.CommandError as error:
        raise UsageError(error.what, path=error.path, hint=error.hint) from error
    if printed:
        show(printed, is_program_text=True)
    return DONE
