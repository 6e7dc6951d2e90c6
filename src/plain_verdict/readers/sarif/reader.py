"""Reads SARIF logs: a check for each rule of each run of a tool that says something of it."""

from base64 import b64decode
from collections.abc import Iterator, Sequence
from datetime import datetime
from itertools import chain
from typing import NamedTuple

import msgspec

from plain_verdict.http.building import read_url
from plain_verdict.inputs.source import Source
from plain_verdict.model import (
    Allowed,
    Attempt,
    Check,
    Evidence,
    Fact,
    Kind,
    Outcome,
    Output,
    Problem,
    ReadingNote,
    ResultFile,
    Rule,
    Severity,
    SuiteNotes,
    earliest,
    gravest,
    latest,
)
from plain_verdict.model.ids import check_id
from plain_verdict.readers.file_reading import FileReading
from plain_verdict.readers.interface import Head, noted_twice
from plain_verdict.readers.sarif.details import Details
from plain_verdict.readers.sarif.format import Log, Result, Run
from plain_verdict.readers.sarif.message_text import Locations, Messages
from plain_verdict.readers.sarif.rules import Found, Rules, severity_of
from plain_verdict.readers.sarif.taxonomies import Taxonomies
from plain_verdict.runtime.errors import ReadError
from plain_verdict.settings.limits import Limits
from plain_verdict.text.cleaning import block, single_line
from plain_verdict.text.formatting import plural
from plain_verdict.text.json_text import decode_typed
from plain_verdict.text.moments import read_moment

SARIF_VERSION = "2.1.0"
# 3.27.9
_OUTCOME_OF_KIND = {
    "pass": Outcome.PASSED,
    "fail": Outcome.FAILED,
    "open": Outcome.UNDECIDED,
    "review": Outcome.UNDECIDED,
    "notApplicable": Outcome.SKIPPED,
    "informational": Outcome.SKIPPED,
}
_REASONS = {
    "open": "undecided: the tool could not tell",
    "review": "undecided: the tool asks for a review",
    "notApplicable": "does not apply here",
    "informational": "is for information only",
}
FOUND_NOTHING = "No findings"

_MOST_FINDINGS, _MOST_LOCATIONS = 50, 2_000
"""Of one rule that are listed one by one, and by their place alone."""
_MOST_ARTIFACTS = 20
_decoder = msgspec.json.Decoder(Log)


def _opened(source: Source, limits: Limits) -> tuple[bytes, Log]:
    """Return a log, as it stands in the file and read. Raises ReadError."""
    if source.size_bytes > limits.whole_bytes:
        raise ReadError(
            "is too large for a SARIF log", path=source.path, hint="let the tool write a file for each part"
        )
    with source.open() as stream:
        data = stream.read()
    try:
        log = decode_typed(data, _decoder)
    except (msgspec.DecodeError, UnicodeDecodeError, RecursionError) as error:
        what = f"is not a readable SARIF log: {single_line(str(error), 300)}"
        raise ReadError(what, path=source.path, hint="check that it is complete, or run the tool again") from error
    if log.version != SARIF_VERSION:
        what = f"is SARIF {single_line(log.version, 20)}, and {SARIF_VERSION} is read"
        raise ReadError(what, path=source.path, hint="let the tool write 2.1.0, or convert the file")
    return data, log


