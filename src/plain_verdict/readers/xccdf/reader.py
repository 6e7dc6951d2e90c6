"""Reads XCCDF: a check for each result of a rule on a machine, with what the benchmark says of the rule."""

import re
from collections import Counter
from collections.abc import Iterator
from datetime import datetime
from functools import lru_cache

from plain_verdict.errors import UnknownFormat
from plain_verdict.inputs.source import Source
from plain_verdict.model import (
    Allowed,
    Attempt,
    Check,
    Fact,
    Kind,
    Outcome,
    Problem,
    ReadingNote,
    ResultFile,
    Rule,
    Score,
    Severity,
    SuiteNotes,
    in_order,
)
from plain_verdict.model.ids import check_id
from plain_verdict.readers.interface import Head
from plain_verdict.readers.xccdf.oval import OvalResults
from plain_verdict.readers.xccdf.parts import (
    BenchmarkRule,
    Element,
    RuleResult,
    children,
    first_text,
    local,
    result_of,
    rule_of,
    text_of,
)
from plain_verdict.readers.xml.events import XmlEvents
from plain_verdict.settings.limits import Limits
from plain_verdict.text.cleaning import block, one_line
from plain_verdict.text.formatting import plural
from plain_verdict.text.moments import read_moment
from plain_verdict.text.numbers import read_number

_RULE, _RESULTS, _BENCHMARK, _OVAL = "Rule", "TestResult", "Benchmark", "oval_results"
# NIST IR 7275r4, table 26; what the standard says of each stands in the reasons.
OUTCOMES = {
    "pass": (Outcome.PASSED, ""),
    "fixed": (Outcome.PASSED, ""),
    "fail": (Outcome.FAILED, ""),
    "error": (Outcome.ERRORED, "the checking system could not evaluate it"),
    "unknown": (Outcome.UNDECIDED, "needs a person: the checking system could not tell"),
    "notchecked": (Outcome.UNDECIDED, "needs a person: nothing checked it"),
    "notapplicable": (Outcome.SKIPPED, "does not apply to this machine"),
    "notselected": (Outcome.SKIPPED, "the profile does not select it"),
    "informational": (Outcome.SKIPPED, "is for information only"),
}
# NIST IR 7275r4, 6.4.4.2 (severity); unknown counts as medium, so that nothing passes for slight.
SEVERITIES = {
    "info": Severity.NONE,
    "low": Severity.LOW,
    "medium": Severity.MEDIUM,
    "high": Severity.HIGH,
    "unknown": Severity.MEDIUM,
}
_ROLES = {"unscored": "its role is unscored", "unchecked": "its role is unchecked"}
_ID = re.compile(r"^xccdf_[^_]+(?:\.[^_]+)*_(?:rule|benchmark|profile|testresult)_")
_HOST, _INSTANCE = "host", "instance"


class XccdfReader:
    """Reads results of XCCDF 1.1 and 1.2: in a benchmark, alone, or in an asset report (ARF)."""

    format = "xccdf"
    told_by = "XCCDF results, also in ARF"
    roots: frozenset[str] = frozenset()

    def recognises(self, head: Head) -> bool:
        """Return whether the root is one of XCCDF or ARF."""
        root, space = head.xml.root, head.xml.namespace.lower()
        if root in (_BENCHMARK, _RESULTS):
            return "xccdf" in space
        return root == "asset-report-collection" and "asset-reporting-format" in space

    def read(self, source: Source, limits: Limits) -> ResultFile:
        """Return the results as checks. Raises UnknownFormat for a file without any."""
        reading = _Reading(source, limits)
        with source.open() as stream:
            events = XmlEvents(stream, (_RULE, _RESULTS, _BENCHMARK, _OVAL))
            for event, element in events:
                if event == "end":
                    reading.take(element)
        checks = tuple(reading.checks())
        notes = (*reading.notes(), *_damage(source.path, events))
        if not checks and not notes:
            what = "holds a benchmark without results" if reading.rules else "holds no results of rules"
            # Benchmarks stand beside results: one that is found there is left alone.
            raise UnknownFormat(what, path=source.path, hint="give the results that the scanner wrote")
        return ResultFile(
            path=source.path,
            format=self.format,
            size_bytes=source.size_bytes,
            checks=checks,
            suites=tuple(SuiteNotes(suite, facts) for suite, facts in reading.facts.items()),
            notes=notes,
            started=min(reading.moments, key=in_order, default=None),
            ended=max(reading.moments, key=in_order, default=None),
            title=reading.title,
            scores=tuple(reading.scores()),
            folder=source.folder,
            cases=len(checks),
            go=source.go,
        )


