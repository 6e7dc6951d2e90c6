"""Finds the forerunners of a run: in a store, in pages that are named, and in those beside the new one."""

import math
from collections.abc import Callable, Iterable, Iterator, Sequence
from datetime import datetime, timedelta
from pathlib import Path
from typing import NamedTuple
from urllib.parse import quote

import msgspec

from plain_verdict.history.alignment import align
from plain_verdict.history.comparison import compare
from plain_verdict.history.digest import keep_run
from plain_verdict.history.durations import NORMAL_AFTER
from plain_verdict.history.gaps import keys_of_other_branches, skip_numbers
from plain_verdict.history.interface import CHAIN, Store
from plain_verdict.history.keeping import build_of
from plain_verdict.history.pages import PageBeside, newest_kept, pages_beside, read_earlier, read_kept, series_mark
from plain_verdict.history.series import SERIES, name_series
from plain_verdict.history.stores import OpenStore, open_store
from plain_verdict.model import AlignedHistory, Build, Fact, HistoryContext, KeptRun, Past, Run
from plain_verdict.runtime.errors import HistoryError, ReadError
from plain_verdict.text.formatting import join_list

_MOST_READ = 8  # pages beside
_LEAST_SHARED = 0.2  # of the checks of the smaller run
_COMPARED_WITH = 5_000  # builds of a store among which another one is looked for


class HistoryOptions(msgspec.Struct, frozen=True):
    """Where earlier runs are, and which of them a run is compared with.

    ``store`` is a file or the address of a database, ``earlier`` are pages, digests, summaries and folders of them,
    ``beside`` is the folder of the new page, None where no page there counts. ``against`` is the key of a build
    or a branch, "" the run before. ``step`` is the schedule of the series, ``pages`` a template of the address of a
    build's page; ``normal_after`` is the number of builds after which a new duration is normal. ``up`` is the
    way from the page to its folder, ``replaced`` are names there that it will take. ``required``: trouble is an
    error. ``commit_is_sure``: user or pipeline names the commit whose code ran; what a repository has checked out
    may have changes that are not committed.
    """

    store: str = ""
    earlier: tuple[str, ...] = ()
    beside: str | None = None
    against: str = ""
    build: str = ""
    series: str = SERIES
    normal_after: int = NORMAL_AFTER
    step: timedelta | None = None
    pages: str = ""
    up: str = ""
    replaced: tuple[str, ...] = ()
    required: bool = False
    commit_is_sure: bool = True


Mask = Callable[[str], str]


class RunNames(NamedTuple):
    """What a run is called: when its report is made, its title, and all facts about it."""

    made: datetime
    title: str
    facts: Sequence[Fact]


def find_in_series(
    run: Run, options: HistoryOptions, names: RunNames, mask: Mask = str, opened: OpenStore = open_store
) -> HistoryContext:
    """Return a run's place among earlier ones. What can't be read costs no more than a note.

    ``opened`` opens the store. ``mask`` hides secrets in what earlier pages say: they may have been made without
    masking.
    """
    series = name_series(options.series, names.title, names.facts)
    build = build_of(run, series, options.build, names.made, names.title, names.facts)
    if not options.commit_is_sure:
        build = msgspec.structs.replace(build, commit="")
    now = keep_run(run, build)
    looked = _Looked(options, now, opened)
    found = looked.forerunners()
    past, traces = looked.related([run for run in found if run.build.series == series][-CHAIN:], now)
    against = looked.against(found) if options.against else _last_build(past, now.build)
    traces = _masked(traces, mask)
    since = None
    if against:
        since = compare(
            now,
            traces,
            against,
            options.step,
            normal_after=options.normal_after,
            other_branches=looked.other_branches(found),
        )
    if since and against not in past:  # names of another series, which are not masked yet
        removed = tuple(msgspec.structs.replace(changed, name=mask(changed.name)) for changed in since.removed)
        since = msgspec.structs.replace(since, removed=removed)
    return HistoryContext(now, traces, since, tuple(names.facts), tuple(looked.notes), tuple(looked.trouble))


def _last_build(past: Sequence[KeptRun], now: Build) -> KeptRun | None:
    """Return the last run of another build: by running a build once more no failure becomes an old one."""
    others = (run for run in reversed(past) if _tells(run) and not (now.build and run.build.build == now.build))
    return next(others, None)


