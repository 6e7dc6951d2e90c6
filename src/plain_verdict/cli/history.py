"""``plain-verdict history``: what earlier builds were, what changed between two, and what is kept of them."""

import argparse
from collections.abc import Callable, Iterator, Sequence
from datetime import datetime
from functools import cached_property
from pathlib import Path

from plain_verdict.cli.common import DONE, NOTHING_READ, add_debug
from plain_verdict.cli.options import add_config, add_masking, add_results, read_request_of, settings_source
from plain_verdict.cli.show import show_trouble
from plain_verdict.cli.terminal import Progress, show, show_labelled
from plain_verdict.history.alignment import align
from plain_verdict.history.comparison import compare_outcomes
from plain_verdict.history.exporting import check_export, write_export
from plain_verdict.history.gaps import find_gaps, keys_of_other_branches
from plain_verdict.history.interface import Store
from plain_verdict.history.pages import newest_kept, read_earlier, read_kept
from plain_verdict.history.stores import check_store, open_store
from plain_verdict.inputs.completeness import read_age
from plain_verdict.model import Build, Changed, KeptRun
from plain_verdict.pipeline import read_and_judge
from plain_verdict.report import PageInfo, Report
from plain_verdict.request.checks import check_settings
from plain_verdict.runtime.errors import HistoryError, UsageError
from plain_verdict.settings.loading import read_settings
from plain_verdict.settings.schema import HistoryTable
from plain_verdict.text.cleaning import single_line
from plain_verdict.text.formatting import format_day, format_time_of_day, join_list, plural, spelled

_LISTED_BUILDS = 40  # the newest ones: more do not fit on a screen
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
    for parser_ in (listing, showing, comparing, exporting):
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


def _settings(options: Options) -> HistoryTable:
    settings = read_settings(settings_source(options), check_settings)
    if not options.history:
        settings.refuse_ignored("history.store")
    for note in settings.notes:
        show_labelled("note", note)
    return settings.file.history


def _store(options: Options) -> Store:
    """Return the store that is meant. Raises UsageError where none is."""
    address = options.history or _settings(options).store
    if not address:
        raise UsageError("no store is given", hint="name one with --history, or as history.store in the settings")
    check_store(address)
    return open_store(address)


class _Runs:
    """The runs that an action looks at: those of the store, of pages that are named, or of pages that are here."""

    def __init__(self, options: Options) -> None:
        table = _settings(options)
        address = options.history or table.store
        named = options.previous or list(table.previous) or ([] if address else ["."])
        self._kept, trouble, notes = read_earlier(named)
        for note in (*trouble, *notes):
            show_labelled("note", note)
        self._address = address
        if address:
            check_store(address)
            if "://" not in address and not Path(address).exists():
                raise HistoryError("is not there", path=address, hint="report --history makes it")
        self._wanted = (options.series or "").casefold()

    def builds(self) -> list[Build]:
        """Return the builds of the wanted series, the oldest first."""
        return list(filter(self.is_wanted, self.all_builds))

    def is_wanted(self, build: Build) -> bool:
        """Return whether a build is of a series that is asked for."""
        return self._wanted in build.series.casefold()

    @cached_property
    def all_builds(self) -> list[Build]:
        """Return the builds of all series, the oldest first."""
        found = [run.build for run in self._kept]
        if self._address:
            known = {build.id for build in found}
            with open_store(self._address) as store:
                found += [build for build in store.builds() if build.id not in known]
        return sorted(found, key=lambda build: (build.moment, build.id))

    def run(self, build: Build) -> KeptRun:
        """Return a build with its checks."""
        return next(self.each([build]))

    def each(self, builds: Sequence[Build]) -> Iterator[KeptRun]:
        """Yield builds with their checks, in their order."""
        kept = {run.build.id: run for run in self._kept}
        stored = self._stored([build.id for build in builds if build.id not in kept])
        for build in builds:
            run = kept.get(build.id) or next(stored, None)
            if run is None or run.build.id != build.id:
                raise HistoryError("is gone", path=build.label, hint="somebody removed it just now")
            yield run

    def _stored(self, ids: Sequence[str]) -> Iterator[KeptRun]:
        if ids and self._address:
            with open_store(self._address) as store:
                yield from store.runs(ids)

    def all(self) -> Iterator[KeptRun]:
        """Yield every run, the oldest first."""
        return self.each(self.builds())

    def meant(self, wanted: str) -> Build:
        """Return the newest build of a key, or the one whose id begins so. Raises UsageError."""
        builds = self.builds()
        found = [build for build in builds if wanted in (build.build, build.label)]
        if not found and len(wanted) > 2:
            found = [build for build in builds if build.id.startswith(wanted)]
        if not found:
            last = join_list([build.label for build in builds[:-6:-1]], most=5)
            hint = f"the last are {last}" if last else "no builds found"
            raise UsageError(f"{wanted!r} is not a known build", hint=hint)
        series = sorted({f"“{build.series}”" for build in found})
        if len(series) > 1:
            hint = f"choose one with --series: {join_list(series)}"
            raise UsageError(f"{wanted!r} is a build in several series", hint=hint)
        return found[-1]


def _list(options: Options) -> int:
    runs = _Runs(options)
    all_builds = runs.all_builds
    builds = list(filter(runs.is_wanted, all_builds))
    if not builds:
        show_labelled("error", "no builds found; report --history or --out makes some")
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
    runs = _Runs(options)
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
    runs = _Runs(options)
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
    rows = write_export(path, _Runs(options).all())
    show(f"Wrote {plural(rows, 'row')} to {path}", "soft")
    return DONE


def _forget(options: Options) -> int:
    before = datetime.now().astimezone() - read_age(options.older_than)
    with _store(options) as store:
        number = store.forget(before)
    show(f"Removed {plural(number, 'build')} older than {format_day(before)}.")
    return DONE


def _is_page(name: str) -> bool:
    return name.endswith(_PAGE_SUFFIXES) and _holds_runs(Path(name))


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


def _holds_runs(path: Path) -> bool:
    """Return whether a file is a page, a digest or a summary, and no result file."""
    try:
        with path.open("rb") as opened:
            head = opened.read(4000)
    except OSError:
        return False
    return b"plain-verdict-page" in head or b'"plain-verdict/' in head[:200] or head[:2] == b"\x1f\x8b"
