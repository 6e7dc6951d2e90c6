"""The command line: parses arguments, prints, exits. A command's module is imported when it is called."""

import argparse
import difflib
import gc
import importlib
import os
import re
import signal
import sys
import threading
import warnings
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from typing import NamedTuple, NoReturn

from plain_verdict import __version__
from plain_verdict.cli.terminal import Progress, flush, show_error, show_logged_bugs, show_trace
from plain_verdict.errors import PlainVerdictError, WriteError
from plain_verdict.text.cleaning import one_line
from plain_verdict.text.packages import let_libraries_speak


class Command(NamedTuple):
    """A command: its name, which is its module's as well, a few words for the list of all, and what it does."""

    name: str
    help: str
    description: str


COMMANDS = (
    Command(
        "report",
        "read result files and write the page",
        "Read result files and write one HTML page with the verdict.",
    ),
    Command(
        "judge",
        "print the verdict, and exit with 1 when it is not fit",
        'Print the verdict and exit with 1 when it is not "fit". Writes nothing.',
    ),
    Command(
        "inspect",
        "say what each file is and what is odd about it",
        "Say what each file is, what it holds, and what is odd about it. Writes nothing.",
    ),
    Command(
        "history",
        "say what earlier builds were, and what changed",
        "Say what earlier builds were and what changed between two; keep runs in a store, or remove old ones.",
    ),
    Command(
        "check",
        "check the settings and the brand, without results",
        "Check the settings, and what they name: logo, stylesheet, folders, addresses. Reads no results.",
    ),
    Command(
        "init",
        "write a settings file that fits what is here",
        "Write a short plain-verdict.toml, with comments, that fits what is found here.",
    ),
    Command(
        "record",
        "write a record of checks and steps from a script",
        "Write a record line by line. What begins a check or a step prints its id, for the lines that follow.",
    ),
    Command(
        "condense",
        "make samples of a load run one small file",
        "Write what counts of the samples of a load run as one small file; report adds those of many machines.",
    ),
    Command(
        "decide",
        "decide what needs a person, check by check",
        "Go through the checks that need a person, one by one, and write what is decided for the next report.",
    ),
    Command(
        "shape",
        "draft a shape for a result file in a form of its own",
        "Draft a shape, our description of result files in any JSON, XML or CSV form; or show how one fits a file.",
    ),
    Command(
        "shelf",
        "write one page over all pages of a folder",
        "Write index.html over the pages in a folder, by series and newest first, and a feed of the newest.",
    ),
    Command(
        "completion",
        "print what a shell needs to complete this program's options",
        'Print a script for bash, zsh or fish: eval "$(plain-verdict completion bash)".',
    ),
    Command(
        "demo",
        "write demo results and the page made from them",
        "Write the demo results of a made-up ferry company, and the page made from them.",
    ),
)

EXIT_CODES = """\
exit codes:
  0  done
  1  the verdict is not "fit", for "judge" and with --enforce
  2  wrong usage or settings, or what was asked for could not be written
  3  nothing could be read; no page is written
  4  part of the input could not be read and --strict was given (with --enforce, 1 comes first)
  5  the page was written, but did not get everywhere: mail, a notice or a place failed, or history.must is set
     and earlier runs could not be read or this one not be kept
  70  a bug of this program
  130  it was interrupted or stopped
"""
_USAGE = 2
_INTERRUPTED = 130
_BUG = 70  # EX_SOFTWARE in sysexits.h


