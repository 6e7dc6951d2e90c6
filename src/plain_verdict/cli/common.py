"""What all commands share, light enough for those that must begin at once."""

import argparse

DONE, NOT_FIT, NOTHING_READ, PARTLY_READ, NOT_PASSED_ON = 0, 1, 3, 4, 5
DIFFERS = NOT_FIT
"""Exit codes."""


def add_debug(parser: argparse.ArgumentParser) -> None:
    """Add the option that every command has."""
    parser.add_argument(
        "--debug",
        action="store_true",
        default=argparse.SUPPRESS,
        help="show where in the program an error occurred",
    )
