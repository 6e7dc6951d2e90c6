"""``plain-verdict decide``: a person decides what nothing else could tell, check by check, on the terminal."""

import argparse
import sys
import time
from base64 import b64encode
from collections.abc import Iterator, Sequence
from contextlib import suppress
from pathlib import Path

import msgspec

from plain_verdict.cli.common import DONE, NOTHING_READ, add_debug
from plain_verdict.cli.options import add_config, read_request_of
from plain_verdict.cli.show import show_unread
from plain_verdict.cli.terminal import Progress, show, show_labelled
from plain_verdict.inputs.facts import user_name
from plain_verdict.model import Check, Outcome, Run
from plain_verdict.pipeline import read
from plain_verdict.requirements.checklist import Item, read_checklist
from plain_verdict.runtime.errors import UsageError
from plain_verdict_recorder.recording import SUFFIX, Recorder

_ANSWERS = {
    "p": Outcome.PASSED,
    "f": Outcome.FAILED,
    "s": Outcome.SKIPPED,
}
_ANSWER_WORDS = {
    **_ANSWERS,
    **{outcome.value: outcome for outcome in _ANSWERS.values()},
    "passed": Outcome.PASSED,
    "failed": Outcome.FAILED,
}
_STOP = ("q", "quit", "stop")
_BY_HAND = "undecided: it is checked by hand"
_MOST_EVIDENCE_BYTES = 20_000_000  # of one answer: it is kept in a record, and the record in memory


def add_options(parser: argparse.ArgumentParser) -> None:
    """Add the command's options."""
    parser.add_argument(
        "results",
        nargs="*",
        metavar="RESULTS",
        help="result files, folders or patterns with undecided checks",
    )
    parser.add_argument(
        "--checklist",
        metavar="FILE",
        help="manual checks: a Markdown task list, or a CSV file with a column “check”",
    )
    parser.add_argument(
        "--out", default=f"decided{SUFFIX}", metavar="FILE", help="the record to write (default: %(default)s)"
    )
    parser.add_argument("--by", metavar="NAME", help="who decides (default: git's user)")
    parser.add_argument(
        "--mapping",
        action="append",
        default=[],
        metavar="FILE",
        help="mappings for result files of your own format",
    )
    add_config(parser)
    add_debug(parser)


def run(options: argparse.Namespace) -> int:
    """Ask for each check that is still open, and write each answer at once."""
    if not options.results and not options.checklist:
        raise UsageError("there is nothing to decide", hint="name results, or --checklist FILE")
    if not options.out.endswith(SUFFIX):
        raise UsageError(f"is not a name for a record; it ends in {SUFFIX}", path=options.out)
    out = Path(options.out)
    recorder = Recorder(options.out, strict=True)
    if options.checklist:
        _begin(recorder, read_checklist(Path(options.checklist)), out)
    with_all = _read(options, out)
    if not with_all.files:
        show_labelled("error", "no input could be read, so there is nothing to decide")
        return NOTHING_READ
    try:
        done = _ask(with_all, recorder, options.by or user_name() or "a person")
    except (KeyboardInterrupt, EOFError):
        show("")
        show(f"Stopped. Your answers are in {options.out}. Run the command again to continue.", "soft")
        return DONE
    if done:
        show(f"{done} decided. Add {options.out} to the results of the next report.", "soft")
    return DONE


def _read(options: argparse.Namespace, out: Path) -> Run:
    """Return the results with the answers that were given before."""
    results = [*options.results, *([options.out] if out.exists() else [])]
    request = read_request_of(argparse.Namespace(**{**vars(options), "results": results, "out": None}))
    for note in request.notes:
        show_labelled("note", note)
    run = read(request.results, msgspec.structs.replace(request.options, evidence=None), Progress)
    for trouble in run.unread:
        show_unread(trouble)
    return run


def _begin(recorder: Recorder, items: Sequence[Item], out: Path) -> None:
    """Write the checks of a list that the record does not have yet, each open until somebody decides."""
    known = _begun(out)
    for item in items:
        if (item.suite, item.name) not in known:
            begun = recorder.begin("check", item.name, suite=list(item.suite), tags=["by hand"])
            recorder.finish(begun, Outcome.UNDECIDED.value, item.about or _BY_HAND)


def _begun(out: Path) -> set[tuple[tuple[str, ...], str]]:
    """Return the checks that a record has already."""
    known = set()
    for line in out.read_bytes().splitlines() if out.exists() else ():
        with suppress(msgspec.DecodeError):
            value = msgspec.json.decode(line)
            if isinstance(value, dict) and value.get("what") == "check":
                known.add((tuple(value.get("suite", ())), value.get("name", "")))
    return known


def _ask(run: Run, recorder: Recorder, by: str) -> int:
    open_ones = [check for check in run.checks if check.outcome is Outcome.UNDECIDED]
    if not open_ones:
        show("No check is undecided.", "soft")
        return 0
    show(
        f"{len(open_ones)} to decide, as {by}. p: passed, f: failed, s: does not apply, Enter: later, q: stop.",
        "soft",
    )
    done = 0
    for number, check in enumerate(open_ones, 1):
        _show(check, number, len(open_ones))
        answer = _answer()
        if answer in _STOP:
            break
        outcome = _ANSWER_WORDS.get(answer)
        if outcome is None:
            continue
        note = _line("Note (Enter for none): ")
        evidence = _evidence()
        recorder.write(
            {
                "what": "decision",
                "check": check.id,
                "outcome": outcome.value,
                "note": note,
                "by": by,
                "at": time.time(),
                **evidence,
            }
        )
        done += 1
    return done


def _show(check: Check, number: int, of: int) -> None:
    show("")
    show(f"{number} of {of}  {check.whole_name}")
    for line in _known(check):
        show(f"    {line}", "soft")


def _known(check: Check) -> Iterator[str]:
    """Yield what is known of a check."""
    if check.variant:
        yield ", ".join(fact.value for fact in check.variant)
    if check.description:
        yield check.description
    if check.last.reason:
        yield check.last.reason
    for link in check.links:
        yield f"{link.key}: {link.value}"


def _answer() -> str:
    while True:
        answer = _line("p, f, s, Enter or q: ").lower()
        if not answer or answer in _STOP or answer in _ANSWER_WORDS:
            return answer
        show(f"“{answer}” is not one of these.", "note")


def _evidence() -> dict[str, object]:
    """Return the keys of a file that is evidence; one that can't be read is asked for again."""
    while True:
        name = _line("Evidence file (Enter for none): ")
        if not name:
            return {}
        path = Path(name).expanduser()
        try:
            if path.stat().st_size > _MOST_EVIDENCE_BYTES:
                show(f"{name} is larger than {_MOST_EVIDENCE_BYTES // 1_000_000} MB.", "note")
                continue
            return {"name": path.name, "base64": b64encode(path.read_bytes()).decode()}
        except OSError as error:
            show(f"{name} can't be read ({error.strerror}).", "note")


def _line(prompt: str) -> str:
    """Return what is typed after a prompt. Raises EOFError at the end of the input."""
    sys.stderr.write(prompt)
    sys.stderr.flush()
    line = sys.stdin.readline()
    if not line:
        raise EOFError
    return line.strip()
