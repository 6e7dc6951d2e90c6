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
        help="result files, folders or patterns like 'out/**/*.xml'; - reads standard input; "
        "KIND= before one sets its kind, like api=fares/*.xml",
    )
    parser.add_argument(
        "--retry",
        nargs="+",
        action="append",
        default=[],
        metavar="RESULTS",
        help="results of a rerun; a pass there replaces the earlier failure; repeat for another rerun",
    )
    parser.add_argument(
        "--api-document",
        metavar="FILE",
        help="OpenAPI 3.0 or 3.1 document, to group the calls and compare them with it",
    )
    parser.add_argument(
        "--mapping",
        action="append",
        default=[],
        metavar="FILE",
        help="mappings for result files of your own format; repeat for more (docs/mappings.md)",
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
        help="settings file for everything that can change the verdict, such as waivers and conditions, instead "
        "of the settings that are found (docs/pipelines.md)",
    )
    parser.add_argument(
        "--requirements",
        nargs="+",
        default=[],
        metavar="FILE",
        help="requirements as CSV, TOML, Markdown, ReqIF or feature files (docs/requirements.md)",
    )
    parser.add_argument("--json", action="store_true", help="print one JSON object and nothing else")
    parser.add_argument("--detail", action="store_true", help="with --json: include all checks")
    add_debug(parser)


def add_history(parser: argparse._ActionsContainer) -> None:
    """Add the options that say where earlier runs are."""
    parser.add_argument(
        "--previous",
        nargs="+",
        default=[],
        metavar="PAGE",
        help="pages, digests and summaries of earlier runs, or folders of them (docs/history.md)",
    )
    parser.add_argument(
        "--history", metavar="STORE", help="store for runs: an SQLite file, or postgresql://user@host/database"
    )
    parser.add_argument(
        "--against", metavar="BUILD", help="compare with this build, or with the last build of this branch"
    )
    parser.add_argument(
        "--build", metavar="KEY", help="build number or name of this run (default: the fact “build”)"
    )
    parser.add_argument(
        "--find-previous",
        action=SWITCH,
        help="find the previous report in the folder of the new one (default: on)",
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
        help="settings file (default: the nearest plain-verdict.toml, up to the repository's root)",
    )
    parser.add_argument(
        "--trust-settings",
        action="store_true",
        help="trust the settings that are found as if --config named them (docs/settings.md)",
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
        help="mask secrets in all outputs (default: on)",
    )
    parser.add_argument(
        "--mask-values",
        action="append",
        metavar="FILE",
        help="file of secrets to mask: KEY=VALUE lines, JSON, or one secret per line; "
        "repeat for more (docs/masking.md)",
    )


def add_arrivals(parser: argparse._ActionsContainer) -> None:
    """Add the options that say which files must arrive and how old they may be."""
    parser.add_argument(
        "--expect-files",
        type=int,
        metavar="N",
        help="expected number of result files; fewer make the run undecided",
    )
    parser.add_argument(
        "--newer-than",
        metavar="AGE",
        help="leave out results older than an age like 6h or 2d, or a date like 2026-11-22",
    )


def overrides_of(options: argparse.Namespace) -> Overrides:
    """Return what the command line says."""
    given = {name: getattr(options, name, None) for name in Overrides.__struct_fields__}
    return msgspec.convert({name: value for name, value in given.items() if value is not None}, Overrides)
