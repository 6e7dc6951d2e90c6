"""``plain-verdict inspect``: what each file is, what it holds, what is odd about it."""

import argparse
from pathlib import Path

from plain_verdict.cli.common import DONE, NOTHING_READ
from plain_verdict.cli.judge import judged_report
from plain_verdict.cli.options import add_arrivals, add_config, add_masking, add_results
from plain_verdict.cli.show import show_summary
from plain_verdict.cli.terminal import show, show_document
from plain_verdict.history.alignment import align
from plain_verdict.history.digest import encode_digest, make_digest
from plain_verdict.history.pages import is_page, read_kept
from plain_verdict.judging.sentence import name_kind
from plain_verdict.model import Outcome, ResultFile, Run, Unread
from plain_verdict.text.cleaning import single_line
from plain_verdict.text.formatting import (
    describe_reruns,
    format_day,
    format_size,
    format_span,
    format_time_of_day,
    plural,
)
from plain_verdict.writers.summary_json import SummaryWriter


def add_options(parser: argparse.ArgumentParser) -> None:
    """Add the command's options."""
    add_results(parser)
    add_config(parser)
    add_masking(parser)
    add_arrivals(parser)


def run(options: argparse.Namespace) -> int:
    """Print what the files are."""
    pages = [name for name in options.results if is_page(Path(name))]
    for page in pages:
        show_page(Path(page), as_json=options.json)
    options.results = [name for name in options.results if name not in pages]
    return _inspect_results(options) if options.results else DONE


def show_page(page: Path, *, as_json: bool) -> None:
    """Print what a page of ours holds: its run, and the runs before that it carries; or its digest as JSON."""
    runs = read_kept(page)
    if as_json:
        show_document(encode_digest(make_digest(runs[-1], align(runs[-1].check_index, runs[:-1]))).decode())
        return
    build = runs[-1].build
    at = build.started or build.made
    show(str(page))
    show(f"  report: {single_line(build.title, 200)}, {format_day(at)}, {format_time_of_day(at)}", "soft")
    show(f"  {build.verdict.value.capitalize()}: {single_line(build.why, 1000)}")
    for key, value in (
        ("build", build.build),
        ("branch", build.branch),
        ("commit", build.commit),
        ("id", build.id),
    ):
        if value:
            show(f"  {key}: {single_line(value, 300)}", "soft")
    timed = sum(bool(run.times) for run in runs[:-1])
    if len(runs) > 1:
        since = f"{runs[0].build.label} to {runs[-2].build.label}" if len(runs) > 2 else runs[0].build.label
        show(
            f"  holds {plural(len(runs) - 1, 'earlier build')} ({single_line(since, 200)}), {timed} with durations",
            "soft",
        )
    else:
        show("  holds no earlier builds", "soft")


def _inspect_results(options: argparse.Namespace) -> int:
    report = judged_report(options)
    results = report.run
    if options.json:
        show_summary(report, SummaryWriter(options.detail))
    else:
        for file in results.files:
            show_file(file, results)
        for trouble in results.unread:
            show_other(trouble, "left out" if trouble.excluded_by_user else "can't be read")
        for trouble in results.left_alone:
            show_other(trouble, "skipped")
        show_reruns(results)
        for note in results.mapping_notes:
            show(note)
    return DONE if results.files else NOTHING_READ


def _checks_in(file: ResultFile) -> str:
    tally = file.tally
    parts = [f"{tally.of(outcome):,} {outcome.value}" for outcome in Outcome if tally.of(outcome)]
    kinds = {name_kind(check.kind) for check in file.checks} - {"functional"}
    kind = f"{kinds.pop()} " if len(kinds) == 1 else ""
    return f"{plural(tally.total, f'{kind}check')}{': ' if parts else ''}{', '.join(parts)}"


def show_file(file: ResultFile, run: Run) -> None:
    """Print one result file: format, size, times, counts, notes."""
    show(file.path)
    when = (
        f"{format_day(file.started)}, {format_span(file.started, file.ended)}" if file.started else "no time known"
    )
    show(f"  {file.format}, {format_size(file.size_bytes)}, {when}", "soft")
    load = _load_in(file, run)
    if load:
        show(f"  {load}")
    if file.tally.total or not load:
        show(f"  {_checks_in(file)}")
    for note in file.notes:
        show("  note:", "note", end=" ")
        show(f"{note.what}{f' ({note.where})' if note.where else ''}")


def _load_in(file: ResultFile, run: Run) -> str:
    """Return what a file holds of a load run, in words; "" where it holds nothing of one."""
    reported = next((entry for entry in run.reported if entry.path == file.path), None)
    if reported:
        return f"load results as the source reports them: {plural(reported.whole.count, 'request')}"
    if run.load and file.path in run.load.paths:
        in_words = (
            f", together with {plural(len(run.load.paths) - 1, 'other file')}" if len(run.load.paths) > 1 else ""
        )
        return f"samples of a load run: {plural(run.load.rows, 'request')}{in_words}"
    return ""


def show_reruns(results: Run) -> None:
    """Print what became attempts at one check."""
    if results.reruns:
        show(describe_reruns(results.cases, len(results.checks), results.reruns))


def show_other(trouble: Unread, fate: str) -> None:
    """Print a file that is not a result file or can't be read, with the reason."""
    show(trouble.path)
    show(f"  {fate}:", "note", end=" ")
    show(f"{trouble.what}{f' ({trouble.where})' if trouble.where else ''}")
