"""The earlier runs of a command: those of a store, of pages that are named, or of pages in the working folder."""

import argparse
from collections.abc import Iterator, Sequence
from datetime import datetime, timedelta
from functools import cached_property, partial
from pathlib import Path

from plain_verdict.cli.options import settings_source
from plain_verdict.cli.terminal import show_labelled
from plain_verdict.history.gaps import keys_of_other_branches
from plain_verdict.history.interface import TREND_BUILDS
from plain_verdict.history.pages import read_earlier
from plain_verdict.history.stores import check_store, open_store
from plain_verdict.model import Build, KeptRun
from plain_verdict.model.trends import Trend
from plain_verdict.request.checks import check_settings, read_step
from plain_verdict.runtime.errors import HistoryError, UsageError
from plain_verdict.settings.loading import read_settings
from plain_verdict.settings.schema import HistoryTable
from plain_verdict.text.formatting import join_list

Options = argparse.Namespace
NO_BUILDS = "no builds found; report --history or --out makes some"


def history_settings(options: Options) -> HistoryTable:
    """Return the settings of the history, and show notes on them. Raises UsageError."""
    check = partial(check_settings, extensions=getattr(options, "extensions", True))
    settings = read_settings(settings_source(options), check)
    if not options.history:
        settings.refuse_ignored("history.store")
    for note in settings.notes:
        show_labelled("note", note)
    return settings.file.history


class EarlierRuns:
    """The runs of a store, of pages that are named, or of pages in the working folder."""

    def __init__(self, options: Options) -> None:
        table = history_settings(options)
        address = options.history or table.store
        named = options.previous or list(table.previous) or ([] if address else ["."])
        self._kept, trouble, notes = read_earlier(named)
        for note in (*trouble, *notes):
            show_labelled("note", note)
        self._address = address
        self.table = table
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

    def newest(self) -> list[Build]:
        """Return the newest build of each wanted series, the newest first."""
        by_series = {build.series: build for build in self.builds()}
        return sorted(by_series.values(), key=lambda build: build.moment, reverse=True)

    def run(self, build: Build) -> KeptRun:
        """Return a build with its checks and its detail. Raises HistoryError."""
        run = next((run for run in self._kept if run.build.id == build.id), None)
        if run is None and self._address:
            with open_store(self._address) as store:
                run = store.run(build.id)
        if run is None:
            raise _gone(build)
        return run

    def each(self, builds: Sequence[Build]) -> Iterator[KeptRun]:
        """Yield builds with their checks, in their order."""
        kept = {run.build.id: run for run in self._kept}
        stored = self._stored([build.id for build in builds if build.id not in kept])
        for build in builds:
            run = kept.get(build.id) or next(stored, None)
            if run is None or run.build.id != build.id:
                raise _gone(build)
            yield run

    def last_of(self, series: str, most: int, before: datetime | None = None) -> list[KeptRun]:
        """Return the last runs of a series, or the last before a moment, the oldest first."""
        of_series = (build for build in self.all_builds if build.series == series)
        builds = [build for build in of_series if _is_before(build, before)][-most:]
        found = {run.build.id: run for run in self._kept}
        if any(build.id not in found for build in builds):
            found = {run.build.id: run for run in self._last_stored(builds)} | found
        return [found[build.id] for build in builds if build.id in found]

    def _last_stored(self, builds: Sequence[Build]) -> list[KeptRun]:
        """Return some builds of a series from the store, as far as it has them: by one roster, which is quick."""
        if not self._address:
            return []
        after = builds[-1].moment + timedelta(microseconds=1)
        with open_store(self._address) as store:
            return store.runs_before(builds[-1].series, after, len(builds))

    def trends(self) -> list[Trend]:
        """Return the trend of each wanted series, the one with the newest build first."""
        from plain_verdict.history.trends import make_trend  # NumPy, for many builds together

        step = read_step(self.table.every) if self.table.every else None
        return [
            make_trend(
                self.last_of(newest.series, TREND_BUILDS),
                step,
                normal_after=self.table.normal_after,
                other_branches=keys_of_other_branches(self.all_builds, newest),
            )
            for newest in self.newest()
        ]

    def _stored(self, ids: Sequence[str]) -> Iterator[KeptRun]:
        if ids and self._address:
            with open_store(self._address) as store:
                yield from store.runs(ids)

    def all(self) -> Iterator[KeptRun]:
        """Yield every run, the oldest first."""
        return self.each(self.builds())

    def named(self, wanted: str) -> list[Build]:
        """Return the builds of a key, or those whose id begins so, the oldest first."""
        builds = self.builds()
        found = [build for build in builds if wanted in (build.build, build.label)]
        return found or [build for build in builds if len(wanted) > 2 and build.id.startswith(wanted)]

    def meant(self, wanted: str) -> Build:
        """Return the newest build of a key, or the one whose id begins so. Raises UsageError."""
        found = self.named(wanted)
        if not found:
            last = join_list([build.label for build in self.builds()[:-6:-1]], most=5)
            hint = f"the last are {last}" if last else "no builds found"
            raise UsageError(f"{wanted!r} is not a known build", hint=hint)
        return self.only(found, wanted)

    @staticmethod
    def only(found: Sequence[Build], wanted: str) -> Build:
        """Return the newest of some builds of one key. Raises UsageError where they are of several series."""
        series = sorted({f"“{build.series}”" for build in found})
        if len(series) > 1:
            hint = f"choose one with --series: {join_list(series)}"
            raise UsageError(f"{wanted!r} is a build in several series", hint=hint)
        return found[-1]


def _gone(build: Build) -> HistoryError:
    return HistoryError("is gone", path=build.label, hint="somebody removed it just now")


def _is_before(build: Build, moment: datetime | None) -> bool:
    return moment is None or build.moment < moment
