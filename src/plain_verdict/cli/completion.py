"""``plain-verdict completion``: what a shell needs to complete commands, options and their values."""

import argparse

from plain_verdict.cli import make_parser
from plain_verdict.cli.common import DONE, add_debug
from plain_verdict.cli.terminal import show
from plain_verdict.text.packages import require

SHELLS = ("bash", "zsh", "fish")
_FILES = ("FILE", "RESULTS", "PAGE", "SAMPLES", "NAME", "PLACE", "STORE")
_FOLDERS = ("FOLDER",)


def add_options(parser: argparse.ArgumentParser) -> None:
    """Add the command's options."""
    parser.add_argument("shell", choices=SHELLS, metavar="SHELL", help=f"one of {', '.join(SHELLS)}")
    add_debug(parser)


def run(options: argparse.Namespace) -> int:
    """Print the script."""
    require("shtab", "completion", "terminal")
    import shtab  # an extra

    parser = make_parser(whole=True)
    _complete_files(parser, shtab.FILE, shtab.DIRECTORY)
    show(shtab.complete(parser, options.shell))
    return DONE


def _complete_files(parser: argparse.ArgumentParser, file: object, folder: object) -> None:
    """Let what names a file be completed as one."""
    for action in parser._actions:
        if isinstance(action, argparse._SubParsersAction):
            for command in action.choices.values():
                _complete_files(command, file, folder)
        elif action.metavar in _FILES:
            action.complete = file  # type: ignore[attr-defined]  # as shtab looks for it
        elif action.metavar in _FOLDERS:
            action.complete = folder  # type: ignore[attr-defined]  # as above
