"""Reads OSCAL assessment results: a check for each finding, by the state of its objective."""

from collections.abc import Iterator, Mapping, Sequence
from datetime import datetime
from typing import TypeVar

import msgspec

from plain_verdict.inputs.source import Source
from plain_verdict.model import (
    Allowed,
    AssessedRisk,
    Attempt,
    Check,
    Fact,
    Kind,
    Outcome,
    Problem,
    ReadingNote,
    ResultFile,
    Rule,
    Severity,
    earliest,
    latest,
)
from plain_verdict.model.ids import check_id
from plain_verdict.readers.file_reading import FileReading
from plain_verdict.readers.interface import Head, noted_twice
from plain_verdict.readers.oscal.format import Finding, Observation, Result, Results, Risk, from_json, from_xml
from plain_verdict.runtime.errors import ReadError
from plain_verdict.settings.limits import Limits
from plain_verdict.text.cleaning import single_line
from plain_verdict.text.formatting import join_list, plural
from plain_verdict.text.moments import read_moment

_SPACE = "http://csrc.nist.gov/ns/oscal"
_ROOT = "assessment-results"
# The states that the model allows; anything else is undecided.
Found = TypeVar("Found")
OUTCOMES = {"satisfied": Outcome.PASSED, "not-satisfied": Outcome.FAILED}
_REASON_OF = {Outcome.UNDECIDED: "undecided: the state of its objective is missing"}
_FACETS = ("severity", "risk", "impact")
_GRADES = {
    "very-low": Severity.LOW,
    "low": Severity.LOW,
    "moderate": Severity.MEDIUM,
    "medium": Severity.MEDIUM,
    "high": Severity.HIGH,
    "very-high": Severity.CRITICAL,
    "critical": Severity.CRITICAL,
}
_APPROVED = "deviation-approved"
_SETTLED = ("closed", _APPROVED)
"""States of a risk that is not open (assessment results model 1.1, risk/status)."""
_OBSERVATION = "is for information: an observation that no finding names"
_RISK = "is for information: a risk that no finding names"
_COMPLETE_HINT = "check that it is complete and of the assessment results model 1.1"


def _words_of_risk(risk: Risk) -> str:
    until = f", until {single_line(risk.deadline, 40)}" if risk.deadline else ""
    return f"{_title(risk)}: {risk.status or 'open'}{until}"


def _title(risk: Risk) -> str:
    return risk.title or risk.statement or risk.description or "Nameless risk"


def _collected(seen: Sequence[Observation]) -> datetime | None:
    return earliest([moment for observation in seen if (moment := read_moment(observation.collected))])


class OscalReader:
    """Reads one document."""

    format = "oscal"
    roots: frozenset[str] = frozenset()

    def recognises(self, head: Head) -> bool:
        """Return whether the first key, or the root element, is that of assessment results."""
        return _ROOT in head.json_keys or (head.xml.root == _ROOT and head.xml.namespace.startswith(_SPACE))

    def read(self, source: Source, limits: Limits) -> ResultFile:
        """Return the findings as checks. Raises ReadError."""
        if source.size_bytes > limits.whole_bytes:
            raise ReadError("is too large for assessment results", path=source.path, hint="split it by assessment")
        with source.open() as stream:
            data = stream.read()
        is_json = data.removeprefix(b"\xef\xbb\xbf").lstrip()[:1] == b"{"
        try:
            results = from_json(data) if is_json else from_xml(data)
        except (msgspec.DecodeError, ValueError, RecursionError) as error:
            what = f"is not a readable assessment results document: {single_line(str(error), 300)}"
            raise ReadError(what, path=source.path, hint=_COMPLETE_HINT) from error
        reading = _Reading(results, source, limits)
        checks = tuple(reading.checks())
        moments = [
            moment
            for result in results.results
            for text in (result.start, result.end)
            if (moment := read_moment(text))
        ]
        return ResultFile(
            checks=checks,
            notes=(*(noted_twice(data, source.path) if is_json else ()), *reading.notes()),
            started=earliest(moments),
            ended=latest(moments),
            title=single_line(results.metadata.title, limits.name_chars),
            cases=len(checks),
        )


