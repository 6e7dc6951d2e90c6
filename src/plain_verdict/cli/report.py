"""``plain-verdict report``: the main job, results in and a page out."""

import argparse
import time
from collections.abc import Sequence
from pathlib import Path

from plain_verdict.cli.common import DONE, NOT_FIT, NOT_PASSED_ON, NOTHING_READ, PARTLY_READ
from plain_verdict.cli.options import (
    add_arrivals,
    add_config,
    add_declared,
    add_history,
    add_masking,
    add_results,
    request_of,
)
from plain_verdict.cli.show import show_summary, show_trouble, show_verdict
from plain_verdict.cli.terminal import Progress, show, show_document, show_error, show_labelled
from plain_verdict.delivery.notify import notify
from plain_verdict.delivery.publish import Published, publish
from plain_verdict.history.stores import OpenStore, SharedStore
from plain_verdict.model import Run, Verdict, VerdictWord
from plain_verdict.pipeline import keep_in_history, make_report, read_and_judge
from plain_verdict.report import PageInfo, Report
from plain_verdict.request import STANDARD_OUTPUT, Request
from plain_verdict.request.registered import registered_choices
from plain_verdict.runtime.errors import UsageError
from plain_verdict.settings.report_tables import ReportTable
from plain_verdict.writers.summary_json import SummaryWriter

Options = argparse._ArgumentGroup
_WRITTEN = {
    "packed": "Packed",
    "latest": "Newest page",
    "mail": "Mail",
    "tables": "Tables",
    "charts": "Charts",
    "earl": "EARL",
    "digest": "Digest",
    "junit": "JUnit XML",
    "markdown": "Summary",
    "pdf": "PDF report",
    "index": "Index of reports",
    "attestation": "Attestation",
}
"""What is reported of what was written besides the page."""


def add_options(parser: argparse.ArgumentParser) -> None:
    """Add the command's options; what is not given is taken from the settings."""
    add_results(parser)
    add_config(parser)
    _add_outputs(parser.add_argument_group("outputs and destinations"))
    _add_look(parser.add_argument_group("title, facts and look"))
    _add_contents(parser.add_argument_group("contents"))
    add_arrivals(parser.add_argument_group("expected inputs"))
    add_history(parser.add_argument_group("history"))
    ends = parser.add_argument_group("exit code and printing")
    add_declared(ends, "exit", first="report.enforce report.strict")
    ends.add_argument(
        "--watch",
        action="store_true",
        help="write the page again whenever results change; an open page reloads itself",
    )
    ends.add_argument("--open", action="store_true", help="open the page in the browser")
    ends.add_argument("--quiet", action="store_true", help="print nothing but errors")


def _add_outputs(group: Options) -> None:
    add_declared(group, first="report.out report.overwrite report.latest report.keep")
    group.add_argument(
        "--publish",
        action="append",
        metavar="DESTINATION",
        help="publish the report: to a folder, git+ssh://…#branch:folder, https://…/, s3://…, sftp://…; "
        "repeat for more (docs/publishing.md)",
    )
    keys = (
        "report.index report.layout report.zip mail.file mail.send report.tables report.tables_as report.pdf"
        " report.pdf_for report.pdf_paper report.junit report.markdown report.link report.earl report.digest"
    )
    add_declared(group, "outputs", first=keys, choices=registered_choices())


def _add_look(group: Options) -> None:
    add_declared(group, first="report.title report.description")
    group.add_argument("--fact", action="append", metavar="KEY=VALUE", help="a fact about the run; repeat for more")
    keys = "report.pipeline report.git brand.organisation brand.logo brand.accent report.theme report.time_zone"
    add_declared(group, "look", first=keys)


def _add_contents(group: Options) -> None:
    add_declared(group, "contents", first="report.only evidence.look_in evidence.of evidence.size_limit")
    add_masking(group)


