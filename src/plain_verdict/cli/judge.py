"""``plain-verdict judge``: the verdict and the exit code without a page, for the step that stops the line."""

import argparse
import os
from typing import TYPE_CHECKING

from plain_verdict.cli.common import (
    DONE,
    NOT_FIT,
    NOTHING_READ,
    add_arrivals,
    add_config,
    add_masking,
    add_results,
    expected_by,
    mask_results,
    mask_rules,
    read_results,
    show_json,
    show_trouble,
)
from plain_verdict.cli.terminal import show_labelled

if TYPE_CHECKING:
    from plain_verdict.masking import Masker
    from plain_verdict.model import Run, Verdict


def add_to(commands: "argparse._SubParsersAction[argparse.ArgumentParser]") -> None:
    """Add the command and its options."""
    text = 'Print the verdict and exit with 1 when it is not "fit". Writes nothing.'
    parser = commands.add_parser(
        "judge", help="print the verdict, and exit with 1 when it is not fit", description=text
    )
    add_results(parser)
    add_config(parser)
    add_masking(parser)
    add_arrivals(parser)
    parser.set_defaults(run=run)


def run(options: argparse.Namespace) -> int:
    """Print the verdict."""
    from plain_verdict.cli.report import show_verdict
    from plain_verdict.writers.summary import render_summary, summarise

    results, verdict, masker = judged(options)
    show_trouble(results, verdict)
    code = NOTHING_READ if not results.files else DONE if verdict.word.value == "fit" else NOT_FIT
    if options.json:
        show_json(render_summary(summarise(results, verdict, masked=masker.count, detail=options.detail)))
    elif results.files:
        show_verdict(results, verdict)
    else:
        show_labelled("error", "nothing could be read, so there is nothing to judge")
    return code


def judged(options: argparse.Namespace) -> "tuple[Run, Verdict, Masker]":
    """Return the run that the options mean, masked; the verdict on it; and the masker."""
    from plain_verdict.cli.wishes import made_at
    from plain_verdict.judge import judge
    from plain_verdict.settings_file import read_settings
    from plain_verdict.zones import in_zone, read_zone

    settings = read_settings(options.config)
    zone = read_zone(settings.report.time_zone)
    now = made_at(os.environ.get("SOURCE_DATE_EPOCH"))
    now = now.astimezone(zone) if zone else now
    results = read_results(options.results, expected_by(options, settings, now))
    results, masker = mask_results(in_zone(results, zone), mask_rules(options, settings))
    return results, judge(results, now.date(), settings.rules), masker
