"""``plain-verdict-record``: writes a record from a shell script, or from any language that can run a program."""

import argparse
import json
import os
import sys
from collections.abc import Callable, Sequence

from plain_verdict_recorder import __version__
from plain_verdict_recorder.http import body_part, exchange_of_curl
from plain_verdict_recorder.lines import ROLES, about_evidence
from plain_verdict_recorder.recording import SUFFIX, Recorder

OUTCOMES = ("passed", "failed", "errored", "skipped", "undecided")


class CommandError(Exception):
    """The command asks for something that can't be done: what, of which file, and what to do."""

    def __init__(self, what: str, path: str = "", hint: str = "") -> None:
        super().__init__(what)
        self.what = what
        self.path = path
        self.hint = hint


Extend = Callable[[argparse.ArgumentParser], None]


def _nothing(_: argparse.ArgumentParser) -> None:
    """Add nothing."""


def add_options(parser: argparse.ArgumentParser, extend: Extend = _nothing) -> None:
    """Add an action for each kind of line; ``extend`` adds to each what the whole program has."""
    parser.add_argument("file", metavar="FILE", help="record to append to; its name ends in .verdict.jsonl")
    actions = parser.add_subparsers(dest="action", required=True, metavar="ACTION", title="actions")

    def action(name: str, about: str, *positional: str) -> argparse.ArgumentParser:
        parser = actions.add_parser(name, help=about, description=about[0].upper() + about[1:] + ".")
        for argument in positional:
            parser.add_argument(argument.lower(), metavar=argument)
        extend(parser)
        return parser

    check = action("check", "begin a check and print its id", "NAME")
    check.add_argument(
        "--suite", action="append", default=[], metavar="NAME", help="suite; repeat for nested suites"
    )
    check.add_argument("--tag", action="append", default=[], metavar="TAG")
    check.add_argument("--parameter", action="append", default=[], metavar="KEY=VALUE")
    check.add_argument("--kind", choices=("functional", "api", "load", "compliance"), default="functional")
    check.add_argument("--attempt", type=int, default=0, metavar="N", help="number of the attempt, from 1")
    action("step", "begin a step and print its id", "NAME", "PARENT")
    log = action("log", "add a log line", "TEXT", "PARENT")
    log.add_argument("--level", default="info", metavar="LEVEL")
    keep = action("keep", "add a file as evidence", "PATH", "PARENT")
    keep.add_argument("--caption", default="", metavar="TEXT")
    keep.add_argument("--role", choices=ROLES, default="", help="what a picture is to others of its check")
    exchange = action("exchange", "add a request and its response, from curl's JSON", "PARENT", "EXCHANGE")
    exchange.add_argument("--sent", metavar="FILE", help="file with the request body")
    exchange.add_argument("--body", metavar="FILE", help="file with the response body")
    expect = action("expect", "add an expectation: passed when both values are equal", "PARENT", "SUBJECT")
    expect.add_argument("expected", metavar="EXPECTED")
    expect.add_argument("actual", metavar="ACTUAL")
    action("fact", "add a fact about the run", "KEY", "VALUE")
    metric = action("metric", "add a value of a metric", "NAME")
    metric.add_argument("value", type=float, metavar="VALUE")
    metric.add_argument("--unit", default="", metavar="TEXT", help="unit, like ms, MB or jobs")
    end = action("end", "end a check or a step", "ID")
    end.add_argument("outcome", choices=OUTCOMES, metavar="OUTCOME", help=", ".join(OUTCOMES))
    end.add_argument("--message", default="", metavar="TEXT", help="the failure message, or why it was skipped")
    end.add_argument("--type", default="", metavar="TEXT", help="type of the failure, such as an exception's name")
    end.add_argument("--expected", metavar="TEXT")
    end.add_argument("--actual", metavar="TEXT")


def run(options: argparse.Namespace) -> str:
    """Append one line to the record and return what is printed, "" for nothing. Raises CommandError."""
    if not options.file.endswith(SUFFIX):
        raise CommandError(f"is not a name for a record; it ends in {SUFFIX}", path=options.file)
    if options.action == "keep" and not os.path.isfile(options.path):
        raise CommandError("is not a regular file", path=options.path)
    naming = {"end": "id", "check": "", "fact": "", "metric": ""}.get(options.action, "parent")
    if naming and not _is_begun(options.file, getattr(options, naming)):
        hint = "the command that starts a check or a step prints its id"
        raise CommandError(
            f"the record has no check or step with the id {getattr(options, naming)!r}",
            path=options.file,
            hint=hint,
        )
    recorder = Recorder(options.file, strict=True)
    try:
        return _write(recorder, options)
    except OSError as error:
        raise CommandError(f"can't be written ({error.strerror or error})", path=options.file) from error