class SarifReader:
    """Reads one log."""

    format = "sarif"
    roots: frozenset[str] = frozenset()

    def recognises(self, head: Head) -> bool:
        """Return whether the first object has what a log has; also one of an older version, which is refused."""
        keys, text = head.json_keys, head.text
        looks_like_log = "version" in keys or '"driver"' in text or "sarif" in text[:2000].lower()
        # Many write their keys in the order of the alphabet: the version may stand behind all results.
        return ("runs" in keys and looks_like_log) or ("version" in keys and "sarif" in text[:2000].lower())

    def read(self, source: Source, limits: Limits) -> ResultFile:
        """Return the log's rules as checks. Raises ReadError."""
        data, log = _opened(source, limits)
        parts = [_Run(run, source, limits) for run in log.runs or ()]
        checks = tuple(chain.from_iterable(part.checks() for part in parts))
        notes = [*noted_twice(data, source.path), *chain.from_iterable(part.notes() for part in parts)]
        if not log.runs:
            notes.append(ReadingNote(source.path, "holds no run of a tool", results_missing=True))
        moments = list(chain.from_iterable(part.moments() for part in parts))
        return ResultFile(
            checks=checks,
            suites=tuple(SuiteNotes(part.suite, part.facts()) for part in parts if part.facts()),
            notes=tuple(notes),
            started=earliest(moments),
            ended=latest(moments),
            cases=len(checks),
        )


class _Finding(NamedTuple):
    result: Result
    severity: Severity
    allowed: bool


def _counting(findings: Sequence[_Finding]) -> Sequence[_Finding]:
    """Return the findings that are given: those that count, or all where the log allows every one."""
    return [finding for finding in findings if not finding.allowed] or findings


