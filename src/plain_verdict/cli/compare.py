"""``plain-verdict compare``: two runs side by side, whatever they are kept in."""

import argparse
import os
from collections.abc import Callable, Iterable
from datetime import datetime
from difflib import get_close_matches
from functools import cached_property
from pathlib import Path
from urllib.parse import quote, urlsplit

import msgspec

from plain_verdict.cli.common import DONE, NOTHING_READ
from plain_verdict.cli.earlier_runs import EarlierRuns
from plain_verdict.cli.options import add_config, add_masking, overrides_of, read_request_of
from plain_verdict.cli.show import show_trouble
from plain_verdict.cli.terminal import Progress, show, show_document, show_error, show_labelled
from plain_verdict.delivery.report_index.title import IndexWords
from plain_verdict.history.durations import DURATION_BUILDS
from plain_verdict.history.finding import HistoryOptions
from plain_verdict.history.pages import holds_runs, is_page, read_kept
from plain_verdict.history.side_by_side import Side, compare_runs
from plain_verdict.inputs.commits import CommitLog
from plain_verdict.inputs.repository import find_root
from plain_verdict.model import Build
from plain_verdict.model.marks import FIRST_PAGE
from plain_verdict.model.run_comparison import RunComparison
from plain_verdict.pipeline import read_and_judge
from plain_verdict.report import PageInfo, Report
from plain_verdict.report.side_by_side import SideBySide, side_by_side
from plain_verdict.request import ReadRequest
from plain_verdict.request.making import read_index_words
from plain_verdict.request.outputs import STANDARD_OUTPUT
from plain_verdict.runtime.atomic_files import write_bytes
from plain_verdict.runtime.errors import ReadError, UsageError, WriteError
from plain_verdict.text.addresses import way_to
from plain_verdict.text.cleaning import single_line
from plain_verdict.text.formatting import join_list
from plain_verdict.writers.html.compare_page import render_comparison
from plain_verdict.writers.side_by_side import comparison_json, comparison_markdown

_NEAREST = 5
_TERMINAL_ROWS = 10  # rows of a table on the terminal
Options = argparse.Namespace


def add_options(parser: argparse.ArgumentParser) -> None:
    """Add the command's options."""
    what = "a build or branch of the store, a page, digest or summary, or a folder or file of results"
    parser.add_argument("before", metavar="A", help=f"the earlier run: {what}")
    parser.add_argument("after", metavar="B", help="the later run: the same")
    parser.add_argument("--out", metavar="FILE", help="write the comparison as a page")
    parser.add_argument("--markdown", metavar="FILE", help="write the comparison as Markdown; - prints it")
    parser.add_argument("--json", action="store_true", help="print one JSON object and nothing else")
    parser.add_argument("--history", metavar="STORE", help="the store (default: history.store in the settings)")
    parser.add_argument("--previous", nargs="+", default=[], metavar="PAGE", help="pages, digests or folders")
    parser.add_argument("--series", metavar="NAME", help="only this series; part of its name is enough")
    add_config(parser)
    add_masking(parser)
    parser.set_defaults(results=[])


def run(options: Options) -> int:
    """Compare two runs and write what differs."""
    if options.json and options.markdown == STANDARD_OUTPUT:
        raise UsageError("--json and --markdown - both write to standard output", hint="give --markdown a file")
    words, notes = read_index_words(overrides_of(options), os.environ, datetime.now().astimezone())
    for note in notes:
        show_labelled("note", note)
    sides = _Sides(options, Path(options.out).absolute().parent if options.out else Path.cwd())
    try:
        before, after = _labelled(sides.side(options.before), sides.side(options.after))
    except ReadError as error:
        show_error(error)
        return NOTHING_READ
    commits = _commits_between(before.run.build, after.run.build) if sides.request.git else None
    compared = compare_runs(before, after, words.mask, commits)
    _give(options, compared, side_by_side(compared), words)
    return DONE


def _give(options: Options, compared: RunComparison, given: SideBySide, words: IndexWords) -> None:
    """Write and print what is asked for."""
    markdown = comparison_markdown(compared, given) if options.markdown else ""
    written = []
    if options.out:
        written.append(_write(options.out, render_comparison(compared, given, words.brand, words.made)))
    if options.json:
        show_document(comparison_json(compared))
    if options.markdown == STANDARD_OUTPUT:
        show_document(markdown, end="")
    elif options.markdown:
        written.append(_write(options.markdown, markdown))
    if not options.json and options.markdown != STANDARD_OUTPUT:
        _show(compared, given)
        for path in written:
            show(str(path))


def _write(name: str, text: str) -> Path:
    path = Path(name).absolute()
    if path.is_dir():
        raise WriteError("is a folder", path=str(path), hint="name a file")
    path.parent.mkdir(parents=True, exist_ok=True)
    write_bytes(path, text.encode("utf-8", "replace"))
    return path


