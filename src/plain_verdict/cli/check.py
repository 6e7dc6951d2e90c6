"""``plain-verdict check``: whether the settings and the brand are right, before any results are there."""

import argparse
from pathlib import Path

from plain_verdict.cli.common import DONE, NOT_PASSED_ON, add_debug
from plain_verdict.cli.options import add_config, request_of
from plain_verdict.cli.terminal import Progress, show, show_error
from plain_verdict.delivery.channels.smtp import try_server
from plain_verdict.history.stores import is_database, open_store
from plain_verdict.pipeline import read_api_document
from plain_verdict.remote.patiently import do_patiently
from plain_verdict.request import Request
from plain_verdict.runtime.errors import DeliveryError, HistoryError, PlainVerdictError
from plain_verdict.runtime.patience import Patience
from plain_verdict.settings.loading import NAME, find_settings
from plain_verdict.settings.rules import Rules
from plain_verdict.text.formatting import join_list, plural


def add_options(parser: argparse.ArgumentParser) -> None:
    """Add the command's options."""
    add_config(parser)
    add_debug(parser)


def _store_trouble(address: str) -> list[PlainVerdictError]:
    """Return what is wrong with a store; a file that is not there yet is made by the first report."""
    if not address or not (is_database(address) or Path(address).exists()):
        return []
    try:
        with open_store(address) as store:
            show(f"  history: {plural(len(store.builds()), 'build')}", "soft")
    except HistoryError as error:
        return [error]
    return []


def _delivery_trouble(request: Request) -> list[PlainVerdictError]:
    """Return what keeps reports from places and people: each is reached, and nothing is written or sent."""
    trouble: list[PlainVerdictError] = []
    for target in request.destinations:
        destination = target.destination
        if Path(destination.shown).is_absolute() and not Path(destination.shown).exists():
            show(f"  destination: {destination.shown}, created by the first report", "soft")
            continue
        try:
            found = do_patiently(destination, lambda files: files.find(), Patience(target.patience_s), Progress)
            files = plural(len(found), "file") if found is not None else "its files can't be listed"
            show(f"  destination: {destination.shown}, {files}", "soft")
        except DeliveryError as error:
            trouble.append(error)
    if request.sending:
        try:
            try_server(request.sending.server, request.sending.login)
            show(f"  mail: {request.sending.server} accepts mail", "soft")
        except DeliveryError as error:
            trouble.append(error)
    return trouble


def _rules_in(rules: Rules) -> str:
    by_noun = {"cause": rules.causes, "waiver": rules.waivers, "condition": rules.conditions}
    numbers = [plural(len(found), noun) for noun, found in by_noun.items() if found]
    numbers += [plural(len(rules.severities), "severity", "severities")] if rules.severities else []
    return join_list(numbers) if numbers else "no causes, waivers or conditions"


def run(options: argparse.Namespace) -> int:
    """Check the settings and say what they hold."""
    path = find_settings(options.config)
    request = request_of(options)
    if path is None:
        show(f"No {NAME} found here or in a parent folder; the defaults apply.")
        return DONE
    rules, brand = request.read.rules, request.brand
    show(f"{path} is valid.")
    show(f"  {_rules_in(rules)}", "soft")
    for logo, what in ((brand.logo, "logo"), (brand.logo_dark, "logo on dark")):
        if logo:
            show(f"  {what}: {logo.width} x {logo.height} in the band", "soft")
    api, trouble = read_api_document(request.read.options.api_document)
    if api:
        show(f"  API document: {api.title}, {plural(len(api.operations), 'operation')}", "soft")
    for note in (*brand.notes, *request.read.notes, *trouble, *(api.notes if api else ())):
        show(f"  {note}", "soft")
    refused = [*_store_trouble(request.read.history.store), *_delivery_trouble(request)]
    for error in refused:
        show_error(error)
    return NOT_PASSED_ON if refused else DONE