def _tells(run: KeptRun) -> bool:
    """Return whether a run tells of its checks, not only how many there were."""
    return bool(run.check_index.ids) or not run.build.tally.total


def _masked(traces: AlignedHistory, mask: Mask) -> AlignedHistory:
    """Return the traces with secrets hidden in every text that may be shown."""
    replace = msgspec.structs.replace
    builds = []
    for build in traces.builds:
        causes = tuple(replace(cause, name=mask(cause.name)) for cause in build.causes)
        quarantine = tuple(replace(entry, name=mask(entry.name)) for entry in build.quarantine)
        masked = replace(build, title=mask(build.title), why=mask(build.why), causes=causes, quarantine=quarantine)
        builds.append(masked)
    others = {id_: mask(name) for id_, name in traces.others.items()}
    return replace(traces, builds=tuple(builds), others=others)


def _share_checks(run: KeptRun, outcomes: str) -> bool:
    """Return whether a run has enough checks in common with this one; ``outcomes`` is how those ended there."""
    shared = len(outcomes) - outcomes.count(Past.ABSENT)
    there = len(run.outcomes) - run.outcomes.count(Past.ABSENT)
    return shared >= min(len(outcomes), there) * _LEAST_SHARED


class _Looked:
    """Looks for earlier runs, and notes what is in the way."""

    def __init__(self, options: HistoryOptions, now: KeptRun, opened: OpenStore) -> None:
        self._opened = opened
        self._stored_builds: list[Build] = []
        self._options = options
        self._now, self._run = now.build, now
        self._pages = pages_beside(Path(options.beside)) if options.beside is not None else []
        self._addresses = {
            page.run: f"{options.up}{place.as_posix()}"
            for page in reversed(self._pages)
            if options.beside is not None
            and (place := page.file.relative_to(options.beside)).parts[0] not in options.replaced
        }
        self.notes: list[str] = []
        self.trouble: list[str] = []

    def forerunners(self) -> list[KeptRun]:
        """Return the runs before this one, of whatever series, the oldest first."""
        now = self._now
        runs = [*self._beside(), *self._named(), *self._stored()]
        self._note_again(run.build for run in runs if run.build.id == now.id)
        found = newest_kept(run for run in runs if run.build.id != now.id)
        before = [run for run in found if run.build.moment < now.moment]
        later = [run.build for run in found if run.build.moment >= now.moment and run.build.series == now.series]
        self._note_later(later)
        return [self._placed(run) for run in before]

    def _note_again(self, builds: Iterable[Build]) -> None:
        """Note that these results were those of a build with another key."""
        keys = {build.build for build in builds} - {self._now.build, ""}
        if keys and self._now.build:
            what = f"These results are those of build {join_list(sorted(keys))}, on the same commit"
            self.notes.append(f"{what}: they count once.")

    def _note_later(self, builds: Sequence[Build]) -> None:
        """Note which runs of the series are not before this one."""
        if builds:
            is_single = len(builds) == 1
            what = f"{builds[0].label}{'' if is_single else f' and {len(builds) - 1} more'} of this series"
            state = "it is" if is_single else "they are"
            self.notes.append(f"{what} started with this run or after it, so {state} not earlier.")

    def _beside(self) -> Iterator[KeptRun]:
        """Yield what the newest page of the series beside the new one holds, and builds too late for its chain.

        An older page of this very run, which the new one may take the place of, tells of its forerunners as well.
        """
        pages = list(filter(self._is_candidate, self._pages))
        known: set[str] = set()
        since = -math.inf
        for _ in range(_MOST_READ):
            # What is in the found chain, or before it, is known; a build that came late is in nobody's chain.
            left = (page for page in pages if page.run not in known and page.moment >= since)
            page = next(left, None)
            if page is None:
                return
            runs = self._runs_of(page)
            yield from runs
            known.update((page.run, *(run.build.id for run in runs)))
            if self._is_chain(page, runs):
                since = max(since, runs[0].build.moment.timestamp())

    def _is_candidate(self, page: PageBeside) -> bool:
        """Return whether a page is of the series, and not later than this run."""
        is_earlier = page.run == self._now.id or page.moment < self._now.moment.timestamp()
        return is_earlier and page.series == series_mark(self._now.series)

    def _is_chain(self, page: PageBeside, runs: Sequence[KeptRun]) -> bool:
        """Return whether a page holds forerunners of this run: it is of the same checks, or of this very run."""
        if page.run == self._now.id:
            return len(runs) > 1
        return bool(runs) and _share_checks(runs[-1], align(self._run.check_index, runs[-1:]).outcomes[0])

    def _runs_of(self, page: PageBeside) -> list[KeptRun]:
        """Return the runs that a page holds; a note where it can't be read."""
        try:
            return read_kept(page.file)
        except ReadError as error:
            self.notes.append(f"{page.file.name} {error.what}, so it is not used as an earlier run; {error.hint}.")
            return []

    def other_branches(self, runs: Sequence[KeptRun]) -> frozenset[str]:
        """Return the builds of other branches with this title: they are no gaps of this series."""
        now, series, title = self._now, series_mark(self._now.series), series_mark(self._now.title)
        of_runs = keys_of_other_branches([*(run.build for run in runs), *self._stored_builds], now)
        return of_runs.union(page.build for page in self._pages if page.title == title and page.series != series)

    def _placed(self, run: KeptRun) -> KeptRun:
        """Return a run with the link from the new page to its own, where that is known."""
        build = run.build
        address = self._addresses.get(build.id, "")
        if self._options.pages and build.build:
            address = self._options.pages.replace("{build}", quote(build.build, safe=""))
        return msgspec.structs.replace(run, build=msgspec.structs.replace(build, page=address))

    def _named(self) -> list[KeptRun]:
        if not self._options.earlier:
            return []
        runs, trouble, notes = read_earlier(self._options.earlier)
        self.trouble += trouble
        self.notes += notes
        others = {run.build.series for run in runs}
        if runs and self._now.series not in others:
            named = join_list(sorted(f"“{series}”" for series in others))
            self.notes.append(f"None of the given runs is of the series “{self._now.series}”: they are of {named}.")
        return runs

    def _stored(self) -> list[KeptRun]:
        if not self._options.store:
            return []
        try:
            with self._opened(self._options.store) as store:
                runs = store.runs_before(self._now.series, self._now.moment, CHAIN)
                if skip_numbers([*(run.build for run in runs), self._now]):
                    self._stored_builds = store.builds_between(runs[0].build.moment, self._now.moment)
                other = self._other(store) if self._options.against else None
        except HistoryError as error:
            self.trouble.append(
                f"The history {error.path} {error.what}, so this report does not use it; {error.hint}."
            )
            return []
        return [*runs, other] if other else runs

    def _other(self, store: Store) -> KeptRun | None:
        """Return the run of a store that this one is to be compared with."""
        builds = [build for build in store.builds()[-_COMPARED_WITH:] if build.moment < self._now.moment]
        meant = self._meant(builds)
        return store.run(meant.id) if meant else None

    def _meant(self, builds: Sequence[Build]) -> Build | None:
        """Return the build that ``against`` means: by its key in the series, else the newest of that branch."""
        wanted = self._options.against
        of_series = [build for build in builds if build.series == self._now.series and build.build == wanted]
        of_branch = [build for build in builds if build.branch == wanted and build.title == self._now.title]
        return next(iter([*of_series[::-1], *of_branch[::-1]]), None)

    def related(self, runs: list[KeptRun], now: KeptRun) -> tuple[list[KeptRun], AlignedHistory]:
        """Return the forerunners that share enough checks with this run, in its order; a note where none does.

        Runs of different things may have one title, where nobody gave them any.
        """
        if not runs:
            return [], AlignedHistory()
        traces = align(now.check_index, runs)
        kept = [
            run for run, series_now in zip(runs, traces.outcomes, strict=True) if _share_checks(run, series_now)
        ]
        if len(kept) == len(runs):
            return runs, traces
        if not kept:
            names = join_list([run.build.label for run in runs])
            self.notes.append(
                f"The earlier runs of this series ({names}) have other checks, so there is no comparison;"
                " give runs of different suites different titles."
            )
        return kept, align(now.check_index, kept)

    def against(self, runs: Sequence[KeptRun]) -> KeptRun | None:
        """Return the run to compare with; a note where there is none."""
        meant = self._meant([run.build for run in runs if _tells(run)])
        if meant is None:
            self.trouble.append(
                f"No earlier run is of build or branch “{self._options.against}”, so there is no comparison."
            )
            return None
        return next(run for run in runs if run.build.id == meant.id)
