"""``plain-verdict history``: what earlier builds were, what changed between two, and what is kept of them."""

import argparse
import sys
from collections.abc import Callable, Sequence
from datetime import datetime
from pathlib import Path

from plain_verdict.cli.common import DONE, NOTHING_READ, add_debug
from plain_verdict.cli.earlier_runs import NO_BUILDS, EarlierRuns, history_settings
from plain_verdict.cli.options import add_config, add_masking, add_results, read_request_of
from plain_verdict.cli.show import show_trouble
from plain_verdict.cli.terminal import Progress, show, show_document, show_labelled
from plain_verdict.history.alignment import align
from plain_verdict.history.comparison import compare_outcomes
from plain_verdict.history.exporting import check_export, write_export
from plain_verdict.history.gaps import find_gaps, keys_of_other_branches
from plain_verdict.history.interface import Store
from plain_verdict.history.pages import holds_runs, newest_kept, read_kept
from plain_verdict.history.stores import check_store, open_store
from plain_verdict.inputs.completeness import read_age
from plain_verdict.model import Build, Changed, KeptRun
from plain_verdict.model.trends import Trend
from plain_verdict.pipeline import read_and_judge
from plain_verdict.report import PageInfo, Report
from plain_verdict.report.trends import trend_lists, trend_numbers, trend_sentence
from plain_verdict.runtime.atomic_files import write_bytes
from plain_verdict.runtime.errors import UsageError
from plain_verdict.settings.choices import TablesAs
from plain_verdict.text.cleaning import single_line
from plain_verdict.text.formatting import format_day, format_time_of_day, plural, spelled
from plain_verdict.writers.trends import trends_json, trends_table

_LISTED_BUILDS = 40  # the newest ones: more do not fit on a screen
_TREND_LINES = 10
_TREND_TABLES = {".csv": TablesAs.CSV, ".parquet": TablesAs.PARQUET}
_PAST_BUILDS = 20  # that tell how a check fared before
_PAGE_SUFFIXES = (".html", ".htm", ".json", ".json.gz")
Options = argparse.Namespace


def add_options(parser: argparse.ArgumentParser) -> None:
    """Add what can be done, each with its options."""
    actions = parser.add_subparsers(dest="action", required=True, metavar="ACTION", title="actions")

    def action(name: str, words: str, does: Callable[[Options], int]) -> argparse.ArgumentParser:
        added: argparse.ArgumentParser = actions.add_parser(name, help=words, description=f"{words}.".capitalize())
        added.set_defaults(does=does)
        return added

    listing = action("list", "list the builds, the newest last", _list)
    showing = action("show", "show a build: verdict, causes, failures", _show)
    showing.add_argument("build", metavar="BUILD", help="its number or name, or the beginning of its id")
    comparing = action("compare", "show the changes from one build to another", _compare)
    comparing.add_argument("build", metavar="A", help="the earlier build")
    comparing.add_argument("other", metavar="B", help="the later build")
    exporting = action("export", "write all checks of all builds as a table", _export)
    exporting.add_argument("file", metavar="FILE", help="file to write: .csv, or .parquet (needs pyarrow)")
    trends = action("trends", "list flaky, long failing and slower checks, and costly causes", _trends)
    trends.add_argument("--json", action="store_true", help="print one JSON object and nothing else")
    trends.add_argument("--out", metavar="FILE", help="also write a table: .csv, or .parquet (needs pyarrow)")
    for parser_ in (listing, showing, comparing, exporting, trends):
        parser_.add_argument("--previous", nargs="+", default=[], metavar="PAGE", help="pages, digests or folders")
        parser_.add_argument("--series", metavar="NAME", help="only this series; part of its name is enough")
        _add_store(parser_)
    forgetting = action("forget", "remove old builds from a store", _forget)
    forgetting.add_argument("--older-than", required=True, metavar="AGE", help="age, like 180d")
    _add_store(forgetting)
    adding = action("add", "add a run from result files, or the runs of pages", _add)
    add_results(adding)
    add_masking(adding)
    adding.add_argument("--title", metavar="TEXT", help="title of the run, as in its report")
    adding.add_argument(
        "--fact", action="append", metavar="KEY=VALUE", help="a fact about the run; repeat for more"
    )
    adding.add_argument("--build", metavar="KEY", help="build number or name (default: the fact “build”)")
    _add_store(adding, debug=False)


