"""Options that several commands share, and how they become a request."""

import argparse
import os
from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import Any

import msgspec

from plain_verdict.cli.common import add_debug
from plain_verdict.cli.terminal import hide
from plain_verdict.request import Overrides, ReadRequest, Request, make_read_request, make_request
from plain_verdict.request.making import source_of
from plain_verdict.settings.loading import SettingsSource
from plain_verdict.settings.options import Declared, declared_options

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
    add_how_read(parser)
    parser.add_argument("--json", action="store_true", help="print one JSON object and nothing else")
    parser.add_argument("--detail", action="store_true", help="with --json: include all checks")
    add_debug(parser)


def add_how_read(parser: argparse.ArgumentParser) -> None:
    """Add the options that say how results are read."""
    parser.add_argument(
        "--retry",
        nargs="+",
        action="append",
        default=[],
        metavar="RESULTS",
        help="results of a rerun; a pass there replaces the earlier failure; repeat for another rerun",
    )
    add_declared(parser, first="api.document")
    parser.add_argument(
        "--mapping",
        action="append",
        default=[],
        metavar="FILE",
        help="mappings for result files of your own format; repeat for more (docs/mappings.md)",
    )
    add_declared(parser, first="load.baseline engine.address")
    parser.add_argument(
        "--rules",
        metavar="FILE",
        help="settings file for everything that can change the verdict, such as waivers and conditions, instead "
        "of the settings that are found (docs/pipelines.md)",
    )
    add_declared(parser, "results", first="requirements.files")


def add_history(parser: argparse._ActionsContainer) -> None:
    """Add the options that say where earlier runs are."""
    add_declared(parser, first="history.previous history.store history.against")
    parser.add_argument(
        "--build", metavar="KEY", help="build number or name of this run (default: the fact “build”)"
    )
    add_declared(parser, "history")


def add_engine(parser: argparse.ArgumentParser) -> None:
    """Add the option that says where samples are counted."""
    add_declared(parser, first="engine.address")


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
    parser.add_argument(
        "--no-extensions",
        action="store_false",
        dest="extensions",
        help="use no installed extension (docs/extensions.md)",
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
    return read_request_at(options, os.environ, datetime.now().astimezone())


def read_request_at(options: argparse.Namespace, environment: Mapping[str, str], now: datetime) -> ReadRequest:
    """Return what is to be read and judged at a moment."""
    request = make_read_request(overrides_of(options), environment, now)
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
    add_declared(parser, "inputs", first="input.expect_files input.newer_than")


def add_declared(
    parser: argparse._ActionsContainer, group: str = "", first: str = "", choices: Mapping[str, Sequence[str]] = {}
) -> None:
    """Add options that are declared with their keys: those of ``first``, by key, then the others of the group."""
    keys = first.split()
    others = [key for key, found in declared_options().items() if group and found.option.group == group]
    there = {action.dest for action in parser._actions}
    for key in dict.fromkeys((*keys, *others)):
        declared = declared_options()[key]
        if declared.name not in there:
            _add(parser, declared, choices.get(key, declared.choices))


def _add(parser: argparse._ActionsContainer, declared: Declared, choices: Sequence[str]) -> None:
    option = declared.option
    how: dict[str, Any] = {"help": option.help}
    if declared.kind is bool:
        how["action"] = SWITCH
    elif choices:
        how["choices"] = choices
    else:
        how["metavar"] = option.metavar
    if declared.kind in (int, int | None):
        how["type"] = int
    elif declared.kind == tuple[str, ...]:
        how |= {"nargs": "+", "action": "extend"} if option.repeats else {"nargs": "+", "default": []}
    parser.add_argument(option.flag, dest=declared.name, **how)


def overrides_of(options: argparse.Namespace) -> Overrides:
    """Return what the command line says."""
    given = {name: getattr(options, name, None) for name in Overrides.__struct_fields__ if name != "settings"}
    values = {name: value for name, value in given.items() if value is not None}
    settings: dict[str, dict[str, object]] = {}
    for declared in declared_options().values():
        value = getattr(options, declared.name, None)
        if value is not None and (value not in ("", [], [""]) or declared.takes_empty):
            settings.setdefault(declared.table, {})[declared.key] = value
    return msgspec.convert({**values, "settings": settings}, Overrides)