def run(options: argparse.Namespace) -> int:
    """Write the page and print the verdict; with --watch again and again."""
    if options.json and options.markdown == STANDARD_OUTPUT:
        raise UsageError("--json and --markdown - both write to standard output", hint="give --markdown a file")
    if not options.watch:
        return make_once(options)[0]
    from plain_verdict.cli.watching import Made, check_watch, watch  # for those who watch

    check_watch(options)
    options.overwrite = True
    opening = [options.open]

    def once() -> Made:
        options.open = bool(opening) and opening.pop()  # once is enough: the page reloads itself
        _, run, verdict, published = make_once(options)
        read = [str(Path(file.folder, Path(file.path).name)) for file in run.files if file.folder]
        read += [trouble.file for trouble in run.unread]
        return verdict, published.paths if published else (), read

    retries = [argument for retry_arguments in options.retry for argument in retry_arguments]
    return watch([*options.results, *retries], once)


def make_once(options: argparse.Namespace) -> tuple[int, Run, Verdict, Published | None]:
    """Write the page and print the verdict; return the exit code, the run, its verdict, and what was written."""
    with SharedStore() as store:
        return _make_once(options, request_of(options), store.open)


def _make_once(
    options: argparse.Namespace, request: Request, opened: OpenStore
) -> tuple[int, Run, Verdict, Published | None]:
    began = time.perf_counter()
    run, verdict = read_and_judge(request.read, Progress, opened)
    show_trouble(run, verdict, notes=not options.quiet)
    _show_notes(() if options.quiet else request.read.notes)
    if not run.files:
        _show_nothing_read(Report(run, verdict, PageInfo(request.read.made)), options)
        return NOTHING_READ, run, verdict, None
    report = make_report(run, verdict, request)
    _show_notes(report.info.section_trouble)
    published = publish(report, request, Progress)
    lost = keep_in_history(report, request.read.history, published.link or str(published.page), opened)
    notified = notify(report, request, published, Progress)
    failed = (*published.failed, *notified.failed)
    for error in failed:
        show_error(error)
    _show_notes((*published.notes, *lost, *notified.notes))
    _show_report(report, published, request.report, options, time.perf_counter() - began)
    if options.open:
        open_page(published.page)
    trouble = run.in_series.trouble if run.in_series else ()
    in_the_way = bool(failed) or (request.read.history.required and bool(trouble or lost))
    code = exit_code(run, verdict, request.report)
    return NOT_PASSED_ON if code == DONE and in_the_way else code, run, verdict, published


def _show_nothing_read(report: Report, options: argparse.Namespace) -> None:
    show_labelled("error", "no input could be read, so no report was written")
    if options.json:
        show_summary(report, SummaryWriter(options.detail))


def _show_notes(notes: Sequence[str]) -> None:
    for note in notes:
        show_labelled("note", note)


def _show_report(
    report: Report, published: Published, wanted: ReportTable, options: argparse.Namespace, took_s: float
) -> None:
    """Print what the run asks for: JSON, Markdown, or the verdict with where everything is."""
    if options.json:
        show_summary(report, SummaryWriter(options.detail, published.files))
    elif wanted.markdown == STANDARD_OUTPUT:
        from plain_verdict.writers.markdown import MarkdownWriter  # for those who print it

        show_document(MarkdownWriter(published.link).render_text(report), end="")
    elif not options.quiet:
        show_verdict(report.run, report.verdict)
        _show_published(published, took_s)


def _show_published(published: Published, took_s: float) -> None:
    for path in published.removed:
        show(f"Removed an old page: {path}", "soft")
    for name, path in published.others.items():
        show(f"{_WRITTEN[name]}: {path}", "soft")
    for name, path in published.outputs.items():
        show(f"Output “{name}”: {path}", "soft")
    for address in published.addresses:
        show(f"Published: {address}")
    show(f"Took {took_s:.2f} s. Report:", "soft")
    show(str(published.page))


def exit_code(run: Run, verdict: Verdict, wanted: ReportTable) -> int:
    """Return the exit code; where several apply, the first in the order of the documentation."""
    if wanted.enforce and verdict.word is not VerdictWord.FIT:
        return NOT_FIT
    return PARTLY_READ if wanted.strict and run.not_whole else DONE


def open_page(page: Path) -> None:
    """Open the page in the user's browser, or say that there is none."""
    import webbrowser  # it looks for all browsers there are

    if not webbrowser.open(page.as_uri()):
        show_labelled("note", "no browser could be opened.")
