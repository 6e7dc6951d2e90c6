"""The verdict as JSON, for machines. Described in docs/summary.md; keys are added, never changed."""

from collections.abc import Iterator

import msgspec

from plain_verdict.api.numbers import CallNumbers
from plain_verdict.judging.compliance_text import RuleCounts, count_rules
from plain_verdict.model import (
    Cause,
    KindVerdict,
    Masked,
    Operation,
    RequirementState,
    Run,
    Verdict,
    evidence_of,
)
from plain_verdict.model.judged_content import JudgedContent
from plain_verdict.report import Report
from plain_verdict.writers.interface import OutputFile
from plain_verdict.writers.summary_files import FileSummary, file_summaries
from plain_verdict.writers.summary_history import (
    BuildCounts,
    HistorySummary,
    QuarantineSummary,
    RunSummary,
    counts_of,
    history_summary,
    quarantine_summary,
    run_summary,
)
from plain_verdict.writers.summary_load import (
    LoadSummary,
    MetricSummary,
    ReportedSummary,
    load_summary,
    metric_summary,
    ms_of,
    reported_summary,
)

SCHEMA = "plain-verdict/summary/1"


class CauseSummary(msgspec.Struct, frozen=True):
    """A cause: its name, how many checks it has and which, a typical message, and what the team's rule says."""

    name: str
    count: int
    checks: list[str]
    type: str
    typical: str
    by_rule: bool
    advice: str
    owner: str
    link: str


class EvidenceDetail(msgspec.Struct, frozen=True):
    """A piece of evidence; ``path`` as its result file names it, or "" for one that is inside it."""

    name: str
    path: str


class CheckDetail(msgspec.Struct, frozen=True):
    """A check. ``attempts`` are outcomes, the one that counts last; ``cause`` is null unless it failed."""

    id: str
    kind: str
    suite: list[str]
    name: str
    parameters: dict[str, str]
    outcome: str
    took_s: float | None
    attempts: list[str]
    cause: str | None
    waived: bool
    file: str
    evidence: list[EvidenceDetail]
    requirements: list[str]
    tags: list[str]
    owners: list[str]
    severity: str | None = None
    """Of a rule."""


class KindSummary(msgspec.Struct, frozen=True):
    """The verdict on one kind of the run."""

    kind: str
    verdict: str
    sentence: str
    counts: BuildCounts


class OperationSummary(msgspec.Struct, frozen=True):
    """The calls of an operation; times and bytes are null where they are not known, percentiles where too few are.

    ``wrong`` came back otherwise than expected, ``unanswered`` not at all. ``statuses`` count answers.
    """

    operation: str
    calls: int
    wrong: int
    unanswered: int
    statuses: dict[str, int]
    mean_ms: float | None
    p50_ms: float | None
    p95_ms: float | None
    longest_ms: float | None
    bytes: int | None


class OverdueRiskSummary(msgspec.Struct, frozen=True):
    """An open risk of an assessment that is past its deadline, a day as ISO 8601 has it."""

    title: str
    status: str
    deadline: str


class RequirementCheck(msgspec.Struct, frozen=True):
    """A check that says whether a requirement is met."""

    id: str
    name: str
    outcome: str


class RequirementSummary(msgspec.Struct, frozen=True):
    """A requirement with its state and its checks; ``not_run`` are scenarios with its id that no check ran."""

    id: str
    title: str
    group: list[str]
    state: str
    checks: list[RequirementCheck]
    not_run: list[str]
    source: str


