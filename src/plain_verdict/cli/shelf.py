"""``plain-verdict shelf``: one page over all pages of a folder, and a feed of the newest."""

import argparse
import os
from datetime import datetime
from pathlib import Path

from plain_verdict.cli.common import DONE, add_debug
from plain_verdict.cli.options import add_config, overrides_of
from plain_verdict.cli.terminal import show, show_labelled
from plain_verdict.request.making import read_shelf_words
from plain_verdict.shelf.refreshing import refresh_folder
from plain_verdict.text.formatting import plural


def add_options(parser: argparse.ArgumentParser) -> None:
    """Add the command's options."""
    parser.add_argument("folder", metavar="FOLDER", help="where the pages are, also in folders below it")
    parser.add_argument("--title", metavar="TEXT", help="what it is called (default: Reports)")
    parser.add_argument("--link", metavar="URL", help="where others open the folder, for the feed")
    add_config(parser)
    add_debug(parser)


def run(options: argparse.Namespace) -> int:
    """Write index.html and feed.xml."""
    folder = Path(options.folder).absolute()
    words, notes = read_shelf_words(overrides_of(options), os.environ, datetime.now().astimezone())
    for note in notes:
        show_labelled("note", note)
    number = refresh_folder(folder, words)
    show(f"{plural(number, 'page')} on the shelf:", "soft")
    show(str(folder / "index.html"))
    return DONE
