"""A judged run, ready to be told: each part is made when an output first asks for it."""

from collections.abc import Sequence, Set
from datetime import datetime
from functools import cached_property
from typing import TYPE_CHECKING

import msgspec

from plain_verdict.api.numbers import CallNumbers, by_operation
from plain_verdict.history.digest import keep_run
from plain_verdict.history.keeping import build_of, detail_of, judged
from plain_verdict.history.pages import run_mark
from plain_verdict.history.series import SERIES, name_series
from plain_verdict.model import (
    AlignedHistory,
    Attempt,
    Build,
    CallState,
    Cause,
    ChangesSince,
    Check,
    CommitsSince,
    Fact,
    KeptRun,
    Masked,
    Operation,
    Past,
    Run,
    Step,
    Tally,
    Verdict,
    detailed_of,
)
from plain_verdict.model.judged_content import JudgedContent
from plain_verdict.report.api import ApiOverview, api_overview
from plain_verdict.report.causes import CauseEntry, cause_entries
from plain_verdict.report.evidence_index import EvidenceIndex
from plain_verdict.report.facets import Facet, facets_of
from plain_verdict.report.files import FileRow, file_rows
from plain_verdict.report.history import (
    SHOWN_BUILDS,
    HistoryOverview,
    changed_checks,
    describe_cause,
    history_overview,
)
from plain_verdict.report.identity import IdentifyingFact, identity_of
from plain_verdict.report.judged_content import judged_content
from plain_verdict.report.only_failed import only_failed
from plain_verdict.report.overview import describe_masked, span_of, title_of
from plain_verdict.report.page_info import PageInfo
from plain_verdict.report.shown_check import ShownCheck, show_check
from plain_verdict.report.shown_exchange import ShownExchange, show_exchange
from plain_verdict.report.slowest import slowest_of
from plain_verdict.report.suites import SuiteGroup, make_suites, merge_facts, slowest_suites
from plain_verdict.report.timeline import Timeline, make_timeline
from plain_verdict.report.variants import VariantGrid, make_variant_grids
from plain_verdict.settings.choices import ChecksShown
from plain_verdict.text.formatting import capital, format_day, format_span, plural

_SLOWEST = 8
_MOST_TRACED = 1_000  # checks that are opened for nothing but what they were before

if TYPE_CHECKING:
    from plain_verdict.report.compliance import ComplianceOverview
    from plain_verdict.report.load.overview import LoadOverview
    from plain_verdict.report.load.sums import MetricsOverview, ReportedOverview
    from plain_verdict.report.requirements import RequirementsOverview