class _Run(FileReading):
    """One run of a tool."""

    def __init__(self, run: Run, source: Source, limits: Limits) -> None:
        super().__init__(source, limits)
        self._run = run
        self._rules = Rules(run)
        self._locations = Locations(run)
        self._messages = Messages()
        self._details = Details(self._locations, self._messages)
        self._taxonomies = Taxonomies(run)
        self._odd_kinds = 0
        self._without_rule = 0
        name = single_line(run.tool.driver.name, limits.name_chars) or "Nameless tool"
        self.suite = (name,)

    def facts(self) -> tuple[Fact, ...]:
        """Return the tool's version."""
        driver = self._run.tool.driver
        version = single_line(driver.semantic_version or driver.version, 100)
        return (Fact(self.suite[0], version),) if version else ()

    def moments(self) -> Iterator[datetime]:
        """Yield when the tool began and ended, as far as it tells."""
        for call in self._run.invocations:
            for text in (call.start_time_utc, call.end_time_utc):
                moment = read_moment(text) if text else None
                if moment:
                    yield moment

    def checks(self) -> Iterator[Check]:
        """Yield a check for each rule that results speak of; one for all where there is none."""
        if self._run.results is None:
            return
        by_rule: dict[str, tuple[Found, list[Result]]] = {}
        for result in self._run.results:
            if result.baseline_state == "absent":  # 3.27.24: it was there before, and is no more
                continue
            found = self._rules.of(result)
            self._without_rule += not found.id
            by_rule.setdefault(found.id, (found, []))[1].append(result)
        for found, results in by_rule.values():
            yield self._check(found, results)
        if not by_rule:
            rule = Rule(Severity.NONE)
            id_ = check_id(self._kind, self.suite, FOUND_NOTHING)
            yield Check(id_, self._kind, self.suite, FOUND_NOTHING, (Attempt(Outcome.PASSED),), rule=rule)

    @property
    def _kind(self) -> Kind:
        return self.source.kind or Kind.COMPLIANCE

    def _check(self, found: Found, results: Sequence[Result]) -> Check:
        findings = [self._finding(result, found) for result in results if result.kind == "fail"]
        asks = self.text(self._messages.text(found.descriptor.short_description))
        name = self._name(found, asks)
        return Check(
            id=check_id(self._kind, self.suite, found.id or name),
            kind=self._kind,
            suite=self.suite,
            name=name,
            attempts=(
                self._attempt(found, findings, [result.kind for result in results if result.kind != "fail"], name),
            ),
            tags=tuple(self._tags(found)),
            description=asks if asks != name else "",
            facts=tuple(self._taxonomies.facts_of(found, results)),
            links=tuple(self._links(found, results)),
            rule=self._rule(found, findings, has_baseline=any(result.baseline_state for result in results)),
        )

    def _links(self, found: Found, results: Sequence[Result]) -> Iterator[Fact]:
        if found.descriptor.help_uri:
            yield Fact("What it is about", read_url(found.descriptor.help_uri))
        yield from self._taxonomies.links_of(found, results)

    def _attempt(self, found: Found, findings: Sequence[_Finding], kinds: Sequence[str], name: str) -> Attempt:
        """Return how a rule ended, by its findings and the kinds of its other results; the gravest counts."""
        others = [(kind, self._outcome(kind)) for kind in kinds]
        is_open = any(outcome_of_other is Outcome.UNDECIDED for _, outcome_of_other in others)
        # What needs a person is not settled by what the log allows.
        if not findings or (is_open and all(finding.allowed for finding in findings)):
            return _without_findings(others)
        counted = _counting(findings)
        listed, rest = counted[:_MOST_FINDINGS], counted[_MOST_FINDINGS:]
        problems = [self._problem(finding, found) for finding in listed]
        if rest:
            # A separate problem: a waiver of the places that are given must not cover those that are not.
            more = f"and {plural(len(rest), 'more place')}, listed below"
            problems.append(Problem(Outcome.FAILED, message=more))
        return Attempt(
            Outcome.FAILED,
            problems=tuple(problems),
            outputs=tuple(self._other_locations(rest, found)),
            evidence=tuple(self._evidence(listed)),
            cause=name,
        )

    def _rule(self, found: Found, findings: Sequence[_Finding], *, has_baseline: bool) -> Rule:
        descriptor = found.descriptor
        counted = [finding for finding in findings if not finding.allowed]
        severities = [finding.severity for finding in _counting(findings)]
        usual = severity_of(descriptor.default_configuration.level or "warning", descriptor)
        return Rule(
            severity=max(severities, key=lambda severity: severity.rank, default=usual),
            why=self.text(self._messages.text(descriptor.full_description)),
            remediation=self.text(self._messages.text(descriptor.help)),
            findings=len(counted),
            suppressed_findings=len(findings) - len(counted),
            new_findings=sum(finding.result.baseline_state == "new" for finding in counted)
            if has_baseline
            else None,
            allowed=self._allowed(findings) if findings and not counted else None,
        )

    def _name(self, found: Found, asks: str) -> str:
        rule_name = single_line(found.descriptor.name, 100)
        shown = rule_name if rule_name and rule_name != found.id else single_line(asks, 120)
        name = ": ".join(part for part in (found.id, shown) if part)
        return self.name(name) or "Findings without a rule"

    @staticmethod
    def _tags(found: Found) -> Iterator[str]:
        tags = found.descriptor.properties.get("tags")
        if isinstance(tags, list):
            yield from (single_line(str(tag), 100) for tag in tags[:30])

    def _outcome(self, kind: str) -> Outcome:
        outcome = _OUTCOME_OF_KIND.get(kind)
        if outcome is None:
            self._odd_kinds += 1
            return Outcome.UNDECIDED
        return outcome

    def _finding(self, result: Result, found: Found) -> _Finding:
        severity = severity_of(self._rules.level(result, found), found.descriptor)
        suppressions = result.suppressions or ()
        # 3.27.23 and 3.35.3: allowed only if all of them are accepted.
        return _Finding(
            result,
            severity,
            bool(suppressions) and all(suppression.status == "accepted" for suppression in suppressions),
        )

    def _problem(self, finding: _Finding, found: Found) -> Problem:
        result = finding.result
        where = self._locations.where(result.locations[0]) if result.locations else ""
        message = self.text(self._messages.text(result.message, found)) or "The log gives no message."
        return Problem(
            Outcome.FAILED,
            message=message,
            detail=block("\n".join(self._details.of(result, found)), self.limits.detail_chars),
            place=self.name(where),
        )

    def _evidence(self, findings: Sequence[_Finding]) -> Iterator[Evidence]:
        """Yield the artifacts that the log itself holds (3.24.8), of places that are named."""
        artifacts = self._run.artifacts
        numbers = dict.fromkeys(
            location.physical_location.artifact_location.index
            for finding in findings
            for location in finding.result.locations
        )
        for number in [number for number in numbers if 0 <= number < len(artifacts)][:_MOST_ARTIFACTS]:
            contents = artifacts[number].contents
            name = (
                single_line(self._locations.file(artifacts[number].location).rpartition("/")[2], 200) or "artifact"
            )
            if contents.text:
                yield Evidence(name, data=contents.text.encode("utf-8", "replace"))
            elif contents.binary:
                try:
                    yield Evidence(name, data=b64decode(contents.binary, validate=True))
                except ValueError:
                    yield Evidence(name, unavailable="has base64 that can't be read")

    def _other_locations(self, findings: Sequence[_Finding], found: Found) -> Iterator[Output]:
        """Yield the findings past the first ones in a line each."""
        lines = []
        for finding in findings[:_MOST_LOCATIONS]:
            at = f"{self._locations.where(finding.result.locations[0])}  " if finding.result.locations else ""
            lines.append(single_line(f"{at}{self._messages.text(finding.result.message, found)}", 300))
        if len(findings) > len(lines):
            lines.append(f"and {plural(len(findings) - len(lines), 'more place')}")
        if lines:
            yield Output(plural(len(findings), "more place"), "\n".join(lines))

    def _allowed(self, findings: Sequence[_Finding]) -> Allowed:
        reasons = dict.fromkeys(
            suppression.justification
            for finding in findings
            for suppression in finding.result.suppressions or ()
            if suppression.justification
        )
        return Allowed(self.text("; ".join(reasons)) or "no reason is given")

    def notes(self) -> Iterator[ReadingNote]:
        """Yield what was odd; without results the scan did not happen (3.14.23, 3.20.14)."""
        tool = self.suite[0]
        if self._run.results is None:
            yield self.note(f"has no results of {tool}: the scan did not run", results_missing=True)
        external = len(self._run.external_property_file_references.results)
        if external:
            what = f"refers to {plural(external, 'other file')} with results of {tool}, which is not read"
            yield self.note(what, results_missing=True)
        why = next((why for call in self._run.invocations for why in call.troubles()), None)
        if why is not None:
            found = self._rules.notification(why.descriptor)
            words = single_line(self._messages.text(why.message, found), 200)
            what = f"reports that {tool} did not finish{f': {words}' if words else ''}"
            yield self.note(what, results_missing=True)
        if self._rules.out_of_range:
            yield self.note(f"has {plural(self._rules.out_of_range, 'result')} whose rule index does not exist")
        if self._without_rule:
            yield self.note(f"has {plural(self._without_rule, 'result')} without a rule")
        if self._odd_kinds:
            yield self.note(f"has {plural(self._odd_kinds, 'result')} of an unknown kind: undecided")
        yield from self._notes_on_texts()

    def _notes_on_texts(self) -> Iterator[ReadingNote]:
        if self._messages.lacking:
            yield self.note(f"has {plural(self._messages.lacking, 'message')} with fewer arguments than places")
        if self._messages.unknown_ids:
            yield self.note(f"has {plural(self._messages.unknown_ids, 'message')} whose id no rule explains")
        results = self._run.results or ()
        graphs = len(self._run.graphs) + sum(len((*result.graphs, *result.graph_traversals)) for result in results)
        if graphs:
            yield self.note(f"has {plural(graphs, 'graph')}, not shown")


def _without_findings(results: Sequence[tuple[str, Outcome]]) -> Attempt:
    """Return how a rule ended whose results are no findings, by their kinds; the gravest counts."""
    worst = gravest(outcome for _, outcome in results)
    reasons = dict.fromkeys(_REASONS[kind] for kind, outcome in results if outcome is worst and kind in _REASONS)
    return Attempt(worst, reason=", ".join(reasons))