def _damage(path: str, events: XmlEvents) -> Iterator[ReadingNote]:
    if not events.whole:
        yield ReadingNote(
            path, "is cut off: results may be missing", f"line {events.lines:,}", results_missing=True
        )
    elif events.fault:
        yield ReadingNote(
            path, f"is not well-formed: {events.fault.what}", f"line {events.fault.line:,}", results_missing=True
        )


class _Results:
    """The results of one machine."""

    def __init__(self, element: Element) -> None:
        self.title = first_text(element, "title")
        benchmark = next(children(element, "benchmark"), None)
        self.benchmark = str(benchmark.get("id") or benchmark.get("href") or "") if benchmark is not None else ""
        self.host = text_of(next(children(element, "target"), None))
        self.profile = next((one.get("idref", "") for one in children(element, "profile")), "")
        self.scores = [
            (one.get("system", ""), text_of(one), one.get("maximum", "")) for one in children(element, "score")
        ]
        self.times = (element.get("start-time", ""), element.get("end-time", ""))
        self.results = [result_of(one) for one in children(element, "rule-result")]


class _Reading:
    """What came of reading one file."""

    def __init__(self, source: Source, limits: Limits) -> None:
        self._source = source
        self._limits = limits
        self.rules: dict[str, BenchmarkRule] = {}
        self.several: list[_Results] = []
        self.facts: dict[tuple[str, ...], tuple[Fact, ...]] = {}
        self.moments: list[datetime] = []
        self.title = ""
        self._whys: dict[tuple[str, str], tuple[str, ...]] = {}
        self._unknown: Counter[str] = Counter()
        self._nameless = 0

    def take(self, element: Element) -> None:
        """Take in one element once it is whole, and let it go."""
        name = local(element)
        if name == _RULE:
            self.rules[element.get("id", "")] = self._shown(rule_of(element))
        elif name == _RESULTS:
            self.several.append(_Results(element))
        elif name == _OVAL:
            report = next((one.get("id", "") for one in element.iterancestors("{*}report")), "")
            self._whys.update(((report, id_), why) for id_, why in OvalResults(element).whys().items())
        else:
            self.title = self.title or one_line(first_text(element, "title"), self._limits.name_chars)
            return
        element.clear()

    def _shown(self, rule: BenchmarkRule) -> BenchmarkRule:
        """Return a rule with its texts as they are shown: once, however many machines it is for."""
        return rule._replace(
            title=one_line(rule.title, self._limits.name_chars),
            asks=self._text(rule.asks),
            why=self._text(rule.why),
            mend=self._text(rule.mend),
            references=tuple(Fact(one_line(one.key, 200), one.value) for one in rule.references if one.value),
        )

    def checks(self) -> Iterator[Check]:
        """Yield a check for each result."""
        for results in self.several:
            title = one_line(self.title or results.title or readable(results.benchmark), self._limits.name_chars)
            suite = (title or "Nameless benchmark",)
            self.facts[suite] = tuple(self._facts(results))
            for text in results.times:
                moment = read_moment(text) if text else None
                if moment:
                    self.moments.append(moment)
            host = (Fact(_HOST, one_line(results.host, 200)),) if results.host else ()
            for result in results.results:
                yield self._check(result, suite, host)

    def _facts(self, results: _Results) -> Iterator[Fact]:
        if results.profile:
            yield Fact("profile", readable(results.profile))
        for system, score, maximum in results.scores:
            name = system.rpartition(":")[2] or "score"
            yield Fact(f"score ({name})", f"{score}{f' of {maximum}' if maximum else ''}")

    def scores(self) -> Iterator[Score]:
        """Yield the scores of each machine (NIST IR 7275r4, 6.6.5), where they are numbers."""
        for results in self.several:
            for system, text, maximum in results.scores:
                value, most = read_number(text, "."), read_number(maximum or "100", ".")
                if value is not None and most:
                    yield Score(system.rpartition(":")[2], value, most, one_line(results.host, 200))

    def _check(self, result: RuleResult, suite: tuple[str, ...], host: tuple[Fact, ...]) -> Check:
        told = self.rules.get(result.rule, BenchmarkRule())
        self._nameless += not result.rule
        outcome, reason = self._outcome(result, told)
        allowed = self._allowed(result, outcome)
        if allowed:
            outcome, reason = OUTCOMES.get(result.overrides[-1].old, (outcome, reason))
        name = told.title or one_line(readable(result.rule), self._limits.name_chars) or "Nameless rule"
        severity = SEVERITIES.get(result.severity or told.severity or "unknown", Severity.MEDIUM)
        kind = self._source.kind or Kind.COMPLIANCE
        messages = " ".join(result.messages)
        broken = outcome in (Outcome.FAILED, Outcome.ERRORED)
        problem = self._problem(result, outcome, messages or reason) if broken else None
        return Check(
            id=check_id(kind, suite, result.rule or name),
            kind=kind,
            suite=suite,
            name=name,
            attempts=(
                Attempt(
                    outcome,
                    started=read_moment(result.time) if result.time else None,
                    reason=self._text(". ".join(filter(None, (reason, messages)))) if reason and not broken else "",
                    problems=(problem,) if problem else (),
                    cause=name if broken else "",
                ),
            ),
            facts=tuple(self._facts_of(result, told)),
            description=told.asks,
            links=told.references,
            variant=(
                *host,
                *(Fact(_INSTANCE, one_line(one, 200)) for one in result.instances),
            ),
            rule=Rule(
                severity=severity,
                why=told.why,
                mend=told.mend,
                findings=int(broken and not allowed),
                allowed_findings=int(allowed is not None),
                allowed=allowed,
            ),
        )

    def _problem(self, result: RuleResult, outcome: Outcome, why: str) -> Problem:
        lines = [line for href, name in result.contents for line in self._whys.get((href.lstrip("#"), name), ())]
        why = why or next(iter(lines), "")
        lines += [f"checked by {f'{href} {name}'.strip()}" for href, name in result.contents if href or name]
        detail = "\n".join(lines)
        return Problem(
            outcome, message=self._text(why or "the machine does not keep it"), detail=self._text(detail)
        )

    def _outcome(self, result: RuleResult, told: BenchmarkRule) -> tuple[Outcome, str]:
        """Return how a rule ended, and why where it is not kept or broken."""
        found = OUTCOMES.get(result.result)
        if found is None:
            self._unknown[one_line(result.result, 40) or "none at all"] += 1
            return Outcome.UNDECIDED, f"the result “{one_line(result.result, 40)}” is none of the standard's"
        role = result.role or told.role
        if role in _ROLES and found[0] is not Outcome.SKIPPED:
            return Outcome.SKIPPED, f"does not count, as {_ROLES[role]}: {result.result}"
        return found

    def _allowed(self, result: RuleResult, outcome: Outcome) -> Allowed | None:
        """Return who allowed what breaks a rule, by an override that made a failure into something better."""
        last = result.overrides[-1] if result.overrides else None
        if last is None or last.old not in ("fail", "error") or outcome in (Outcome.FAILED, Outcome.ERRORED):
            return None
        return Allowed(self._text(last.remark) or "no reason is given", one_line(last.authority, 200))

    def _facts_of(self, result: RuleResult, told: BenchmarkRule) -> Iterator[Fact]:
        if result.rule:
            yield Fact("rule", one_line(result.rule, self._limits.name_chars))
        weight = _weight_of(result.weight or told.weight)
        if weight is not None and weight != 1:  # NIST IR 7275r4, 6.4.4.2: 1 where none is given
            yield Fact("weight", f"{weight:g}")
        for system, text in result.idents:
            yield Fact(_key_of(system), one_line(text, 200))

    def _text(self, text: str) -> str:
        return block(text, self._limits.message_chars)

    def notes(self) -> Iterator[ReadingNote]:
        """Yield what was odd."""
        path = self._source.path
        for word, times in self._unknown.most_common(self._limits.notes):
            yield ReadingNote(
                path, f"has {plural(times, 'result')} “{word}”, which the standard does not know: undecided"
            )
        if self._nameless:
            yield ReadingNote(path, f"has {plural(self._nameless, 'result')} without a rule")
        for results in self.several:
            if not results.results:
                yield ReadingNote(path, "holds a test without any result of a rule", results_missing=True)


@lru_cache(maxsize=1_000)
def _weight_of(text: str) -> float | None:
    return read_number(text, ".")


@lru_cache(maxsize=1_000)
def _key_of(system: str) -> str:
    """Return what the ids of a system are called: the last part of its address."""
    return one_line(re.split(r"[/:]", system.rstrip("/"))[-1].upper() or "ident", 40)


def readable(id_: str) -> str:
    """Return an id as words: ``xccdf_org.x_rule_no_root_login`` is “No root login”."""
    words = _ID.sub("", id_.rpartition("/")[2]).replace("_", " ").strip()
    return words[:1].upper() + words[1:]
