"""Options that several commands share, and how they become a request."""

import argparse
import os
from datetime import datetime

import msgspec

from plain_verdict.cli.common import add_debug
from plain_verdict.cli.terminal import hide
from plain_verdict.request import Overrides, ReadRequest, Request, make_read_request, make_request
from plain_verdict.request.making import source_of
from plain_verdict.settings.loading import SettingsSource

SWITCH = argparse.BooleanOptionalAction


def add_results(parser: argparse.ArgumentParser) -> None:
    """Add the arguments of every command that reads results."""
    parser.add_argument(
        "results",
        nargs="+",
        metavar="RESULTS",
        help="result files, folders, or shell-style patterns like 'out/**/*.xml'; - reads standard input; "
        "a kind before one says what it is, like api=fares/*.xml",
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
        "--api-document",
        metavar="FILE",
        help="an OpenAPI 3.0 or 3.1 document to group and compare the calls by",
    )
    parser.add_argument(
        "--shape",
        action="append",
        default=[],
        metavar="FILE",
        help="shapes: descriptions of result files in forms of your own; repeat for more (docs/shapes.md)",
    )
    parser.add_argument(
        "--baseline",
        nargs="+",
        default=[],
        metavar="SAMPLES",
        help="load results of an earlier run to compare with (docs/load.md)",
    )
    add_engine(parser)
    parser.add_argument(
        "--rules",
        metavar="FILE",
        help="settings that judge: waivers, conditions and whatever can change the verdict come from this file "
        "and not from the one that is found (docs/pipelines.md)",
    )
    parser.add_argument(
        "--requirements",
        nargs="+",
        default=[],
        metavar="FILE",
        help="what was asked for, as CSV, TOML, Markdown, ReqIF or feature files (docs/requirements.md)",
    )
    parser.add_argument(
        "--json", action="store_true", help="print one JSON object on standard output and nothing else"
    )
    parser.add_argument("--detail", action="store_true", help="with --json: every check as well")
    add_debug(parser)


def add_history(parser: argparse._ActionsContainer) -> None:
    """Add the options that say where earlier runs are."""
    parser.add_argument(
        "--earlier",
        nargs="+",
        default=[],
        metavar="PAGE",
        help="pages, digests and summaries of earlier runs, or folders of them (docs/history.md)",
    )
    parser.add_argument(
        "--history", metavar="STORE", help="keep runs in a file of SQLite, or in postgresql://user@host/database"
    )
    parser.add_argument("--against", metavar="BUILD", help="compare with this build, or the last of this branch")
    parser.add_argument("--build", metavar="KEY", help="what this run is called (default: the fact “build”)")
    parser.add_argument(
        "--look-beside",
        action=SWITCH,
        help="look for the page of the run before in the folder of the new one (default: on)",
    )


def add_engine(parser: argparse.ArgumentParser) -> None:
    """Add the option that says where samples are counted."""
    parser.add_argument(
        "--engine",
        metavar="ADDRESS",
        help="read results on a Dask cluster: dask://HOST:PORT, or dask://local to try it (docs/load.md)",
    )


def add_config(parser: argparse.ArgumentParser) -> None:
    """Add the option that names the settings."""
    parser.add_argument(
        "--config",
        metavar="FILE",
        help="settings (default: the nearest plain-verdict.toml up to the repository's root)",
    )
    parser.add_argument(
        "--trust-settings",
        action="store_true",
        help="trust settings that were found like those that --config names (docs/settings.md)",
    )


def settings_source(options: argparse.Namespace) -> SettingsSource:
    """Return where the settings of a command are that makes no request of them."""
    return source_of(overrides_of(options), os.environ)


def request_of(options: argparse.Namespace) -> Request:
    """Return what the command line and the settings want. From here on no line shows a secret of theirs."""
    request = make_request(overrides_of(options), os.environ, datetime.now().astimezone())
    hide(request.read.options.masking.known)
    return request


def read_request_of(options: argparse.Namespace) -> ReadRequest:
    """Return what is to be read and judged, where no page is made of it."""
    request = make_read_request(overrides_of(options), os.environ, datetime.now().astimezone())
    hide(request.options.masking.known)
    return request


def add_masking(parser: argparse._ActionsContainer) -> None:
    """Add the options that say what is masked."""
    parser.add_argument(
        "--masking",
        action=SWITCH,
        help="mask secrets in everything that is written or printed (default: on)",
    )
    parser.add_argument(
        "--mask-values",
        action="append",
        metavar="FILE",
        help="mask every secret in this file, wherever it stands: KEY=VALUE lines, JSON, or one a line; "
        "repeat for more (docs/masking.md)",
    )


def add_arrivals(parser: argparse._ActionsContainer) -> None:
    """Add the options that say which files must arrive and how old they may be."""
    parser.add_argument("--expect-files", type=int, metavar="N", help="undecided unless so many files arrive")
    parser.add_argument(
        "--newer-than", metavar="AGE", help="leave out results older than 6h, 2d, or a date like 2026-11-22"
    )


def overrides_of(options: argparse.Namespace) -> Overrides:
    """Return what the command line says."""
    given = {name: getattr(options, name, None) for name in Overrides.__struct_fields__}
    return msgspec.convert({name: value for name, value in given.items() if value is not None}, Overrides)