def _add_store(parser: argparse.ArgumentParser, *, debug: bool = True) -> None:
    parser.add_argument("--history", metavar="STORE", help="the store (default: history.store in the settings)")
    add_config(parser)
    if debug:
        add_debug(parser)


def run(options: Options) -> int:
    """Do what is asked for."""
    does: Callable[[Options], int] = options.does
    return does(options)


def _store(options: Options) -> Store:
    """Return the store that is meant. Raises UsageError where none is."""
    address = options.history or history_settings(options).store
    if not address:
        raise UsageError("no store is given", hint="name one with --history, or as history.store in the settings")
    check_store(address)
    return open_store(address)


def _list(options: Options) -> int:
    runs = EarlierRuns(options)
    all_builds = runs.all_builds
    builds = list(filter(runs.is_wanted, all_builds))
    if not builds:
        show_labelled("error", NO_BUILDS)
        return NOTHING_READ
    for series in dict.fromkeys(build.series for build in builds):
        listed = [build for build in builds if build.series == series]
        show(f"{single_line(series, 200)}: {plural(len(listed), 'build')}")
        gaps = find_gaps(listed, other_branches=keys_of_other_branches(all_builds, listed[-1]))
        if len(listed) > _LISTED_BUILDS:
            show(f"  and {len(listed) - _LISTED_BUILDS:,} earlier; export lists all", "soft")
        for position, build in enumerate(listed):
            if position < len(listed) - _LISTED_BUILDS:
                continue
            for missing in gaps.get(position, ()):
                show(f"  {missing:<14} no results", "soft")
            _show_line(build)
    return DONE


def _show_line(build: Build) -> None:
    tally = build.tally
    failed = tally.failed + tally.errored
    show(f"  {single_line(build.label, 40):<14}", end=" ")
    show(f"{build.verdict.value:<9}", build.verdict.value, end=" ")
    show(f"{failed:>6,} of {plural(tally.total, 'check')} failed, {_when(build)}")


def _when(build: Build) -> str:
    at = build.started or build.made
    return f"{format_day(at)}, {format_time_of_day(at)}"


def _show(options: Options) -> int:
    runs = EarlierRuns(options)
    build = runs.meant(options.build)
    kept = runs.run(build)
    show(f"{single_line(build.title or build.series, 200)}, {build.label}, {_when(build)}")
    show(f"{build.verdict.value.capitalize()}: {single_line(build.why, 1000)}", build.verdict.value)
    for fact, value in (("branch", build.branch), ("commit", build.commit), ("page", build.page), ("id", build.id)):
        if value:
            show(f"  {fact}: {single_line(value, 300)}", "soft")
    for cause in build.causes:
        show(f"{cause.checks:>6,}", "failed", end="  ")
        show(single_line(cause.name, 300))
    bad = [name for name, letter in zip(kept.check_index.names, kept.outcomes, strict=True) if letter in ("f", "e")]
    for name in bad[:_LISTED_BUILDS]:
        show(f"  failed: {single_line(name, 300)}")
    if len(bad) > _LISTED_BUILDS:
        show(f"  and {len(bad) - _LISTED_BUILDS:,} more failures", "soft")
    return DONE


def _compare(options: Options) -> int:
    runs = EarlierRuns(options)
    before, after = runs.meant(options.build), runs.meant(options.other)
    builds = [build for build in runs.builds() if build.series == after.series and build.moment < after.moment]
    *past, now, against = runs.each([*builds[-_PAST_BUILDS:], after, before])
    since = compare_outcomes(now, align(now.check_index, past), against)
    show(f"From {before.label} ({_when(before)}) to {after.label} ({_when(after)}):")
    for words, changes, style in (
        ("new", since.new, "failed"),
        ("failing again", since.failing_again, "failed"),
        ("fixed", since.fixed, "passed"),
        ("still failing", since.still_failing, "soft"),
        ("removed", since.removed, "soft"),
    ):
        _show_changes(words, changes, style)
    if since.added:
        show(f"{spelled(len(since.added), 'check')} added".capitalize(), "soft")
    return DONE


