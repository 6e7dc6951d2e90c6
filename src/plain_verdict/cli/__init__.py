"""The command line: parses arguments, prints, exits. Heavy modules are imported when a command needs them."""

import argparse
import gc
import sys
from collections.abc import Sequence

from plain_verdict import __version__
from plain_verdict.cli import demo, init, inspect, judge, record, report
from plain_verdict.cli.terminal import show_error
from plain_verdict.errors import PlainVerdictError

COMMANDS = (report, judge, inspect, init, record, demo)

EXIT_CODES = """\
exit codes:
  0  done
  1  the verdict is not "fit" and --enforce was given
  2  wrong usage
  3  nothing could be read
  4  part of the input could not be read and --strict was given
"""
_USAGE = 2
_INTERRUPTED = 130
_BUG = 70  # EX_SOFTWARE in sysexits.h


def make_parser() -> argparse.ArgumentParser:
    """Return the parser of the whole command line."""
    parser = argparse.ArgumentParser(
        prog="plain-verdict",
        description="Reads the result files of check runs and writes one HTML page with a verdict in plain words.",
        epilog=EXIT_CODES,
        formatter_class=argparse.RawDescriptionHelpFormatter,
    )
    parser.add_argument("--version", action="version", version=f"plain-verdict {__version__}")
    commands = parser.add_subparsers(dest="command", required=True, metavar="COMMAND", title="commands")
    for command in COMMANDS:
        command.add_to(commands)
    return parser


def main(arguments: Sequence[str] | None = None) -> int:
    """Run the command line and return its exit code."""
    for stream in (sys.stdout, sys.stderr):
        if hasattr(stream, "reconfigure"):
            stream.reconfigure(errors="backslashreplace")  # a narrow terminal encoding must not end the run
    options = make_parser().parse_args(arguments)
    # What is read stays to the end and has no cycles; looking through it again and again is a seventh of the time.
    gc.disable()
    try:
        return int(options.run(options))
    except PlainVerdictError as error:
        if options.debug:
            raise
        show_error(error)
        return _USAGE
    except KeyboardInterrupt:
        return _INTERRUPTED
    except BrokenPipeError:
        # Whoever read the output has gone; there is nobody left to tell.
        sys.stderr.close()
        return 0
    except Exception as error:
        if options.debug:
            raise
        show_error(
            PlainVerdictError(
                f"{type(error).__name__}: {error}", hint="this is a bug; run again with --debug and report it"
            )
        )
        return _BUG
    finally:
        gc.enable()