def _is_begun(file: str, id_: str) -> bool:
    """Return whether the record has a line that begins something with this id."""
    wanted = f'"id":{json.dumps(id_)}'.encode()
    try:
        with open(file, "rb") as lines:
            return any(wanted in line.replace(b'": ', b'":') and b'"end"' not in line[:20] for line in lines)
    except OSError:
        return False


def _write(recorder: Recorder, options: argparse.Namespace) -> str:
    """Append the line, and return the id of what began, or whether an expectation was met."""
    match options.action:
        case "check":
            about = {"suite": options.suite, "tags": options.tag, "kind": options.kind, "attempt": options.attempt}
            return recorder.begin("check", options.name, parameters=_pairs(options.parameter), **about)
        case "step":
            return recorder.begin("step", options.name, **{"in": options.parent})
        case "log":
            recorder.note(options.parent, options.text, options.level)
        case "keep":
            recorder.attach(options.parent, options.path, "", options.caption, **about_evidence(options.role))
        case "exchange":
            recorder.put_exchange(options.parent, _exchange(options))
        case "expect":
            met = options.expected == options.actual
            line = {"subject": options.subject, "expected": options.expected, "actual": options.actual}
            outcome = "passed" if met else "failed"
            recorder.write({"what": "expectation", "in": options.parent, "outcome": outcome, **line})
            return "met" if met else "not met"
        case "fact":
            recorder.fact(options.key, options.value)
        case "metric":
            recorder.metric(options.name, options.value, options.unit)
        case "end":
            _end(recorder, options)
    return ""


def _end(recorder: Recorder, options: argparse.Namespace) -> None:
    given = {key: getattr(options, key) for key in ("type", "message", "expected", "actual")}
    problem = {key: value for key, value in given.items() if value}
    if options.outcome in ("failed", "errored"):
        recorder.finish(options.id, options.outcome, "", [problem] if problem else [])
    else:
        recorder.finish(options.id, options.outcome, options.message, [])


def _exchange(options: argparse.Namespace) -> dict[str, object]:
    """Return the line of an exchange: what curl tells of it, or the keys of one, with the bodies next to it."""
    text = sys.stdin.read() if options.exchange == "-" else _bytes(options.exchange).decode("utf-8", "replace")
    try:
        line_given = json.loads(text)
    except ValueError as error:
        hint = "give it what curl --write-out '%{json}' prints"
        raise CommandError(f"is not JSON ({error})", path=_named(options.exchange), hint=hint) from error
    if not isinstance(line_given, dict):
        raise CommandError(
            "is not a JSON object", path=_named(options.exchange), hint="one exchange, with its keys"
        )
    line = line_given if "request" in line_given else exchange_of_curl(line_given)
    for part, file in (("request", options.sent), ("response", options.body)):
        message = line.get(part)
        if file and isinstance(message, dict):
            line[part] = {**message, **body_part(_bytes(file))}
    return line


def _named(file: str) -> str:
    return "standard input" if file == "-" else file


def _bytes(file: str) -> bytes:
    try:
        with open(file, "rb") as stream:
            return stream.read()
    except OSError as error:
        raise CommandError(f"can't be read ({error.strerror or error})", path=file) from error


def _pairs(texts: list[str]) -> dict[str, str]:
    for text in texts:
        if "=" not in text:
            raise CommandError(f"{text!r} is not a KEY=VALUE", hint="write --parameter adults=2")
    return dict(text.split("=", 1) for text in texts)


def main(arguments: Sequence[str] | None = None) -> int:
    """Run the command line and return its exit code: 0, or 2 for what can't be done."""
    parser = argparse.ArgumentParser(
        prog="plain-verdict-record",
        description="Append one line to a record. A new check or step prints its id for the lines that follow.",
    )
    parser.add_argument("--version", action="version", version=f"plain-verdict-recorder {__version__}")
    add_options(parser)
    try:
        printed = run(parser.parse_args(arguments))
    except CommandError as error:
        sys.stderr.write(f"error: {f'{error.path}: ' if error.path else ''}{error.what}\n")
        sys.stderr.write(f"hint: {error.hint}\n" if error.hint else "")
        return 2
    sys.stdout.write(f"{printed}\n" if printed else "")
    return 0
