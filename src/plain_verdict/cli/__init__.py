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
from plain_verdict.cli.common import NOTHING_READ, add_debug
from plain_verdict.cli.terminal import Progress, flush, show_error, show_logged_bugs, show_trace
from plain_verdict.runtime.errors import EngineFailed, PlainVerdictError, WriteError
from plain_verdict.runtime.processes import allow_spawning
from plain_verdict.text.cleaning import single_line
from plain_verdict.text.packages import let_libraries_speak


class Command(NamedTuple):
    """A command: its name, which is its module's as well, a few words for the list of all, and what it does."""

    name: str
    help: str
    description: str
    examples: tuple[str, str]
    """Each runs where the demo was written; a test runs them."""


COMMANDS = (
    Command(
        "report",
        "write the report of a run",
        "Read result files and write one HTML page with the verdict.",
        (
            "plain-verdict report results/ --evidence shots",
            "plain-verdict report results/ rules/ --out 'pages/{date}-{verdict}.html'",
        ),
    ),
    Command(
        "judge",
        "print the verdict; exit 1 unless it is fit",
        'Read result files and print the verdict. Exit 1 unless it is "fit". Writes no file.',
        (
            "plain-verdict judge results/",
            "plain-verdict judge results/ --json",
        ),
    ),
    Command(
        "inspect",
        "show what each input file holds",
        "Show the format, size, checks and reading notes of each input file. Writes no file.",
        (
            "plain-verdict inspect results/",
            "plain-verdict inspect verdict.html",
        ),
    ),
    Command(
        "history",
        "list and compare earlier builds",
        "List and compare earlier builds, export them, add runs to a store or remove old ones.",
        (
            "plain-verdict history list --previous earlier",
            "plain-verdict history compare 4209 4210 --previous earlier",
        ),
    ),
    Command(
        "check",
        "check the settings, without results",
        "Check the settings and everything they name: logo, stylesheet, folders, servers. Reads no results.",
        (
            "plain-verdict check",
            "plain-verdict check --config plain-verdict.toml",
        ),
    ),
    Command(
        "init",
        "write a settings file",
        "Write a short plain-verdict.toml with comments, made for the files in a folder.",
        (
            "plain-verdict init",
            "plain-verdict init results",
        ),
    ),
    Command(
        "record",
        "write a record of checks and steps from a script",
        "Append one line to a record. A new check or step prints its id for the lines that follow.",
        (
            'plain-verdict record smoke.verdict.jsonl check "The desk opens"',
            'plain-verdict record smoke.verdict.jsonl metric "queue length" 12',
        ),
    ),
    Command(
        "condense",
        "aggregate the samples of a load run into one small file",
        'Aggregate the samples of a load run into one small file. "report" merges the files of several machines.',
        (
            "plain-verdict condense results/first-morning.csv.gz --out morning.load",
            "plain-verdict condense results/*.csv.gz --out late.load --leave-out 'first 60 s'",
        ),
    ),
    Command(
        "decide",
        "record manual decisions for undecided checks",
        "Ask for a decision on each undecided check and record the answers for the next report.",
        (
            "plain-verdict decide results/",
            'plain-verdict decide rules/ --by "Kari Sund" --out today.verdict.jsonl',
        ),
    ),
    Command(
        "mapping",
        "draft a mapping for a file of your own format",
        "Draft a mapping: a description of JSON, XML or CSV results of your own format. Or test one on a file.",
        (
            "plain-verdict mapping results/harbour-office.csv",
            "plain-verdict mapping results/harbour-office.csv --try plain-verdict.toml",
        ),
    ),
    Command(
        "compare",
        "compare two runs side by side",
        "Compare two runs: builds of a store, reports, digests or results. Shows what differs and what changed.",
        (
            "plain-verdict compare 4210 verdict.html --out comparison.html",
            "plain-verdict compare 4205 4210 --previous earlier --markdown comparison.md",
        ),
    ),
    Command(
        "index",
        "write an index of reports",
        "Write index.html and feed.xml for the reports in a folder, by series, newest first.",
        (
            "plain-verdict index .",
            'plain-verdict index . --title "Booking desk"',
        ),
    ),
    Command(
        "extensions",
        "list what installed extensions add",
        "List the installed packages that add readers, outputs, sections, measures or mappings, "
        "and say which can't be used.",
        (
            "plain-verdict extensions",
            "plain-verdict report results/ --no-extensions",
        ),
    ),
    Command(
        "verify",
        "verify that a report is unchanged and its results give it again",
        "Verify a report: is it as it was written, whose attestation does it have, do its results give it again? "
        "Exit 1 where something differs.",
        (
            "plain-verdict verify verdict.html",
            "plain-verdict verify verdict.html results rules --json",
        ),
    ),
    Command(
        "completion",
        "print a completion script for a shell",
        "Print a completion script for bash, zsh or fish.",
        (
            "plain-verdict completion zsh",
            'eval "$(plain-verdict completion bash)"',
        ),
    ),
    Command(
        "demo",
        "write demo results and their report",
        "Write the results of a made-up ferry company and a report of them.",
        (
            "plain-verdict demo",
            "plain-verdict demo tour",
        ),
    ),
)