def _show_changes(words: str, changes: Sequence[Changed], style: str) -> None:
    show(f"{len(changes):>6,} {words}", style)
    for change in changes[:_LISTED_BUILDS]:
        show(f"         {single_line(change.name, 300)}")
        if change.before:
            show(f"           {change.before}", "soft")
    if len(changes) > _LISTED_BUILDS:
        show(f"         and {len(changes) - _LISTED_BUILDS:,} more", "soft")


def _export(options: Options) -> int:
    path = Path(options.file).absolute()
    check_export(path)
    rows = write_export(path, EarlierRuns(options).all())
    show(f"Wrote {plural(rows, 'row')} to {path}", "soft")
    return DONE


def _trends(options: Options) -> int:
    path = Path(options.out).absolute() if options.out else None
    if path and path.suffix not in _TREND_TABLES:
        raise UsageError("is not a table", path=str(path), hint="end it in .csv or .parquet")
    trends = EarlierRuns(options).trends()
    if not trends:
        show_labelled("error", NO_BUILDS)
        return NOTHING_READ
    if options.json:
        show_document(trends_json(trends))
    else:
        for trend in trends:
            _show_trend(trend)
    if path:
        table = trends_table(trends, _TREND_TABLES[path.suffix])
        write_bytes(path, b"".join(table.chunks()))
        show(f"Wrote {path}", "soft", to=sys.stderr if options.json else None)
    return DONE


def _show_trend(trend: Trend) -> None:
    newest = trend.newest
    show(f"{single_line(newest.series, 200)}: {plural(len(trend.builds), 'build')}")
    show(trend_sentence(trend), newest.verdict.value)
    for number, words in trend_numbers(trend):
        show(f"  {number} {words}", "soft")
    for listed in trend_lists(trend, _TREND_LINES):
        show(f"  {listed.name}")
        if not listed.lines:
            show(f"    {listed.nothing}", "soft")
        for line in listed.lines:
            show(f"    {single_line(line.name, 300)}")
            show(f"      {line.words}", "soft")
        if listed.more:
            show(f"    and {listed.more:,} more", "soft")


def _forget(options: Options) -> int:
    before = datetime.now().astimezone() - read_age(options.older_than)
    with _store(options) as store:
        number = store.forget(before)
    show(f"Removed {plural(number, 'build')} older than {format_day(before)}.")
    return DONE


def _is_page(name: str) -> bool:
    return name.endswith(_PAGE_SUFFIXES) and holds_runs(Path(name))


def _add(options: Options) -> int:
    pages = list(filter(_is_page, options.results))
    results = [name for name in options.results if name not in pages]
    runs = [read_kept(Path(page))[-1] for page in pages]
    judged = _judged(options, results) if results else []
    with _store(options) as store:
        for kept in newest_kept([*runs, *judged]):
            state = "kept" if store.add(kept) else "already stored"
            show(f"{kept.build.label}, {_when(kept.build)}: {state}")
    return NOTHING_READ if results and not judged else DONE


def _judged(options: Options, results: list[str]) -> list[KeptRun]:
    """Return the run of results as it is kept; none where nothing could be read."""
    request = read_request_of(argparse.Namespace(**{**vars(options), "results": results}))
    for note in request.notes:
        show_labelled("note", note)
    run, verdict = read_and_judge(request, Progress)
    show_trouble(run, verdict)
    if not run.files:
        show_labelled("error", "no result could be read")
        return []
    facts = run.in_series.facts if run.in_series else ()
    return [Report(run, verdict, PageInfo(request.made, title=request.title, facts=facts)).kept]
