"""``plain-verdict report``: the main job, results in and a page out."""

import argparse
import os
import time
from datetime import UTC, datetime
from typing import TYPE_CHECKING

from plain_verdict.cli.common import (
    DONE,
    NOT_FIT,
    NOTHING_READ,
    PARTLY_READ,
    add_arrivals,
    add_config,
    add_results,
    expected_by,
    read_results,
    show_json,
    show_trouble,
)
from plain_verdict.cli.terminal import Progress, show, show_labelled
from plain_verdict.errors import UsageError

if TYPE_CHECKING:
    from pathlib import Path

    from plain_verdict.evidence import EvidenceWishes
    from plain_verdict.model import Run, Verdict
    from plain_verdict.settings_file import SettingsFile

_CAUSES_SHOWN = 10
_NAME_CHARS = 160


def add_to(commands: "argparse._SubParsersAction[argparse.ArgumentParser]") -> None:
    """Add the command and its options."""
    text = "Read result files and write one HTML page with the verdict."
    parser = commands.add_parser("report", help="read result files and write the page", description=text)
    add_results(parser)
    parser.add_argument(
        "--out", metavar="FILE", default="verdict.html", help="where to write the page (default: %(default)s)"
    )
    parser.add_argument(
        "--title", metavar="TEXT", default="", help="the page's title (default: the results' own name)"
    )
    parser.add_argument(
        "--evidence",
        nargs="+",
        action="extend",
        metavar="FOLDER",
        default=None,
        help="folders with screenshots and logs, matched to checks by name; "
        "or templates like 'shots/{suite}/{check}*.png'",
    )
    parser.add_argument(
        "--evidence-for",
        choices=("all", "failed", "none"),
        help="whose evidence goes into the page (default: all)",
    )
    parser.add_argument("--size-limit", metavar="SIZE", help="how large the page may get (default: 25MB)")
    add_config(parser)
    add_arrivals(parser)
    parser.add_argument("--enforce", action="store_true", help='exit with 1 when the verdict is not "fit"')
    parser.add_argument(
        "--strict", action="store_true", help="exit with 4 when part of the input could not be read"
    )
    parser.add_argument("--open", action="store_true", help="open the page in the browser")
    parser.add_argument("--quiet", action="store_true", help="print nothing but errors")
    parser.set_defaults(run=run)


def run(options: argparse.Namespace) -> int:
    """Write the page and print the verdict."""
    from pathlib import Path

    from plain_verdict.evidence import check_places, collect
    from plain_verdict.judge import judge
    from plain_verdict.page import render_page
    from plain_verdict.settings import DEFAULT_LIMITS
    from plain_verdict.settings_file import read_settings
    from plain_verdict.writers.files import check_target, write_whole
    from plain_verdict.writers.summary import render_summary, summarise

    began = time.perf_counter()
    target = Path(options.out).absolute()
    made = made_at(os.environ.get("SOURCE_DATE_EPOCH"))
    check_target(target)
    settings = read_settings(options.config)
    wishes = wishes_of(options, settings)
    check_places(wishes)
    results = read_results(options.results, expected_by(options, settings, made))
    if results.files:
        with Progress("Evidence") as progress:
            results = collect(results, wishes, DEFAULT_LIMITS, progress)
    verdict = judge(results, made.date(), settings.rules)
    show_trouble(results, verdict, notes=not options.quiet)
    if results.files:
        write_whole(target, render_page(results, verdict, title=options.title.strip(), made=made))
    else:
        show_labelled("error", "nothing could be read, so no page was written")
    if options.json:
        show_json(render_summary(summarise(results, verdict, str(target) if results.files else None)))
    elif results.files and not options.quiet:
        show_verdict(results, verdict)
        show(f"Took {time.perf_counter() - began:.2f} s. The page is here:", "soft")
        show(str(target))
    if options.open and results.files:
        open_page(target)
    return exit_code(results, verdict, enforce=options.enforce, strict=options.strict)


def wishes_of(options: argparse.Namespace, settings: "SettingsFile") -> "EvidenceWishes":
    """Return what is wanted of evidence: what the command line says, or else the settings."""
    from plain_verdict.evidence import EvidenceWishes
    from plain_verdict.settings import read_size

    evidence = settings.evidence
    return EvidenceWishes(
        places=evidence.places if options.evidence is None else tuple(options.evidence),
        whose=options.evidence_for or evidence.whose,
        page_bytes=read_size(options.size_limit or evidence.size_limit),
    )


def exit_code(results: "Run", verdict: "Verdict", *, enforce: bool, strict: bool) -> int:
    """Return the exit code; where several apply, the first in the order of the documentation."""
    if not results.files:
        return NOTHING_READ
    if enforce and verdict.word.value != "fit":
        return NOT_FIT
    if strict and (any(not one.chosen for one in results.unread) or any(note.lost for note in results.notes)):
        return PARTLY_READ
    return DONE


def made_at(epoch: str | None) -> datetime:
    """Return when the page is made: now, or the moment that SOURCE_DATE_EPOCH fixes.

    Source: Reproducible Builds, SOURCE_DATE_EPOCH specification, version 1.1.
    """
    if not epoch:
        return datetime.now().astimezone()
    try:
        return datetime.fromtimestamp(int(epoch), UTC)
    except (ValueError, OverflowError, OSError) as error:
        raise UsageError(f"SOURCE_DATE_EPOCH is no number of seconds: {epoch[:40]!r}") from error


def show_verdict(results: "Run", verdict: "Verdict") -> None:
    """Print the verdict sentence, the causes with their checks, and what else a reader should know."""
    from plain_verdict.words import listed

    show(verdict.sentence, verdict.word.value)
    for cause in verdict.causes[:_CAUSES_SHOWN]:
        show(f"{len(cause.checks):>5,}", "failed", end="  ")
        name = cause.name if len(cause.name) <= _NAME_CHARS else cause.name[: _NAME_CHARS - 1] + "…"
        show(name + (", waived" if all(check.id in verdict.waived for check in cause.checks) else ""))
        show(
            f"       {listed([' › '.join((*check.suite, check.title)) for check in cause.checks], most=3)}", "soft"
        )
    if len(verdict.causes) > _CAUSES_SHOWN:
        show(f"       and {len(verdict.causes) - _CAUSES_SHOWN:,} more causes", "soft")
    # These are on stderr already.
    told = {trouble.sentence for trouble in results.unread} | {note.sentence for note in results.notes}
    for remark in verdict.remarks:
        if remark not in told:
            show(remark)


def open_page(page: "Path") -> None:
    """Open the page in the user's browser, or say that there is none."""
    import webbrowser

    if not webbrowser.open(page.as_uri()):
        show_labelled("note", "no browser could be opened here.")
