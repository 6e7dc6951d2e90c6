"""``plain-verdict check``: whether the settings and the brand are right, before any results are there."""

import argparse

from plain_verdict.cli.common import DONE, add_config, add_debug
from plain_verdict.cli.terminal import show


def add_to(commands: "argparse._SubParsersAction[argparse.ArgumentParser]") -> None:
    """Add the command and its options."""
    text = "Check the settings, and what they name: logo, stylesheet, folders, addresses. Reads no results."
    parser = commands.add_parser(
        "check", help="check the settings and the brand, without results", description=text
    )
    add_config(parser)
    add_debug(parser)
    parser.set_defaults(run=run)


def run(options: argparse.Namespace) -> int:
    """Check the settings and say what they hold."""
    import os

    from plain_verdict.cli import make_parser
    from plain_verdict.cli.wishes import read_wishes
    from plain_verdict.settings_file import NAME, find_settings
    from plain_verdict.words import listed, plural

    path = find_settings(options.config)
    wanted = ["report", "-", *(["--config", options.config] if options.config else [])]
    wishes = read_wishes(make_parser().parse_args(wanted), os.environ)
    if path is None:
        show(f"No {NAME} is here or above; the defaults hold.")
        return DONE
    rules = wishes.rules
    show(f"{path} is right.")
    numbers = [
        plural(len(several), noun)
        for several, noun in ((rules.causes, "cause"), (rules.waivers, "waiver"), (rules.conditions, "condition"))
        if several
    ]
    show(f"  {listed(numbers) if numbers else 'no rules of the team'}", "soft")
    for logo, what in ((wishes.brand.logo, "logo"), (wishes.brand.logo_dark, "logo on dark")):
        if logo:
            show(f"  {what}: {logo.width} x {logo.height} in the band", "soft")
    for note in wishes.brand.notes:
        show(f"  {note}", "soft")
    return DONE