class Summary(msgspec.Struct, frozen=True):
    """The verdict on a run.

    ``cases`` are executions of checks as they were read, ``reruns`` names of checks that had several, ``flaky`` of
    those that passed only after a retry. ``checks`` is there when asked for. ``page`` and what follows are full
    paths of what was written.
    """

    schema: str
    verdict: str
    sentence: str
    reasons: list[str]
    counts: BuildCounts
    files: list[FileSummary]
    kinds: list[KindSummary] = []
    operations: list[OperationSummary] = []
    load: LoadSummary | None = None
    reported: list[ReportedSummary] = []
    metrics: list[MetricSummary] = []
    rules: RuleCounts | None = None
    findings: int | None = None
    """Open ones, of rules."""
    overdue_risks: list[OverdueRiskSummary] = []
    requirements: dict[str, int] | None = None
    requirement_results: list[RequirementSummary] = []
    requirement_notes: list[str] = []
    unknown_requirements: dict[str, int] = {}
    """Ids that checks name and no file lists, with how many do."""
    not_called: list[str] = []
    """Operations that the API's document describes, and that nothing called."""
    undocumented: list[str] = []
    """Operations that were called, and that it does not describe."""
    causes: list[CauseSummary] = []
    waived: int = 0
    quarantine: list[QuarantineSummary] = []
    rule_notes: list[str] = []
    evidence_notes: list[str] = []
    mapping_notes: list[str] = []
    run: RunSummary | None = None
    history: HistorySummary | None = None
    title: str | msgspec.UnsetType = msgspec.UNSET
    facts: dict[str, str] = {}
    judged: JudgedContent | None = None
    fingerprint: str = ""
    """Of what was judged, which "plain-verdict verify" checks."""
    masked: int = 0
    masked_known: dict[str, int] = {}
    cases: int = 0
    reruns: list[str] = []
    flaky: list[str] = []
    checks: list[CheckDetail] | msgspec.UnsetType = msgspec.UNSET
    page: str | msgspec.UnsetType = msgspec.UNSET
    packed: str | msgspec.UnsetType = msgspec.UNSET
    latest: str | msgspec.UnsetType = msgspec.UNSET
    mail: str | msgspec.UnsetType = msgspec.UNSET
    tables: str | msgspec.UnsetType = msgspec.UNSET
    charts: str | msgspec.UnsetType = msgspec.UNSET
    earl: str | msgspec.UnsetType = msgspec.UNSET
    digest: str | msgspec.UnsetType = msgspec.UNSET
    index: str | msgspec.UnsetType = msgspec.UNSET
    pdf: str | msgspec.UnsetType = msgspec.UNSET
    junit: str | msgspec.UnsetType = msgspec.UNSET
    markdown: str | msgspec.UnsetType = msgspec.UNSET
    attestation: str | msgspec.UnsetType = msgspec.UNSET
    outputs: dict[str, str] | msgspec.UnsetType = msgspec.UNSET
    """Those that were asked for by their names."""
    published: list[str] | msgspec.UnsetType = msgspec.UNSET
    link: str | msgspec.UnsetType = msgspec.UNSET


class SummaryWriter(msgspec.Struct, frozen=True):
    """Writes the verdict as JSON; with ``detail`` all checks as well.

    ``files`` are what was written besides, by their keys; None: no page was made, so it has no title and no facts.
    """

    detail: bool = False
    files: dict[str, str | list[str] | dict[str, str]] | None = None

    name = "summary"
    suffix = ".json"
    about = "the verdict as JSON, for machines"
    is_layout = False

    def render(self, report: Report) -> Iterator[OutputFile]:
        """Yield the summary."""
        yield OutputFile("summary.json", self.render_text(report).encode())

    def render_text(self, report: Report) -> str:
        """Return the summary as indented JSON."""
        return msgspec.json.format(msgspec.json.encode(self._summary(report)), indent=2).decode()

    def _summary(self, report: Report) -> Summary:
        run, verdict = report.run, report.verdict
        rules = count_rules(run.checks, verdict.waived) if report.compliance else None
        masked = report.masked or Masked()
        summary = Summary(
            schema=SCHEMA,
            verdict=verdict.word.value,
            sentence=verdict.sentence,
            reasons=list(verdict.reasons),
            counts=counts_of(run.tally),
            files=list(file_summaries(report)),
            judged=report.judged,
            fingerprint=report.judged.fingerprint,
            kinds=list(map(_kind, verdict.kinds)),
            operations=[_operation(*row) for row in report.operations],
            load=load_summary(run.load) if run.load else None,
            reported=list(map(reported_summary, run.reported)),
            metrics=list(map(metric_summary, run.metrics)),
            rules=rules,
            findings=rules.findings if rules else None,
            requirements=_requirements(run),
            causes=list(map(_cause, verdict.causes)),
            waived=len(verdict.waived),
            quarantine=list(map(quarantine_summary, verdict.quarantine)),
            rule_notes=list(verdict.notes),
            evidence_notes=list(run.evidence_notes),
            mapping_notes=list(run.mapping_notes),
            masked=masked.count,
            masked_known=dict(masked.known),
            cases=run.cases,
            reruns=list(run.reruns),
            flaky=[check.whole_name for check in run.checks if check.flaky],
            checks=list(_details(run, verdict)) if self.detail else msgspec.UNSET,
        )
        summary = _with_coverage(summary, report)
        return self._with_files(_with_history(summary, report), report)

    def _with_files(self, summary: Summary, report: Report) -> Summary:
        if self.files is None:
            return summary
        facts = {fact.key: fact.value for fact in report.info.facts}
        return msgspec.structs.replace(summary, title=report.title, facts=facts, **self.files)


