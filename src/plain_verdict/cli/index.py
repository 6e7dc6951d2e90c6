"""``plain-verdict index``: a page over the pages of a folder or the builds of a store, and a feed of the pages."""

import argparse
import os
from datetime import datetime
from pathlib import Path

from plain_verdict.cli.common import DONE, NOTHING_READ, add_debug
from plain_verdict.cli.earlier_runs import NO_BUILDS, EarlierRuns
from plain_verdict.cli.options import add_config, overrides_of
from plain_verdict.cli.terminal import show, show_labelled
from plain_verdict.delivery.report_index.from_store import write_store_index
from plain_verdict.delivery.report_index.refreshing import refresh_folder
from plain_verdict.delivery.report_index.title import IndexWords
from plain_verdict.model.marks import FIRST_PAGE
from plain_verdict.request.making import read_index_words
from plain_verdict.runtime.errors import UsageError
from plain_verdict.text.formatting import plural


def add_options(parser: argparse.ArgumentParser) -> None:
    """Add the command's options."""
    parser.add_argument(
        "folder", metavar="FOLDER", nargs="?", help="folder with the reports; folders inside it are included"
    )
    parser.add_argument("--title", metavar="TEXT", help="title of the index (default: Reports)")
    parser.add_argument("--link", metavar="URL", help="address of the folder for others, used in the feed")
    parser.add_argument("--history", metavar="STORE", help="instead of a folder: the builds of this store")
    parser.add_argument("--out", metavar="FOLDER", help="with --history: folder for the index")
    parser.add_argument(
        "--series", metavar="NAME", help="with --history: only this series; part of its name is enough"
    )
    parser.set_defaults(previous=[])
    add_config(parser)
    add_debug(parser)


def run(options: argparse.Namespace) -> int:
    """Write index.html, and feed.xml where there are pages."""
    _check(options)
    words, notes = read_index_words(overrides_of(options), os.environ, datetime.now().astimezone())
    for note in notes:
        show_labelled("note", note)
    return _of_store(options, words) if options.history else _of_folder(Path(options.folder).absolute(), words)


def _check(options: argparse.Namespace) -> None:
    """Make sure that the options fit together. Raises UsageError."""
    if bool(options.folder) == bool(options.history):
        raise UsageError(
            "index needs a folder with reports, or a store", hint="name a folder, or give --history and --out"
        )
    if options.history and not options.out:
        raise UsageError("--history needs a folder for the index", hint="name it with --out")
    for name in ("out", "series"):
        if getattr(options, name) and not options.history:
            raise UsageError(f"--{name} is for --history only", hint="leave it out, or give --history")


def _of_folder(folder: Path, words: IndexWords) -> int:
    made = refresh_folder(folder, words)
    for note in made.notes:
        show_labelled("note", note)
    show(f"{plural(made.pages, 'page')} in the index:", "soft")
    show(str(folder / FIRST_PAGE))
    return DONE


def _of_store(options: argparse.Namespace, words: IndexWords) -> int:
    runs = EarlierRuns(options)
    builds = runs.builds()
    if not builds:
        show_labelled("error", NO_BUILDS)
        return NOTHING_READ
    folder = Path(options.out).absolute()
    write_store_index(builds, runs.trends(), folder, words)
    show(f"{plural(len(builds), 'build')} in the index:", "soft")
    show(str(folder / FIRST_PAGE))
    return DONE
