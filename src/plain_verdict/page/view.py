"""Puts a run in the order in which the page tells it."""

import re
from collections import Counter, defaultdict
from collections.abc import Iterable, Sequence
from datetime import datetime
from heapq import nsmallest

import msgspec

from plain_verdict.model import Check, Fact, Outcome, Output, ResultFile, Run, Tally, Verdict, tally_of
from plain_verdict.page.album import Album, Shown, used_contents
from plain_verdict.page.front import Front
from plain_verdict.page.lanes import Timing, make_timing
from plain_verdict.page.variants import VariantGrid, make_grids
from plain_verdict.words import listed

_SLOWEST = 8
_OPEN_AT_MOST = 20  # failed checks are open from the start, unless they are so many that they bury the rest
_SHOWN_FACTS = 12
_VALUES_OF_A_FACT = 4
# By identity: hashing a member of an enum is slow, and there is one for every check.
_RANK = {id(outcome): rank for rank, outcome in enumerate(Outcome)}
DEFAULT_TITLE = "Check results"


class Variants(msgspec.Struct, frozen=True):
    """Checks of one name with different parameters, shown as one row; a check by itself is a row of its own."""

    name: str
    checks: tuple[Check, ...]
    columns: tuple[str, ...]
    tally: Tally


class SuiteGroup(msgspec.Struct, frozen=True):
    """A suite's own checks, gravest first, with what its files say of it."""

    path: tuple[str, ...]
    checks: tuple[Check, ...]
    tally: Tally
    took_s: float | None
    facts: tuple[Fact, ...] = ()
    outputs: tuple[Output, ...] = ()

    @property
    def rows(self) -> "Iterable[Check | Variants]":
        """Return the suite's checks, those of one name and several parameters together."""
        return _rows(self.checks)

    @property
    def bad(self) -> int:
        """Return how many checks failed or errored."""
        return self.tally.failed + self.tally.errored


class FileRow(msgspec.Struct, frozen=True):
    """One result file, with its own tally."""

    file: ResultFile
    tally: Tally
    took_s: float | None


class Page(msgspec.Struct, frozen=True):
    """Everything the template needs, in the order of the page. Times are moments, durations seconds."""

    title: str
    verdict: Verdict
    tally: Tally
    bad: tuple[Check, ...]
    open_bad: bool
    suites: tuple[SuiteGroup, ...]
    slowest: tuple[Check, ...]
    files: tuple[FileRow, ...]
    run: Run
    album: Album
    timing: Timing | None
    grids: tuple[VariantGrid, ...]
    facts: tuple[Fact, ...]
    more_facts: tuple[Fact, ...]
    started: datetime | None
    ended: datetime | None
    checks_took_s: float | None
    left_out: int
    """Checks that are counted but not on the page."""

    @property
    def slowest_suites(self) -> list[SuiteGroup]:
        """Return the suites whose checks took longest, where there are enough to tell apart."""
        timed = [group for group in self.suites if group.took_s and group.path]
        return sorted(timed, key=lambda group: -(group.took_s or 0))[:3] if len(timed) > 3 else []

    def picture_of(self, checks: Sequence[Check]) -> Shown | None:
        """Return the first picture that the checks of a cause have, if any has one."""
        leads = (self.album.lead(check.last) for check in checks)
        return next((one for lead in leads if lead for one in self.album.shown((lead,))), None)

    def only_in(self, checks: Sequence[Check]) -> list[str]:
        """Return the browser, platform or region in which alone the checks are, where the run has several."""
        keys = {fact.key for check in checks for fact in check.variant}
        values = {
            key: {fact.value for check in checks for fact in check.variant if fact.key == key} for key in keys
        }
        whole = all(len(check.variant) == len(keys) for check in checks)
        return [next(iter(several)) for key, several in sorted(values.items()) if whole and len(several) == 1]


def make_page(run: Run, verdict: Verdict, front: Front) -> Page:
    """Return the page's content."""
    shown = run if front.only == "all" else _only_failed(run)
    suites = tuple(_suites(shown, whole=shown is run))
    timed = [check for check in run.checks if check.attempts[-1].took_s]
    facts = tuple(_facts(run))
    started, ended = span_of(run)
    bad = tuple(check for group in suites for check in group.checks[: group.bad])
    return Page(
        title=front.title or title_of(run),
        verdict=verdict,
        tally=tally_of(run.checks),
        bad=bad,
        open_bad=len(bad) <= _OPEN_AT_MOST,
        suites=suites,
        slowest=tuple(nsmallest(_SLOWEST, timed, key=lambda check: -(check.attempts[-1].took_s or 0))),
        files=tuple(FileRow(file, tally_of(file.checks), _sum_s(file.checks)) for file in run.files),
        run=run,
        album=Album(shown),
        timing=make_timing(run),
        grids=make_grids(run),
        facts=facts[:_SHOWN_FACTS],
        more_facts=facts[_SHOWN_FACTS:],
        started=started,
        ended=ended,
        checks_took_s=_sum_s(run.checks),
        left_out=len(run.checks) - len(shown.checks),
    )