class Parser(argparse.ArgumentParser):
    """A parser whose errors are one line that says what is wrong, and one that says what to do.

    That of a command gets its options from the command's module once the command is called.
    """

    command = ""

    def parse_known_args(  # type: ignore[override]  # the program has no namespace of another type
        self, args: Sequence[str] | None = None, namespace: argparse.Namespace | None = None
    ) -> tuple[argparse.Namespace, list[str]]:
        """Parse arguments, with the command's own options."""
        self.take_options()
        return super().parse_known_args(args, namespace)

    def take_options(self) -> None:
        """Take the options of the command's module, once."""
        if self.command:
            module = importlib.import_module(f"plain_verdict.cli.{self.command}")
            self.command = ""
            module.add_options(self)
            self.set_defaults(run=module.run)

    def error(self, message: str) -> NoReturn:
        """Say what is wrong with the arguments, and end."""
        what, hint = self._in_words(message)
        show_error(PlainVerdictError(what, hint=hint or f"{self.prog} --help says what there is"))
        raise SystemExit(_USAGE)

    def _in_words(self, message: str) -> tuple[str, str]:
        choice = re.match(r"argument ([^:]+): invalid choice: '?(.*?)'? \(choose from (.*)\)$", message)
        if choice:
            return self._wrong_choice(*choice.groups())
        unknown = re.match(r"unrecognized arguments: (.*)", message)
        if unknown:
            option = unknown[1].split()[0].split("=")[0]
            near = difflib.get_close_matches(option, self._options(), n=1, cutoff=0.6)
            return f"{option} is not known here", f"did you mean {near[0]}?" if near else ""
        number = re.match(r"argument ([^:]+): invalid int value: (.*)", message)
        if number:
            return f"{number[1]} must be a whole number, and is {number[2]}", ""
        required = re.match(r"the following arguments are required: (.*)", message)
        return (f"{required[1]} is missing" if required else message.removeprefix("argument ")), ""

    @staticmethod
    def _wrong_choice(argument: str, value: str, choices: str) -> tuple[str, str]:
        allowed = [word.strip(" '") for word in choices.split(",")]
        near = difflib.get_close_matches(value, allowed, n=1, cutoff=0.5)
        name = argument.split("/")[-1]
        if name != "COMMAND":
            return f"{name} can't be {value!r}", f"it is one of {', '.join(allowed)}"
        return (
            f"{value!r} is no command",
            f"did you mean {near[0]}?" if near else f"it is one of {', '.join(allowed)}",
        )

    def _options(self) -> list[str]:
        """Return the options of this parser and of its commands."""
        names: list[str] = []
        for action in self._actions:
            names += action.option_strings
            if isinstance(action, argparse._SubParsersAction):
                for command in action.choices.values():
                    names += command._options()
        return names


def make_parser(*, whole: bool = False) -> argparse.ArgumentParser:
    """Return the parser of the command line; ``whole``: with the options of all commands, which takes a while."""
    parser = Parser(
        prog="plain-verdict",
        description="Reads the result files of check runs and writes one HTML page with a verdict in plain words.",
        epilog=EXIT_CODES,
        formatter_class=argparse.RawDescriptionHelpFormatter,
    )
    parser.add_argument("--version", action="version", version=f"plain-verdict {__version__}")
    commands = parser.add_subparsers(dest="command", required=True, metavar="COMMAND", title="commands")
    for command in COMMANDS:
        own = commands.add_parser(command.name, help=command.help, description=command.description)
        own.command = command.name
        if whole:
            own.take_options()
    return parser


def main(arguments: Sequence[str] | None = None) -> int:
    """Run the command line and return its exit code."""
    for stream in (sys.stdout, sys.stderr):
        if hasattr(stream, "reconfigure"):
            stream.reconfigure(errors="backslashreplace")  # a narrow terminal encoding must not end the run
    if arguments is None:
        # The program's own process: what is imported and read stays to its end and has no cycles, and looking
        # through it again and again is a seventh of the time.
        gc.disable()
    options = make_parser().parse_args(arguments)
    if options.debug:
        let_libraries_speak()
        show_logged_bugs()
    elif arguments is None and not sys.warnoptions:
        warnings.simplefilter("ignore")  # with paths and lines of libraries, which tell a user nothing
    with _ended_alike():
        code = _run(options)
    code = flush(code)
    if code == _INTERRUPTED and arguments is None:
        # A pool of helpers that was stopped while it started waits for ever when Python ends.
        os._exit(code)
    return code


def _run(options: argparse.Namespace) -> int:
    try:
        return int(options.run(options))
    except KeyboardInterrupt:
        return _INTERRUPTED
    except Exception as error:  # noqa: BLE001  the one place where an error of ours ends
        if options.debug:
            show_trace()
        return _told(error)


def _told(error: Exception) -> int:
    """Say in words what went wrong, and return the exit code."""
    if isinstance(error, PlainVerdictError):
        show_error(error)
        return _USAGE
    if isinstance(error, OSError):
        # The system refuses something that no step could say more about: a name too long, no room left.
        path = one_line(str(error.filename or ""), 300)
        show_error(WriteError(f"the system refuses it ({error.strerror or error})", path=path))
        return _USAGE
    hint = "this is a bug; run again with --debug and report it"
    show_error(PlainVerdictError(f"{type(error).__name__}: {error}", hint=hint))
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
