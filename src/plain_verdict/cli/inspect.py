"""``plain-verdict inspect``: what each file is, what it holds, what is odd about it."""

import argparse
from typing import TYPE_CHECKING

from plain_verdict.cli.common import (
    DONE,
    NOTHING_READ,
    add_arrivals,
    add_config,
    add_masking,
    add_results,
    show_json,
)
from plain_verdict.cli.terminal import show

if TYPE_CHECKING:
    from plain_verdict.model import ResultFile, Run, Unread


def add_to(commands: "argparse._SubParsersAction[argparse.ArgumentParser]") -> None:
    """Add the command and its options."""
    text = "Say what each file is, what it holds, and what is odd about it. Writes nothing."
    parser = commands.add_parser("inspect", help="say what each file is and what is odd about it", description=text)
    add_results(parser)
    add_config(parser)
    add_masking(parser)
    add_arrivals(parser)
    parser.set_defaults(run=run)


def run(options: argparse.Namespace) -> int:
    """Print what the files are."""
    from plain_verdict.cli.judge import judged
    from plain_verdict.writers.summary import render_summary, summarise

    results, verdict, masker = judged(options)
    if options.json:
        show_json(render_summary(summarise(results, verdict, masked=masker.count, detail=options.detail)))
    else:
        for file in results.files:
            show_file(file)
        for trouble in results.unread:
            show_other(trouble, "left out" if trouble.chosen else "can't be read")
        for trouble in results.left_alone:
            show_other(trouble, "left alone")
        show_merging(results)
    return DONE if results.files else NOTHING_READ


def show_file(file: "ResultFile") -> None:
    """Print one result file: format, size, times, counts, notes."""
    from plain_verdict.model import Outcome, tally_of
    from plain_verdict.words import day, plural, size, span

    show(file.path)
    when = f", {day(file.started)}, {span(file.started, file.ended)}" if file.started else ", no time given"
    show(f"  {file.format}, {size(file.size_bytes)}{when}", "soft")
    tally = tally_of(file.checks)
    parts = [f"{tally.of(outcome):,} {outcome.value}" for outcome in Outcome if tally.of(outcome)]
    show(f"  {plural(tally.total, 'check')}{': ' if parts else ''}{', '.join(parts)}")
    for note in file.notes:
        show("  note:", "note", end=" ")
        show(f"{note.what}{f' ({note.where})' if note.where else ''}")


def show_merging(results: "Run") -> None:
    """Print what became attempts at one check."""
    from plain_verdict.words import merging

    if results.reruns:
        show(merging(results.cases, len(results.checks), results.reruns))


def show_other(trouble: "Unread", fate: str) -> None:
    """Print a file that is no result file or can't be read, with the reason."""
    show(trouble.path)
    show(f"  {fate}:", "note", end=" ")
    show(f"{trouble.what}{f' ({trouble.where})' if trouble.where else ''}")
