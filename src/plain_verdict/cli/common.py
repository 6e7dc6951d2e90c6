"""What several commands share: arguments, reading, the words on stderr."""

import argparse
import sys
from typing import TYPE_CHECKING

from plain_verdict.cli.terminal import Progress, show, show_labelled
from plain_verdict.errors import PlainVerdictError

if TYPE_CHECKING:
    from datetime import datetime

    from plain_verdict.arrivals import Expected
    from plain_verdict.masking import Masker, MaskRules
    from plain_verdict.model import Run, Unread, Verdict
    from plain_verdict.settings_tables import SettingsFile

DONE, NOT_FIT, NOTHING_READ, PARTLY_READ = 0, 1, 3, 4
_MOST_NOTES = 20


def add_results(parser: argparse.ArgumentParser) -> None:
    """Add the arguments of every command that reads results."""
    parser.add_argument(
        "results",
        nargs="+",
        metavar="RESULTS",
        help="result files, folders, or shell-style patterns like 'out/**/*.xml'; - reads standard input",
    )
    parser.add_argument(
        "--retry",
        nargs="+",
        action="append",
        default=[],
        metavar="RESULTS",
        help="results of a second go: a pass there supersedes a failure; repeat for a third",
    )
    parser.add_argument(
        "--json", action="store_true", help="print one JSON object on standard output and nothing else"
    )
    parser.add_argument("--detail", action="store_true", help="with --json: every check as well")
    add_debug(parser)


def add_debug(parser: argparse.ArgumentParser) -> None:
    """Add the option that every command has."""
    parser.add_argument("--debug", action="store_true", help="show where in the program an error arose")


def add_config(parser: argparse.ArgumentParser) -> None:
    """Add the option that names the settings."""
    parser.add_argument(
        "--config",
        metavar="FILE",
        help="settings (default: the nearest plain-verdict.toml up to the repository's root)",
    )


def add_masking(parser: argparse._ActionsContainer) -> None:
    """Add the option that turns masking on or off."""
    parser.add_argument(
        "--masking",
        action=argparse.BooleanOptionalAction,
        help="mask secrets in everything that is written or printed (default: on)",
    )


def mask_rules(options: argparse.Namespace, settings: "SettingsFile") -> "MaskRules":
    """Return what to mask: what the command line says, or else the settings."""
    from plain_verdict.masking import MaskRules

    table = settings.masking
    off = table.off if options.masking is None else not options.masking
    return MaskRules(off, table.patterns, table.leave)


def add_arrivals(parser: argparse._ActionsContainer) -> None:
    """Add the options that say which files must arrive and how old they may be."""
    parser.add_argument("--expect-files", type=int, metavar="N", help="undecided unless so many files arrive")
    parser.add_argument(
        "--newer-than", metavar="AGE", help="leave out results older than 6h, 2d, or a date like 2026-11-22"
    )


def read_results(results: list[str], expected: "Expected | None" = None) -> "Run":
    """Return the run that the arguments make up, with progress shown while it is read."""
    from plain_verdict.arrivals import Expected
    from plain_verdict.run import make_run

    with Progress("Reading") as progress:
        return make_run(results, expected or Expected(), progress)


def expected_by(options: argparse.Namespace, settings: "SettingsFile", now: "datetime") -> "Expected":
    """Return what must arrive: what the command line says, or else the settings."""
    from datetime import UTC, datetime

    from plain_verdict.arrivals import Expected, read_age, read_newer_than

    table = settings.input
    return Expected(
        patterns=table.expect,
        files=table.expect_files if options.expect_files is None else options.expect_files,
        stale_after=read_age(table.stale_after),
        newer_than=read_newer_than(options.newer_than or table.newer_than, now),
        variants=table.variants,
        variants_from=table.variants_from,
        retries=tuple(map(tuple, options.retry)) or tuple((argument,) for argument in table.retry),
        now=max(now, datetime.now(UTC)),
    )


def mask_results(run: "Run", rules: "MaskRules") -> "tuple[Run, Masker]":
    """Return the run with its secrets masked, and the masker, which knows how many."""
    from plain_verdict.masking import Masker, mask_run

    masker = Masker(rules)
    return mask_run(run, masker), masker


def show_trouble(run: "Run", verdict: "Verdict | None" = None, *, notes: bool = True) -> None:
    """Say on stderr what could not be read, and what was odd about the rest."""
    for trouble in run.unread:
        if trouble.chosen:
            show_labelled("note", trouble.sentence)
        else:
            show_unread(trouble)
    remarks = [note.sentence for note in run.notes if not note.quiet] if notes else []
    remarks += verdict.notes if verdict and notes else ()
    for remark in remarks[:_MOST_NOTES]:
        show_labelled("note", remark)
    if len(remarks) > _MOST_NOTES:
        show_labelled("note", f"{len(remarks) - _MOST_NOTES:,} more are on the page.")


def show_unread(trouble: "Unread") -> None:
    """Say on stderr why an input could not be read, and what to do."""
    from plain_verdict.cli.terminal import show_error

    show_error(PlainVerdictError(trouble.what, path=trouble.path, where=trouble.where, hint=trouble.hint))


def show_json(text: str) -> None:
    """Print JSON on stdout."""
    show(text, to=sys.stdout)
