"""``plain-verdict index``: one page over all pages of a folder, and a feed of the newest."""

import argparse
import os
from datetime import datetime
from pathlib import Path

from plain_verdict.cli.common import DONE, add_debug
from plain_verdict.cli.options import add_config, overrides_of
from plain_verdict.cli.terminal import show, show_labelled
from plain_verdict.delivery.report_index.refreshing import refresh_folder
from plain_verdict.request.making import read_index_words
from plain_verdict.text.formatting import plural


def add_options(parser: argparse.ArgumentParser) -> None:
    """Add the command's options."""
    parser.add_argument("folder", metavar="FOLDER", help="folder with the reports; folders inside it are included")
    parser.add_argument("--title", metavar="TEXT", help="title of the index (default: Reports)")
    parser.add_argument("--link", metavar="URL", help="address of the folder for others, used in the feed")
    add_config(parser)
    add_debug(parser)


def run(options: argparse.Namespace) -> int:
    """Write index.html and feed.xml."""
    folder = Path(options.folder).absolute()
    words, notes = read_index_words(overrides_of(options), os.environ, datetime.now().astimezone())
    for note in notes:
        show_labelled("note", note)
    number = refresh_folder(folder, words)
    show(f"{plural(number, 'page')} in the index:", "soft")
    show(str(folder / "index.html"))
    return DONE