class Report(msgspec.Struct, frozen=True, dict=True):
    """What outputs tell, in their order. Times are moments, durations seconds."""

    run: Run
    verdict: Verdict
    info: PageInfo

    @cached_property
    def title(self) -> str:
        """Return the title that the user chose, or the results' own."""
        return self.info.title or title_of(self.run)

    @cached_property
    def identity(self) -> tuple[IdentifyingFact, ...]:
        """Return the facts that identify the run, as they stand under its title."""
        return identity_of(self.info.facts)

    @cached_property
    def kept(self) -> KeptRun:
        """Return the run as its series keeps it, judged."""
        context = self.run.in_series
        kept, facts = (context.now, context.facts) if context else (None, self.info.facts)
        if kept is None:
            series = name_series(SERIES, self.title, facts)
            kept = keep_run(self.run, build_of(self.run, series, "", self.info.made, self.title, facts))
        return judged(kept, self.verdict, detail_of(self.run, (*facts, *self.facts)))

    @property
    def forerunners(self) -> AlignedHistory:
        """Return the earlier runs of the series, in the order of this run's checks."""
        return self.run.in_series.traces if self.run.in_series else AlignedHistory()

    @cached_property
    def history(self) -> HistoryOverview | None:
        """Return the overview of earlier runs; None where there is none to compare with."""
        return history_overview(self.run, self.verdict, self._since, self._changed) if self._since else None

    @property
    def _since(self) -> ChangesSince | None:
        return self.run.since

    @cached_property
    def _changed(self) -> dict[str, str]:
        return changed_checks(self.run.in_series) if self.run.in_series else {}

    @property
    def changed(self) -> bool:
        """Return whether the verdict is another than before, or failures are new or fixed; or none was before."""
        since = self._since
        if since is None:
            return True
        outcomes = (*since.new, *since.failing_again, *since.fixed)
        return bool(outcomes) or since.against.verdict is not self.verdict.word

    @cached_property
    def new(self) -> frozenset[str]:
        """Return the ids of failures that are new since an earlier run."""
        return frozenset(change.id for change in self._since.new) if self._since else frozenset()

    def tells_past(self, check: Check) -> bool:
        """Return whether a check that has nothing else to open is opened for what it was before."""
        return check.id in self.traced

    @cached_property
    def traced(self) -> Set[str]:
        """Return the ids of all such checks."""
        return self._changed.keys() if len(self._changed) <= _MOST_TRACED else frozenset()

    def past_of(self, check: Check) -> list[tuple[Build, Past, float | None]]:
        """Return how a check ended in the last builds, the oldest first; nothing where there is none."""
        return list(self._since.traces.of(check.id, SHOWN_BUILDS - 1)) if self._since else []

    def commits_of(self, check: Check) -> CommitsSince | None:
        """Return the commits since a new failure last passed; None where they are not known or not looked for."""
        return self._commits.get(check.id)

    @cached_property
    def _commits(self) -> dict[str, CommitsSince]:
        changes = (*self._since.new, *self._since.failing_again) if self._since else ()
        return {change.id: change.commits for change in changes if change.commits}

    def past_of_cause(self, cause: Cause) -> str:
        """Return since when a cause is there, in words; "" where there is no earlier run."""
        return describe_cause(cause, self._since) if self._since else ""

    @property
    def run_mark(self) -> str:
        """Return which run this is, as the head of its page names it."""
        return run_mark(self.kept.build)

    @property
    def page_before(self) -> str:
        """Return the link to the page of the run before; "" where nobody knows it."""
        builds = self._since.traces.builds if self._since else ()
        page = builds[-1].page if builds else ""
        return page if page.startswith(("https://", "http://")) or ":" not in page else ""

    @property
    def masked(self) -> Masked | None:
        """Return how many secrets were masked, in the results and in the page's own words; None: masking is off."""
        return None if self.run.masked is None else self.run.masked + self.info.masked

    @property
    def on_masking(self) -> str:
        """Return how many secrets were masked, and which known ones how often, as a sentence; "" for none."""
        return describe_masked(self.masked) if self.masked else ""

    @property
    def notes(self) -> tuple[str, ...]:
        """Return notes on requirements, on masking, and on earlier runs."""
        run, series = self.run, self.run.in_series
        notes = (*self.info.notes, *run.masking_notes, *run.api.notes, *run.baseline_notes, *run.owner_notes)
        return tuple(dict.fromkeys((*notes, *series.trouble, *series.notes) if series else notes))

    @cached_property
    def tally(self) -> Tally:
        """Return how all checks ended."""
        return self.run.tally

    @cached_property
    def span(self) -> tuple[datetime | None, datetime | None]:
        """Return when the run began and ended."""
        return span_of(self.run)

    @property
    def started(self) -> datetime | None:
        """Return when the run began; None where no result tells it."""
        return self.span[0]

    @property
    def when(self) -> str:
        """Return the run's day and time of day, in words; "" where no result tells it."""
        started, ended = self.span
        return f"{format_day(started)}, {format_span(started, ended)}" if started else ""

    @cached_property
    def shown_run(self) -> Run:
        """Return the run with only those checks that are listed one by one."""
        return self.run if self.info.only is ChecksShown.ALL else only_failed(self.run)

    @cached_property
    def left_out(self) -> int:
        """Return how many checks are counted but not told."""
        return len(self.run.checks) - len(self.shown_run.checks)

    @property
    def left_out_note(self) -> str:
        """Return a sentence on the checks that are counted but not told."""
        is_single = self.left_out == 1
        number = capital(plural(self.left_out, "check"))
        verb, left = ("was", "is") if is_single else ("were", "are")
        return f"{number} that passed or {verb} skipped {left} left out of this page, but counted in all numbers."

    @cached_property
    def suites(self) -> tuple[SuiteGroup, ...]:
        """Return the suites with their checks."""
        return make_suites(self.shown_run, with_empty=self.shown_run is self.run)

    @cached_property
    def whole_suites(self) -> tuple[SuiteGroup, ...]:
        """Return the suites that have checks, with all of them, also those that are not told one by one."""
        if self.shown_run is self.run:
            return tuple(group for group in self.suites if group.checks)
        return make_suites(self.run, with_empty=False)

    @cached_property
    def bad(self) -> tuple[Check, ...]:
        """Return the checks that failed or errored, in the order of their suites."""
        return tuple(check for group in self.suites for check in detailed_of(group.checks)[: group.bad])

    @cached_property
    def opened(self) -> str:
        """Return the id of the check that is open from the start: the first failure that counts; "" for none."""
        return next((check.id for check in self.bad if check.id not in self.verdict.waived), "")

    def facets(self, checks: Sequence[Check]) -> list[Facet]:
        """Return by what the checks of a page can be narrowed, given in the page's order."""
        return facets_of(self.run, self.verdict, self._since, checks)

    @cached_property
    def causes(self) -> tuple[CauseEntry, ...]:
        """Return the causes that are listed one by one."""
        return cause_entries(self.verdict, self.evidence, len(self.bad))

    @cached_property
    def operations(self) -> list[tuple[Operation, CallNumbers]]:
        """Return the operations that were called with their numbers, what went wrong first."""
        return by_operation(self.run.api.calls)

    @cached_property
    def api(self) -> ApiOverview | None:
        """Return the overview of the calls to an API; None where there are none."""
        return api_overview(self.run, self.operations)

    @cached_property
    def requirements(self) -> "RequirementsOverview | None":
        """Return the overview of requirements."""
        if not self.run.requirements.given:
            return None
        from plain_verdict.report.requirements import requirements_overview  # for runs that have some

        return requirements_overview(self.run)

    @cached_property
    def compliance(self) -> "ComplianceOverview | None":
        """Return the overview of rules."""
        if not any(check.rule for check in self.run.checks.detailed):
            return None
        from plain_verdict.report.compliance import compliance_overview  # for runs that have some

        return compliance_overview(self.run, self.verdict)

    @cached_property
    def reported(self) -> "ReportedOverview | None":
        """Return the overview of load results that other tools summed up."""
        return self._of_sums[0]

    @cached_property
    def metrics(self) -> "MetricsOverview | None":
        """Return the overview of the team's own numbers."""
        return self._of_sums[1]

    @cached_property
    def _of_sums(self) -> "tuple[ReportedOverview | None, MetricsOverview | None]":
        run = self.run
        if not (run.reported or run.metrics):
            return None, None
        from plain_verdict.report.load.sums import metrics_overview, reported_overview  # for runs that have some

        return reported_overview(run) if run.reported else None, metrics_overview(run) if run.metrics else None

    @cached_property
    def load(self) -> "LoadOverview | None":
        """Return the overview of the load run; None where there is none."""
        if self.run.load is None:
            return None
        from plain_verdict.report.load.overview import load_overview  # as above

        return load_overview(self.run)

    @cached_property
    def evidence(self) -> EvidenceIndex:
        """Return all evidence that is shown."""
        return EvidenceIndex(self.shown_run)

    @cached_property
    def timeline(self) -> Timeline | None:
        """Return the strip of time; None where the results don't tell when they ran."""
        return make_timeline(self.run)

    @cached_property
    def slowest(self) -> tuple[Check, ...]:
        """Return the checks that took longest."""
        return slowest_of(self.run.checks, _SLOWEST)

    @property
    def slowest_suites(self) -> Sequence[SuiteGroup]:
        """Return the suites whose checks took longest."""
        return slowest_suites(self.suites)

    @cached_property
    def variants(self) -> tuple[VariantGrid, ...]:
        """Return a grid for each fact by which checks are variants."""
        return make_variant_grids(self.run)

    @cached_property
    def files(self) -> tuple[FileRow, ...]:
        """Return the result files."""
        return file_rows(self.run, self.info.made)

    @cached_property
    def judged(self) -> JudgedContent:
        """Return what was judged and of what, as data that can be checked later."""
        return judged_content(self.run, self.verdict, self.info, self.title, self.kept)

    @cached_property
    def facts(self) -> list[Fact]:
        """Return the facts that the results tell."""
        return merge_facts([fact for file in self.run.files for notes in file.suites for fact in notes.facts])

    @cached_property
    def _wrong(self) -> frozenset[int]:
        """Return the exchanges that came back otherwise than expected, by identity: equal ones are not the same."""
        return frozenset(id(call.exchange) for call in self.run.api.calls if call.state is CallState.WRONG)

    def show_exchanges(self, part: Attempt | Step) -> list[ShownExchange]:
        """Return what the exchanges of an attempt or a step show."""
        alone = len(part.exchanges) == 1
        return [
            show_exchange(exchange, wrong=id(exchange) in self._wrong, alone=alone, evidence=self.evidence)
            for exchange in part.exchanges
        ]

    def show(self, check: Check) -> ShownCheck:
        """Return what a check shows."""
        shared = self.shared_variants.get(check.suite, ())
        cause_name = self._message_of_cause.get(check.id, "")
        return show_check(
            check,
            self.verdict.waived.get(check.id),
            self.evidence,
            shared=shared,
            cause_name=cause_name,
            cause=self._cause_of.get(check.id, ""),
        )

    @cached_property
    def _cause_of(self) -> dict[str, str]:
        """Return the name of the cause of each check that failed."""
        return {check.id: cause.name for cause in self.verdict.causes for check in cause.checks}

    @cached_property
    def shared_variants(self) -> dict[tuple[str, ...], tuple[Fact, ...]]:
        """Return the facts of variants that all checks of a suite share, by the suite."""
        return {group.path: group.variant for group in self.suites if group.variant}

    @cached_property
    def _message_of_cause(self) -> dict[str, str]:
        """Return the message that its cause has told already, of each check that is listed there."""
        return {
            check.id: "".join(text for text, _ in entry.cause.typical)
            for entry in self.causes
            for check in (*entry.checks, *entry.more)
        }