EXIT_CODES = """\
exit codes:
  0  done
  1  the verdict is not "fit" ("judge", or "report --enforce"); "verify" found something that differs
  2  wrong usage or settings, or an output could not be written
  3  no input could be read; no report is written
  4  an input could not be read and --strict is set (with --enforce, 1 comes first)
  5  the report is written, but mail, a notice, a destination or an output of an extension failed; or
     history.required is set and earlier runs could not be read or this run could not be stored;
     or "extensions" found one that can't be used
  70  a bug of this program
  130  interrupted or stopped
"""
_RESULTS = "RESULTS [RESULTS ...]"
_WITH_RESULTS = ("report", "judge", "inspect")
"""Commands with too many options for a line of usage."""
_USAGE = 2  # as argparse and most programs have it
_INTERRUPTED = 130  # 128 + SIGINT, as shells have it
_BUG = 70  # EX_SOFTWARE in sysexits.h


class _HelpFormatter(argparse.HelpFormatter):
    """Fills the description and leaves the lines of examples as they are."""

    def _fill_text(self, text: str, width: int, indent: str) -> str:
        is_examples = text.startswith("examples:")
        return text if is_examples else super()._fill_text(text, width, indent)


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
        show_error(PlainVerdictError(what, hint=hint or f"run {self.prog} --help"))
        raise SystemExit(_USAGE)

    def _in_words(self, message: str) -> tuple[str, str]:
        choice = re.match(r"argument ([^:]+): invalid choice: '?(.*?)'? \(choose from (.*)\)$", message)
        if choice:
            return self._wrong_choice(*choice.groups())
        unknown = re.match(r"unrecognized arguments: (.*)", message)
        if unknown:
            option = unknown[1].split()[0].split("=")[0]
            near = difflib.get_close_matches(option, self._options(), n=1, cutoff=0.6)
            return f"{option} is not an option of this command", f"did you mean {near[0]}?" if near else ""
        number = re.match(r"argument ([^:]+): invalid (int|float) value: (.*)", message)
        if number:
            return f"{number[1]} must be a {'whole ' if number[2] == 'int' else ''}number, not {number[3]}", ""
        no_value = re.match(r"argument ([^:]+): expected (?:one|at least one) argument", message)
        if no_value:
            return f"{no_value[1]} needs a value", ""
        required = re.match(r"the following arguments are required: (.*)", message)
        return (f"{required[1]} is missing" if required else message.removeprefix("argument ")), ""

    @staticmethod
    def _wrong_choice(argument: str, value: str, choices: str) -> tuple[str, str]:
        allowed = [word.strip(" '") for word in choices.split(",")]
        near = difflib.get_close_matches(value, allowed, n=1, cutoff=0.5)
        name = argument.split("/")[-1]
        if name != "COMMAND":
            return f"{value!r} is not a value of {name}", f"use one of {', '.join(allowed)}"
        return (
            f"{value!r} is not a command",
            f"did you mean {near[0]}?" if near else f"use one of {', '.join(allowed)}",
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
        description="Reads the results of test runs and writes one HTML report with a verdict in plain words.",
        epilog=EXIT_CODES,
        formatter_class=argparse.RawDescriptionHelpFormatter,
    )
    parser.add_argument("--version", action="version", version=f"plain-verdict {__version__}")
    parser.set_defaults(debug=False)
    add_debug(parser)
    commands = parser.add_subparsers(dest="command", required=True, metavar="COMMAND", title="commands")
    for command in COMMANDS:
        command_parser = commands.add_parser(
            command.name,
            help=command.help,
            description=command.description,
            usage=f"%(prog)s [options] {_RESULTS}" if command.name in _WITH_RESULTS else None,
            epilog="\n  ".join(("examples:", *command.examples)),
            formatter_class=_HelpFormatter,
        )
        command_parser.command = command.name
        if whole:
            command_parser.take_options()
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
        allow_spawning()
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
        return _report_bug(error)


def _report_bug(error: Exception) -> int:
    """Say in words what went wrong, and return the exit code."""
    if isinstance(error, PlainVerdictError):
        show_error(error)
        return NOTHING_READ if isinstance(error, EngineFailed) else _USAGE
    if isinstance(error, OSError):
        # The system refuses something that no step could say more about: a name too long, no room left.
        path = single_line(str(error.filename or ""), 300)
        show_error(WriteError(f"the operating system refused it ({error.strerror or error})", path=path))
        return _USAGE
    hint = "this is a bug of the program: run the command again with --debug and report the output"
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
    # Where Python runs a callback, an exception is dropped; the next step of the work raises it again.
    Progress.stopped = True
    raise KeyboardInterrupt
