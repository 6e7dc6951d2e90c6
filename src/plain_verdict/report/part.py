"""A part of a report that other processes and machines can render: some checks, with all that they show.

What each page says of the whole run goes along.
"""

from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from functools import cached_property
from typing import TypeVar

import msgspec

from plain_verdict.model import (
    AlignedHistory,
    ApiCalls,
    Call,
    ChangesSince,
    Checks,
    HistoryContext,
    KeptRun,
    ResultFile,
    Run,
    Verdict,
    detailed_of,
)
from plain_verdict.report.evidence_index import EvidenceIndex, used_contents
from plain_verdict.report.history import SHOWN_BUILDS
from plain_verdict.report.page_info import PageInfo
from plain_verdict.report.report import Report

_OF_THE_WHOLE = ("title", "identity", "span", "tally", "new")
_BY_CHECK = ("_commits", "_cause_of", "_message_of_cause")
"""What a report knows by the ids of checks."""
Known = TypeVar("Known")


class ReportPart(msgspec.Struct, frozen=True):
    """A report on some checks. ``known`` are properties of the whole report, by their names."""

    run: Run
    verdict: Verdict
    info: PageInfo
    shared_contents: frozenset[str]
    known: dict[str, object]

    def report(self) -> Report:
        """Return the report."""
        report = Report(self.run, self.verdict, self.info)
        vars(report).update(self.known, evidence=EvidenceIndex(self.run, self.shared_contents))
        return report


class Parts:
    """Takes parts out of one report."""

    def __init__(self, report: Report) -> None:
        self._report = report
        self._kept = KeptRun(report.kept.build)
        self._whole = {name: getattr(report, name) for name in _OF_THE_WHOLE}

    @cached_property
    def _calls(self) -> Mapping[str, Sequence[Call]]:
        calls: dict[str, list[Call]] = defaultdict(list)
        for call in self._report.run.api.calls:
            calls[call.check.id].append(call)
        return calls

    def of(self, checks: Checks) -> ReportPart:
        """Return the report on some of its checks."""
        report = self._report
        traced = frozenset(report.traced & set(checks.ids()) if report.traced else ())
        ids = [*dict.fromkeys((*(check.id for check in checks.detailed), *sorted(traced)))]
        known = {name: _some(getattr(report, name), ids) for name in _BY_CHECK}
        suites = {group: shared for group, shared in report.shared_variants.items() if _has(checks, group)}
        whole = {
            **self._whole,
            "traced": traced,
            "shared_variants": suites,
            "kept": self._kept,
            "api": report.api and True,
        }
        run = self._run(checks, ids)
        verdict = msgspec.structs.replace(report.verdict, causes=(), waived=_some(report.verdict.waived, ids))
        shared = frozenset(content.key for content in report.evidence.shared)
        return ReportPart(run, verdict, report.info, shared, {**whole, **known})

    def _run(self, checks: Checks, ids: Sequence[str]) -> Run:
        report = self._report
        calls = tuple(call for check in checks.detailed for call in self._calls.get(check.id, ()))
        others = [ResultFile()] * (len(report.run.files) - 1)
        run = Run(files=(ResultFile(checks=checks), *others), api=ApiCalls(calls), in_series=self._history(ids))
        used = used_contents(run)
        contents = tuple(content for content in report.run.contents if content.key in used)
        return msgspec.structs.replace(run, contents=contents)

    def _history(self, ids: Iterable[str]) -> HistoryContext | None:
        since = self._report.run.since
        if since is None:
            return None
        traces = _traces_of(since.traces, ids)
        return HistoryContext(self._kept, since=ChangesSince(since.series, since.build, since.against, traces))


def _has(checks: Checks, suite: tuple[str, ...]) -> bool:
    return any(check.suite == suite for check in detailed_of(checks))


def _some(known: Mapping[str, Known], ids: Iterable[str]) -> dict[str, Known]:
    return {id_: known[id_] for id_ in ids if id_ in known}


def _traces_of(traces: AlignedHistory, ids: Iterable[str]) -> AlignedHistory:
    """Return the last builds of some checks: as many as are shown of one."""
    shown = slice(-(SHOWN_BUILDS - 1), None)
    found = [id_ for id_ in ids if id_ in traces.positions]
    positions = [traces.positions[id_] for id_ in found]
    return AlignedHistory(
        builds=traces.builds[shown],
        positions={id_: number for number, id_ in enumerate(found)},
        outcomes=tuple(
            "".join([outcomes[position] for position in positions]) for outcomes in traces.outcomes[shown]
        ),
        times=tuple([times[position] for position in positions] if times else () for times in traces.times[shown]),
    )