def _with_coverage(summary: Summary, report: Report) -> Summary:
    """Return the summary with requirements and operations, and which of them were checked."""
    run, coverage = report.run, report.run.api.coverage
    return msgspec.structs.replace(
        summary,
        requirement_results=list(_requirement_results(run)),
        requirement_notes=list(run.requirements.notes),
        unknown_requirements=dict(run.requirements.unknown),
        overdue_risks=[
            OverdueRiskSummary(risk.title, risk.status, str(risk.deadline)) for risk in report.verdict.overdue_risks
        ],
        not_called=[operation.name for operation in coverage.not_called] if coverage else [],
        undocumented=[operation.name for operation, _ in report.operations if operation.documented is False],
    )


def _with_history(summary: Summary, report: Report) -> Summary:
    if report.run.in_series is None:
        return summary
    return msgspec.structs.replace(summary, run=run_summary(report.kept.build), history=history_summary(report))


def _kind(kind: KindVerdict) -> KindSummary:
    sentence = f"{kind.word.capitalize()}: {kind.why}"
    return KindSummary(kind.kind.value, kind.word.value, sentence, counts_of(kind.tally))


def _operation(operation: Operation, numbers: CallNumbers) -> OperationSummary:
    return OperationSummary(
        operation=operation.name,
        calls=numbers.calls,
        wrong=numbers.wrong,
        unanswered=numbers.unanswered,
        statuses={status: number for status, number in numbers.statuses if status.isdigit()},
        mean_ms=ms_of(numbers.mean_s),
        p50_ms=ms_of(numbers.p50_s),
        p95_ms=ms_of(numbers.p95_s),
        longest_ms=ms_of(numbers.longest_s),
        bytes=numbers.received_bytes,
    )


def _requirements(run: Run) -> dict[str, int] | None:
    requirements = run.requirements
    return (
        {state.value.replace(" ", "_"): requirements.count(state) for state in RequirementState}
        if requirements.given
        else None
    )


def _requirement_results(run: Run) -> Iterator[RequirementSummary]:
    checks = {check.id: check for check in run.checks} if run.requirements.results else {}
    for result in run.requirements.results:
        requirement = result.requirement
        yield RequirementSummary(
            id=requirement.id,
            title=requirement.title,
            group=list(requirement.group),
            state=result.state.value,
            checks=[
                RequirementCheck(id_, checks[id_].whole_name, checks[id_].outcome.value)
                for id_ in result.checks
                if id_ in checks
            ],
            not_run=list(result.not_run),
            source=requirement.source,
        )


def _cause(cause: Cause) -> CauseSummary:
    return CauseSummary(
        name=cause.name,
        count=len(cause.checks),
        checks=[check.whole_name for check in cause.checks],
        type=cause.type,
        typical="".join(text for text, _ in cause.typical),
        by_rule=cause.by_rule,
        advice=cause.advice,
        owner=cause.owner,
        link=cause.link,
    )


def _details(run: Run, verdict: Verdict) -> Iterator[CheckDetail]:
    causes = {check.id: cause.name for cause in verdict.causes for check in cause.checks}
    for file in run.files:
        for check in file.checks:
            yield CheckDetail(
                id=check.id,
                kind=check.kind.value,
                suite=list(check.suite),
                name=check.name,
                parameters={fact.key or str(number): fact.value for number, fact in enumerate(check.parameters, 1)},
                outcome=check.outcome.value,
                took_s=check.last.took_s,
                attempts=[attempt.outcome.value for attempt in check.attempts],
                cause=causes.get(check.id),
                waived=check.id in verdict.waived,
                file=file.path,
                evidence=[EvidenceDetail(piece.name, piece.path) for piece in evidence_of(check)],
                requirements=list(check.requirements),
                tags=list(check.tags),
                owners=check.owners,
                severity=check.rule.severity.value if check.rule else None,
            )
