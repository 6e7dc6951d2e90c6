"""The trends of the series on an index: made from the digests of their pages, and kept in the index."""

from collections import defaultdict
from collections.abc import Callable, Collection, Mapping, Sequence
from hashlib import blake2b

import msgspec

from plain_verdict import __version__
from plain_verdict.delivery.report_index.entries import Entry, element_in
from plain_verdict.delivery.report_index.title import IndexWords
from plain_verdict.history.digest import pack, unpack
from plain_verdict.history.interface import TREND_BUILDS
from plain_verdict.model import Build, KeptRun, Outcome, Tally, epoch_s
from plain_verdict.model.trends import Trend
from plain_verdict.report.index_line import IndexLine
from plain_verdict.runtime.errors import ReadError
from plain_verdict.runtime.guard import guarded

MOST_READ = 60
"""Pages of a series that are read; each holds a chain of its forerunners."""
TRENDS = "trends"
ReadRuns = Callable[[str], list[KeptRun]]
"""Returns the runs that a page holds. Raises ReadError."""


class KeptTrend(msgspec.Struct, frozen=True, array_like=True):
    """A trend, and what it was made from: it holds as long as that is the same."""

    source: str
    trend: Trend


class Trends(msgspec.Struct, frozen=True):
    """The trends of some series, and notes on pages that could not be read."""

    by_series: Mapping[str, KeptTrend]
    notes: tuple[str, ...] = ()


def make_trends(
    series: Mapping[str, Sequence[Entry]], known: Mapping[str, KeptTrend], read_runs: ReadRuns, words: IndexWords
) -> Trends:
    """Return the trend of each series, whose entries are the newest first; ``known`` holds those made before."""
    found: dict[str, KeptTrend] = {}
    notes: list[str] = []
    lines = _lines_by_title(series)
    for name, entries in series.items():
        newest = entries[:TREND_BUILDS]
        others = _keys_between(newest, lines)
        # Reading digests takes longest; a series that did not change is not read again.
        source = _source(entries, others, words)
        kept = known.get(name)
        if kept is None or kept.source != source:
            kept = KeptTrend(source, _trend_of(_runs(newest, read_runs, notes), others, words))
        found[name] = kept
    return Trends(found, tuple(notes))


def _trend_of(runs: Sequence[KeptRun], others: Collection[str], words: IndexWords) -> Trend:
    from plain_verdict.history.trends import make_trend  # NumPy, for indexes only

    return masked_trend(
        make_trend(runs, words.step, normal_after=words.normal_after, other_branches=others), words.mask
    )


def masked_trend(trend: Trend, mask: Callable[[str], str]) -> Trend:
    """Return a trend with secrets in names masked: its pages may have been made without masking."""
    replace = msgspec.structs.replace
    builds = tuple(
        replace(entry, build=replace(entry.build, why=mask(entry.build.why), causes=(), quarantine=(), measured=()))
        for entry in trend.builds
    )
    return replace(
        trend,
        builds=builds,
        flaky=tuple(replace(check, name=mask(check.name)) for check in trend.flaky),
        failing=tuple(replace(check, name=mask(check.name)) for check in trend.failing),
        slower=tuple(replace(change, name=mask(change.name)) for change in trend.slower),
        causes=tuple(replace(cause, name=mask(cause.name)) for cause in trend.causes),
    )


def _lines_by_title(series: Mapping[str, Sequence[Entry]]) -> dict[str, list[IndexLine]]:
    lines: dict[str, list[IndexLine]] = defaultdict(list)
    for entries in series.values():
        for entry in entries:
            if entry.line:
                lines[entry.line.title].append(entry.line)
    return lines


def _keys_between(entries: Sequence[Entry], lines: Mapping[str, Sequence[IndexLine]]) -> frozenset[str]:
    """Return the builds of other branches with the title of a series, while its builds ran: they are no gaps."""
    series = [entry.line for entry in entries if entry.line]
    first, last = epoch_s(series[-1].moment), epoch_s(series[0].moment)
    others = (line for line in lines[series[0].title] if line.series != series[0].series)
    return frozenset(line.build for line in others if first <= epoch_s(line.moment) <= last)


def _source(entries: Sequence[Entry], others: Collection[str], words: IndexWords) -> str:
    fingerprint = blake2b(f"{__version__}\0{words.step}\0{words.normal_after}".encode(), digest_size=12)
    # All pages of the series: its rows are kept with the trend.
    for text in (*(f"{entry.file}\0{entry.stamp}" for entry in entries), *sorted(others)):
        fingerprint.update(f"{text}\0".encode("utf-8", "surrogatepass"))
    return fingerprint.hexdigest()


def _runs(entries: Sequence[Entry], read_runs: ReadRuns, notes: list[str]) -> list[KeptRun]:
    """Return the last runs of a series, the oldest first: with their checks where a page holds them."""
    lines = [entry.line for entry in entries if entry.line]
    newest = lines[0]
    found = {run.build.id: run for run in _read(entries, read_runs, notes) if run.build.series == newest.series}
    found |= {line.id: KeptRun(_build_of(line)) for line in lines if line.id not in found}
    runs = sorted(found.values(), key=lambda run: (run.build.moment, run.build.id))
    # A forerunner may be of a page that is gone; nothing is newer than the newest page.
    last = [run.build.id for run in runs].index(newest.id)
    return runs[: last + 1][-TREND_BUILDS:]


def _read(entries: Sequence[Entry], read_runs: ReadRuns, notes: list[str]) -> list[KeptRun]:
    """Return what pages hold, each run once: pages whose run another one holds are not read."""
    found: dict[str, KeptRun] = {}
    read = 0
    for entry in entries:
        if entry.line is None or entry.line.id in found or read == MOST_READ:
            continue
        read += 1
        try:
            with guarded(entry.file):
                runs = read_runs(entry.file)
        except ReadError as error:
            notes.append(f"{entry.file} {error.what}, so its checks are not in the trends; {error.hint}.")
            continue
        # Of two copies the first stands, which is of the newer page.
        found = {run.build.id: run for run in runs} | found
    return list(found.values())


def _build_of(line: IndexLine) -> Build:
    """Return a build as the head of its page tells it."""
    counts = {outcome.value: number for outcome, number in zip(Outcome, line.counts, strict=False)}
    return Build(
        id=line.id,
        series=line.series,
        made=line.made,
        title=line.title,
        branch=line.branch,
        build=line.build,
        started=line.started,
        verdict=line.verdict,
        why=line.why,
        tally=Tally(**counts),
    )


def packed_trends(trends: Mapping[str, KeptTrend]) -> str:
    """Return trends as the index's page carries them."""
    return pack(msgspec.json.encode(dict(trends)))


def trends_in(index: bytes) -> dict[str, KeptTrend]:
    """Return the trends that an index's page carries, by series; nothing where they can't be read."""
    data = element_in(index, TRENDS)
    try:
        return msgspec.json.decode(unpack(data), type=dict[str, KeptTrend]) if data else {}
    except (msgspec.MsgspecError, ReadError, ValueError, OSError, EOFError):
        return {}