class _Reading(FileReading):
    """What came of reading one document."""

    def __init__(self, results: Results, source: Source, limits: Limits) -> None:
        super().__init__(source, limits)
        self._results = results
        self._lost = 0
        self._odd_deadlines: dict[str, str] = {}
        """By the id of the risk."""

    def checks(self) -> Iterator[Check]:
        """Yield a check for each finding."""
        for result in self._results.results:
            observations = {observation.uuid: observation for observation in result.observations}
            risks = {risk.uuid: risk for risk in result.risks}
            title = result.title or self._results.metadata.title
            suite = (self.name(title) or "Nameless assessment",)
            for finding in result.findings:
                seen = self._found(
                    observations, [related.observation_uuid for related in finding.related_observations]
                )
                at_risk = self._found(risks, [risk.risk_uuid for risk in finding.risks])
                # A risk that is missing may not be accepted.
                forgiving = at_risk if len(at_risk) == len(finding.risks) else []
                yield self._check(finding, seen, at_risk, suite, result, self._allowed(forgiving))
            yield from self._unnamed(result, suite)

    def _unnamed(self, result: Result, suite: tuple[str, ...]) -> Iterator[Check]:
        """Yield observations and risks that no finding names: they are for information, and not judged."""
        named = {
            related.observation_uuid for finding in result.findings for related in finding.related_observations
        }
        for observation in result.observations:
            if observation.uuid not in named:
                yield self._for_information(_OBSERVATION, observation, suite, [observation], [])
        at_risk = {risk.risk_uuid for finding in result.findings for risk in finding.risks}
        for risk in result.risks:
            if risk.uuid not in at_risk:
                yield self._for_information(_RISK, risk, suite, [], [risk])

    def _for_information(
        self,
        reason: str,
        thing: Observation | Risk,
        suite: tuple[str, ...],
        seen: list[Observation],
        risks: list[Risk],
    ) -> Check:
        kind = self.source.kind or Kind.COMPLIANCE
        name = self.name(thing.title or thing.description) or "Nameless observation"
        attempt = Attempt(Outcome.SKIPPED, started=_collected(seen), reason=reason)
        rule = self._rule(risks, None, broken=False)
        if not risks:
            rule = msgspec.structs.replace(rule, severity=Severity.NONE)
        return Check(
            id=check_id(kind, suite, thing.uuid or name),
            kind=kind,
            suite=suite,
            name=name,
            attempts=(attempt,),
            facts=tuple(self._facts(Finding(), seen, risks)),
            description=self.text("\n".join((thing.description, *self._detail(seen, risks)))),
            rule=rule,
        )

    def _check(
        self,
        finding: Finding,
        seen: list[Observation],
        risks: list[Risk],
        suite: tuple[str, ...],
        result: Result,
        approved: Allowed | None,
    ) -> Check:
        status = finding.target.status
        outcome = OUTCOMES.get(status.state, Outcome.UNDECIDED)
        if outcome is Outcome.UNDECIDED:
            self.unknown[single_line(status.state, 40) or "none at all"] += 1
        kind = self.source.kind or Kind.COMPLIANCE
        name = self.name(finding.title or finding.target.title or finding.target.target_id) or "Nameless finding"
        broken = outcome is Outcome.FAILED
        attempt = Attempt(outcome, started=_collected(seen) or read_moment(result.start))
        if broken:
            problem = self._problem(finding, seen, risks)
            attempt = msgspec.structs.replace(attempt, problems=(problem,), cause=name)
        else:
            attempt = msgspec.structs.replace(attempt, reason=_REASON_OF.get(outcome, ""))
        return Check(
            id=check_id(kind, suite, finding.target.target_id or name),
            kind=kind,
            suite=suite,
            name=name,
            attempts=(attempt,),
            facts=tuple(self._facts(finding, seen, risks)),
            description=self.text(finding.description),
            rule=self._rule(risks, approved if broken else None, broken=broken),
        )

    def _problem(self, finding: Finding, seen: list[Observation], risks: list[Risk]) -> Problem:
        """Return the problem of an objective that is not satisfied."""
        why = (
            finding.target.status.remarks
            or finding.remarks
            or "; ".join(filter(None, (risk.statement or risk.title for risk in risks)))
            or finding.description
            or "the objective is not satisfied"
        )
        detail = "\n".join(self._detail(seen, risks))
        return Problem(Outcome.FAILED, message=self.text(why), detail=self.text(detail))

    def _rule(self, risks: list[Risk], allowed: Allowed | None, *, broken: bool) -> Rule:
        remediations = (remediation for risk in risks for remediation in risk.remediations)
        return Rule(
            severity=_severity(risks),
            why=self.text("; ".join(filter(None, (risk.description for risk in risks)))),
            remediation=self.text(
                "; ".join(remediation.description or remediation.title for remediation in remediations)
            ),
            findings=int(broken and not allowed),
            suppressed_findings=int(allowed is not None),
            allowed=allowed,
            risks=tuple(self._risk(risk) for risk in risks),
        )

    def _risk(self, risk: Risk) -> AssessedRisk:
        """Return a risk with its deadline; one without a status is open (risk/status is required)."""
        moment = read_moment(risk.deadline) if risk.deadline else None
        status = single_line(risk.status, 40) or "open"
        unreadable = single_line(risk.deadline, 40) if moment is None else ""
        if unreadable:
            self._odd_deadlines[risk.uuid] = unreadable
        return AssessedRisk(
            id=risk.uuid,
            title=self.name(_title(risk)),
            status=status,
            is_open=status.lower() not in _SETTLED,
            deadline=moment.date() if moment else None,
            unreadable_deadline=unreadable,
        )

    def _found(self, by_uuid: Mapping[str, Found], uuids: Sequence[str]) -> list[Found]:
        """Return what a finding refers to; what is not there is counted."""
        found = [by_uuid[uuid] for uuid in uuids if uuid in by_uuid]
        self._lost += len(uuids) - len(found)
        return found

    def _facts(self, finding: Finding, seen: list[Observation], risks: list[Risk]) -> Iterator[Fact]:
        objective = finding.target.target_id
        if objective:
            yield Fact("objective", single_line(objective, 200))
            yield Fact("control", single_line(objective.partition("_")[0].upper(), 200))
        subjects = list(dict.fromkeys(subject.title or subject.type for each in seen for subject in each.subjects))
        if subjects:
            yield Fact("subject", self.name(join_list(subjects)))
        methods = list(dict.fromkeys(method.lower() for observation in seen for method in observation.methods))
        if methods:
            yield Fact("method", single_line(join_list(methods), 200))
        yield from (Fact("risk", self.name(_words_of_risk(risk))) for risk in risks)

    @staticmethod
    def _detail(seen: list[Observation], risks: list[Risk]) -> Iterator[str]:
        for observation in seen:
            yield "\n".join(filter(None, (observation.title, observation.description)))
            for evidence in observation.relevant_evidence:
                yield f"evidence: {evidence.description or evidence.href}"
        for risk in risks:
            yield f"risk: {risk.title or risk.statement} ({risk.status})"

    def _allowed(self, risks: list[Risk]) -> Allowed | None:
        """Return that a failure is allowed: all of its risks are deviations that somebody approved."""
        if not risks or any(risk.status != _APPROVED for risk in risks):
            return None
        ends = [moment.date() for risk in risks if (moment := read_moment(risk.deadline))]
        reasons = "; ".join(risk.title or risk.statement for risk in risks)
        return Allowed(
            f"a deviation is approved: {self.text(reasons)}", until=min(ends) if len(ends) == len(risks) else None
        )

    def notes(self) -> Iterator[ReadingNote]:
        """Yield what was odd."""
        if not self._results.results:
            yield self.note("holds no result of an assessment", results_missing=True)
        for result in self._results.results:
            if not result.findings:
                what = f"holds an assessment without findings, of {plural(len(result.observations), 'observation')}"
                yield self.note(what, results_missing=True)
        yield from self.unknown_notes("finding", "the model does not know", before="in the state ")
        if self._lost:
            lost = plural(self._lost, "observation or risk", "observations or risks")
            yield self.note(f"names {lost} that are not in it")
        if self._odd_deadlines:
            texts = join_list([f"“{text}”" for text in self._odd_deadlines.values()])
            yield self.note(f"has {plural(len(self._odd_deadlines), 'deadline')} that can't be read: {texts}")


def _severity(risks: list[Risk]) -> Severity:
    """Return the gravest grade of the risks; medium where none tells one."""
    severities = [
        _GRADES[facet.value.strip().lower().replace(" ", "-")]
        for risk in risks
        for characterization in risk.characterizations
        for facet in characterization.facets
        if facet.name in _FACETS and facet.value.strip().lower().replace(" ", "-") in _GRADES
    ]
    return max(severities, key=lambda severity: severity.rank, default=Severity.MEDIUM)
