"""The command line: parses arguments, prints, exits. Heavy modules are imported when a command needs them."""

import argparse
import difflib
import gc
import os
import re
import signal
import sys
import threading
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from typing import NoReturn

from plain_verdict import __version__
from plain_verdict.cli import check, demo, init, inspect, judge, record, report
from plain_verdict.cli.terminal import Progress, flush, show_error
from plain_verdict.errors import PlainVerdictError, WriteError
from plain_verdict.text import one_line

COMMANDS = (report, judge, inspect, check, init, record, demo)

EXIT_CODES = """\
exit codes:
  0  done
  1  the verdict is not "fit", for "judge" and with --enforce
  2  wrong usage or settings, or what was asked for could not be written
  3  nothing could be read; no page is written
  4  part of the input could not be read and --strict was given (with --enforce, 1 comes first)
  70  a bug of this program
  130  it was interrupted or stopped
"""
_USAGE = 2
_INTERRUPTED = 130
_BUG = 70  # EX_SOFTWARE in sysexits.h


class Parser(argparse.ArgumentParser):
    """A parser whose errors are one line that says what is wrong, and one that says what to do."""

    def error(self, message: str) -> NoReturn:
        """Say what is wrong with the arguments, and end."""
        what, hint = self._in_words(message)
        show_error(PlainVerdictError(what, hint=hint or f"{self.prog} --help says what there is"))
        raise SystemExit(_USAGE)

    def _in_words(self, message: str) -> tuple[str, str]:
        choice = re.match(r"argument ([^:]+): invalid choice: '?(.*?)'? \(choose from (.*)\)$", message)
        if choice:
            allowed = [word.strip(" '") for word in choice[3].split(",")]
            near = difflib.get_close_matches(choice[2], allowed, n=1, cutoff=0.5)
            named = choice[1].split("/")[-1]
            what = f"{choice[2]!r} is no command" if named == "COMMAND" else f"{named} can't be {choice[2]!r}"
            return (
                what,
                f"did you mean {near[0]}?" if near and named == "COMMAND" else f"it is one of {', '.join(allowed)}",
            )
        unknown = re.match(r"unrecognized arguments: (.*)", message)
        if unknown:
            option = unknown[1].split()[0].split("=")[0]
            near = difflib.get_close_matches(option, self._options(), n=1, cutoff=0.6)
            return f"{option} is not known here", f"did you mean {near[0]}?" if near else ""
        number = re.match(r"argument ([^:]+): invalid int value: (.*)", message)
        if number:
            return f"{number[1]} must be a whole number, and is {number[2]}", ""
        required = re.match(r"the following arguments are required: (.*)", message)
        if required:
            return f"{required[1]} is missing", ""
        return message.removeprefix("argument "), ""

    def _options(self) -> list[str]:
        """Return the options of this parser and of its commands."""
        names: list[str] = []
        for action in self._actions:
            names += action.option_strings
            if isinstance(action, argparse._SubParsersAction):
                for command in action.choices.values():
                    names += command._options()
        return names


def make_parser() -> argparse.ArgumentParser:
    """Return the parser of the whole command line."""
    parser = Parser(
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
        with _ended_alike():
            code = _run(options)
    finally:
        gc.enable()
    code = flush(code)
    if code == _INTERRUPTED and arguments is None:
        # A pool of helpers that was stopped while it started waits for ever when Python ends.
        os._exit(code)
    return code


def _run(options: argparse.Namespace) -> int:
    try:
        return int(options.run(options))
    except PlainVerdictError as error:
        if options.debug:
            raise
        show_error(error)
        return _USAGE
    except KeyboardInterrupt:
        return _INTERRUPTED
    except OSError as error:
        # The system refuses something that no step could say more about: a name too long, no room left.
        if options.debug:
            raise
        path = one_line(str(error.filename or ""), 300)
        show_error(WriteError(f"the system refuses it ({error.strerror or error})", path=path))
        return _USAGE
    except Exception as error:
        if options.debug:
            raise
        show_error(
            PlainVerdictError(
                f"{type(error).__name__}: {error}", hint="this is a bug; run again with --debug and report it"
            )
        )
        return _BUG


@contextmanager
def _ended_alike() -> Iterator[None]:
    """Let a job that is stopped, or whose terminal goes, end like one that is interrupted: nothing half is left."""
    if threading.current_thread() is not threading.main_thread():
        yield  # only the main thread may say what signals do
        return
    names = [name for name in ("SIGTERM", "SIGHUP") if hasattr(signal, name)]
    Progress.stopped = False
    before = {number: signal.signal(number, _interrupt) for number in (getattr(signal, name) for name in names)}
    try:
        yield
    finally:
        for number, handler in before.items():
            signal.signal(number, handler)


def _interrupt(_number: int, _frame: object) -> None:
    # Where Python runs a callback of its own, an exception is dropped; the next step of the work raises it again.
    Progress.stopped = True
    raise KeyboardInterrupt