def part_of(group: SuiteGroup, first: int, most: int) -> SuiteGroup:
    """Return a part of a suite's checks; what its files say of it stands with the first part."""
    outputs = group.outputs if first == 0 else ()
    return msgspec.structs.replace(group, checks=group.checks[first : first + most], outputs=outputs)


def _only_failed(run: Run) -> Run:
    """Return the run without checks that passed or were skipped, and without the evidence that only they use."""
    checks = tuple(check for check in run.checks if check.outcome not in (Outcome.PASSED, Outcome.SKIPPED))
    kept = msgspec.structs.replace(run, checks=checks)
    used = used_contents(kept)
    return msgspec.structs.replace(kept, contents=tuple(one for one in run.contents if one.key in used))


def title_of(run: Run) -> str:
    """Return the title that the results give themselves."""
    names = {file.title for file in run.files if file.title}
    return names.pop() if len(names) == 1 else DEFAULT_TITLE


def _suites(run: Run, *, whole: bool) -> Iterable[SuiteGroup]:
    """Return the suites: those with failures first, then by name, numbers in names in their order."""
    checks: dict[tuple[str, ...], list[Check]] = defaultdict(list)
    for check in run.checks:
        checks[check.suite].append(check)
    facts: dict[tuple[str, ...], list[Fact]] = defaultdict(list)
    outputs: dict[tuple[str, ...], list[Output]] = defaultdict(list)
    for file in run.files:
        for notes in file.suites:
            facts[notes.suite] += notes.facts
            outputs[notes.suite] += notes.outputs
    groups = [
        SuiteGroup(
            path,
            tuple(sorted(own, key=lambda check: _RANK[id(check.attempts[-1].outcome)])),
            tally_of(own),
            _sum_s(own),
            tuple(_merged(facts[path])),
            tuple(outputs[path]),
        )
        for path in ({**checks, **{path: own for path, own in outputs.items() if own}} if whole else checks)
        for own in (checks.get(path, []),)
    ]
    return sorted(groups, key=lambda group: (not group.bad, [natural(part) for part in group.path]))


def _rows(checks: Sequence[Check]) -> Iterable[Check | Variants]:
    names = Counter(check.name for check in checks if check.parameters)
    together: dict[str, list[Check]] = defaultdict(list)
    for check in checks:
        if check.parameters and names[check.name] > 1:
            together[check.name].append(check)
    done: set[str] = set()
    for check in checks:
        if check.name not in together or not check.parameters:
            yield check
        elif check.name not in done:
            done.add(check.name)
            same = together[check.name]
            columns = dict.fromkeys(parameter.key for one in same for parameter in one.parameters)
            yield Variants(check.name, tuple(same), tuple(columns), tally_of(same))


def natural(text: str) -> list[tuple[int, int | str]]:
    """Return a sorting key by which ``deck 2`` comes before ``deck 10``."""
    parts = re.split(r"([0-9]{1,15})", text.casefold())
    return [(0, int(part)) if part.isdigit() and part.isascii() else (1, part) for part in parts if part]


def _sum_s(checks: Sequence[Check]) -> float | None:
    times = [attempt.took_s for check in checks for attempt in check.attempts if attempt.took_s is not None]
    return sum(times) if times else None


def _facts(run: Run) -> Iterable[Fact]:
    return _merged([fact for file in run.files for notes in file.suites for fact in notes.facts])


def _merged(facts: Sequence[Fact]) -> list[Fact]:
    """Return each key once, with its distinct values in the order of their first appearance."""
    values: dict[str, dict[str, None]] = defaultdict(dict)
    for fact in facts:
        values[fact.key][fact.value] = None
    return [Fact(key, listed(list(several), most=_VALUES_OF_A_FACT)) for key, several in values.items()]


def span_of(run: Run) -> tuple[datetime | None, datetime | None]:
    """Return when the run began and ended, both in the zone of its beginning."""
    starts = [file.started for file in run.files if file.started]
    ends = [file.ended for file in run.files if file.ended]
    zoned = {moment.tzinfo is not None for moment in (*starts, *ends)}
    if not starts or len(zoned) > 1:
        # Times with and without a zone can't be compared; the first file's stands for the run.
        return (starts[0] if starts else None), None
    started, ended = min(starts), max(ends)
    return started, ended.astimezone(started.tzinfo) if started.tzinfo else ended
