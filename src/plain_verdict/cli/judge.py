"""``plain-verdict judge``: the verdict and the exit code without a page, for the step that stops the line."""

import argparse

from plain_verdict.cli.common import DONE, NOT_FIT, NOTHING_READ
from plain_verdict.cli.options import (
    add_arrivals,
    add_config,
    add_history,
    add_masking,
    add_results,
    read_request_of,
)
from plain_verdict.cli.show import show_summary, show_trouble, show_verdict
from plain_verdict.cli.terminal import Progress, show_labelled
from plain_verdict.model import VerdictWord
from plain_verdict.pipeline import read_and_judge
from plain_verdict.report import PageInfo, Report
from plain_verdict.request.fingerprint import settings_fingerprint
from plain_verdict.writers.summary_json import SummaryWriter


def add_options(parser: argparse.ArgumentParser) -> None:
    """Add the command's options."""
    add_results(parser)
    add_config(parser)
    add_masking(parser)
    add_arrivals(parser)
    add_history(parser)


def run(options: argparse.Namespace) -> int:
    """Print the verdict."""
    report = judged_report(options)
    run, verdict = report.run, report.verdict
    show_trouble(run, verdict)
    if options.json:
        show_summary(report, SummaryWriter(options.detail))
    elif run.files:
        show_verdict(run, verdict)
    else:
        show_labelled("error", "no input could be read, so there is no verdict")
    if not run.files:
        return NOTHING_READ
    return DONE if verdict.word is VerdictWord.FIT else NOT_FIT


def judged_report(options: argparse.Namespace) -> Report:
    """Return the report on what the options mean, read and judged."""
    request = read_request_of(options)
    for note in request.notes:
        show_labelled("note", note)
    run, verdict = read_and_judge(request, Progress)
    return Report(run, verdict, PageInfo(request.made, settings=settings_fingerprint(request)))