class _Sides:
    """Finds the runs that arguments mean."""

    def __init__(self, options: Options, folder: Path) -> None:
        self._options = options
        self._folder = folder
        self.request = read_request_of(options)

    @cached_property
    def _earlier(self) -> EarlierRuns:
        return EarlierRuns(self._options)

    def side(self, wanted: str) -> Side:
        """Return the run that is meant. Raises UsageError and ReadError."""
        path = Path(wanted)
        page = path / FIRST_PAGE if is_page(path / FIRST_PAGE) else path
        if page.is_file() and holds_runs(page):
            *earlier, run = read_kept(page)
            return Side(run, run.build.label, self._link(str(page)) if is_page(page) else "", earlier)
        # Patterns, kinds and addresses are results, as for a report.
        if path.exists() or any(char in wanted for char in "*?[") or "=" in wanted or "://" in wanted:
            return self._judged(wanted)
        return self._kept(self._meant(wanted))

    def _kept(self, build: Build) -> Side:
        earlier = self._earlier.last_of(build.series, DURATION_BUILDS, build.moment)
        return Side(self._earlier.run(build), build.label, self._link(build.page), earlier)

    def _judged(self, wanted: str) -> Side:
        """Return the run of results, without facts of the pipeline: they would be those of both."""
        request: ReadRequest = msgspec.structs.replace(
            self.request, results=(wanted,), facts=(), git=False, history=HistoryOptions()
        )
        run, verdict = read_and_judge(request, Progress)
        show_trouble(run, verdict)
        if not run.files:
            raise ReadError(
                "holds no result that could be read", path=wanted, hint="name results, a page or a build"
            )
        report = Report(run, verdict, PageInfo(request.made, title=request.title))
        return Side(report.kept, report.kept.build.build or Path(wanted).name or wanted)

    def _meant(self, wanted: str) -> Build:
        """Return the build of a key, or the newest of a branch. Raises UsageError, which names the nearest."""
        builds = self._earlier.builds()
        found = self._earlier.named(wanted) or [build for build in builds if build.branch == wanted]
        if not found:
            known = [build.label for build in builds]
            nearest = _nearest(wanted, known)
            hint = f"the nearest are {join_list(nearest, most=_NEAREST)}" if nearest else "no builds found"
            raise UsageError(f"{wanted!r} is not a file, a known build or a branch", hint=hint)
        return self._earlier.only(found, wanted)

    def _link(self, page: str) -> str:
        """Return the way from the comparison to a page; "" where it is not there."""
        if urlsplit(page).scheme in ("http", "https"):
            return page
        path = Path(page)
        if not page or not path.is_file():
            return ""
        way = way_to(path.absolute(), self._folder)
        return way if way.startswith("file:") else quote(way)


def _nearest(wanted: str, known: Iterable[str]) -> list[str]:
    """Return the keys nearest to one: by number where both are numbers, else by their letters."""
    keys = list(dict.fromkeys(known))
    if wanted.isdecimal() and any(key.isdecimal() for key in keys):
        numbers = sorted(int(key) for key in keys if key.isdecimal())
        nearest = sorted(numbers, key=lambda number: (abs(number - int(wanted)), number))[:_NEAREST]
        return list(map(str, sorted(nearest)))
    return get_close_matches(wanted, keys, _NEAREST, 0.3) or keys[: -_NEAREST - 1 : -1]


def _labelled(before: Side, after: Side) -> tuple[Side, Side]:
    """Return two sides that are called differently: by branch, title or day where their builds have one name."""
    ways: tuple[Callable[[Build], str], ...] = (
        lambda build: build.branch,
        lambda build: build.title,
        lambda build: f"{build.moment:%d %b %H:%M:%S}",
    )
    # Two branches often have builds of one number.
    for way in ways:
        if before.label != after.label:
            break
        names = [f"{side.label} ({way(side.run.build)})" for side in (before, after)]
        if all(map(way, (before.run.build, after.run.build))) and names[0] != names[1]:
            before, after = (
                msgspec.structs.replace(side, label=name) for side, name in zip((before, after), names, strict=True)
            )
    return before, after


def _commits_between(before: Build, after: Build) -> int | None:
    """Return how many commits lead from one build to the other, by the repository around the working folder."""
    root = find_root(Path.cwd())
    if not (before.commit and after.commit and root) or before.commit == after.commit:
        return None
    found = CommitLog(root).between(before.commit, after.commit)
    # A number that may be wrong is none.
    return len(found.commits) if found.is_known and not found.trouble else None


def _show(compared: RunComparison, given: SideBySide) -> None:
    show(f"{given.title}, {given.distance}")
    for side, sentence in zip((compared.before, compared.after), given.sentences, strict=True):
        verdict = side.verdict.value
        show(f"{verdict.capitalize()}: {single_line(sentence, 1000)}", verdict)
    show(given.summary)
    for note in given.notes:
        show_labelled("note", note)
    for table in given.tables:
        show(f"  {table.name}, {table.aside}")
        for row in table.rows[:_TERMINAL_ROWS]:
            cells = [" ".join(filter(None, (cell.outcome, cell.text or cell.note))) for cell in row]
            show(f"    {single_line(' | '.join(cells), 300)}", "soft")
        more = max(0, len(table.rows) - _TERMINAL_ROWS) + table.more
        if more:
            show(f"    and {more:,} more", "soft")
