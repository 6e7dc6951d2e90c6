"""Writes an index of the builds that a store keeps, whether or not their pages are still there."""

from collections.abc import Sequence
from pathlib import Path
from urllib.parse import urlsplit

from plain_verdict.delivery.report_index.entries import Entry, newest_first
from plain_verdict.delivery.report_index.page import write_index
from plain_verdict.delivery.report_index.refreshing import check_index
from plain_verdict.delivery.report_index.title import IndexWords
from plain_verdict.delivery.report_index.trends import KeptTrend, masked_trend
from plain_verdict.model import Build, Outcome
from plain_verdict.model.marks import FIRST_PAGE
from plain_verdict.model.trends import Trend
from plain_verdict.report.index_line import IndexLine
from plain_verdict.runtime.atomic_files import write_bytes
from plain_verdict.runtime.errors import WriteError
from plain_verdict.text.addresses import way_to


def write_store_index(builds: Sequence[Build], trends: Sequence[Trend], folder: Path, words: IndexWords) -> None:
    """Write the index of some builds into a folder, with the trend of each of their series. Raises WriteError."""
    try:
        folder.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise WriteError(f"can't be made ({error.strerror})", path=str(folder), hint="change --out") from error
    check_index(folder)
    entries = newest_first({build.id: _entry(build, folder, words) for build in builds})
    by_series = {trend.newest.series: KeptTrend("", masked_trend(trend, words.mask)) for trend in trends}
    page = "".join(write_index(entries, by_series, ("", ""), words, has_feed=False))
    write_bytes(folder / FIRST_PAGE, page.encode("utf-8", "replace"))


def _entry(build: Build, folder: Path, words: IndexWords) -> Entry:
    tally = build.tally
    line = IndexLine(
        id=build.id,
        series=build.series,
        title=words.mask(build.title),
        verdict=build.verdict,
        why=words.mask(build.why),
        counts=tuple(tally.of(outcome) for outcome in Outcome),
        made=build.made,
        started=build.started,
        build=build.build,
        branch=build.branch,
    )
    return Entry(_link(build.page, folder), build.id, line)


def _link(page: str, folder: Path) -> str:
    """Return the way to a build's page: its address, or a path from the index's folder; "" where it is gone."""
    if urlsplit(page).scheme in ("http", "https"):
        return page
    path = Path(page)
    # Where a page was written on another machine, its path means nothing here.
    if not page or not path.is_absolute() or not path.is_file():
        return ""
    return way_to(path, folder)
