"""Reads XCCDF: a check for each result of a rule on a machine, with what the benchmark says of the rule."""

import re
from collections.abc import Iterator, Mapping
from datetime import datetime
from functools import cached_property, lru_cache

from plain_verdict.http.building import read_url
from plain_verdict.inputs.source import Source
from plain_verdict.model import (
    BAD,
    NO_WORDS,
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
    earliest,
    gravest,
    latest,
)
from plain_verdict.model.ids import check_id
from plain_verdict.readers.file_reading import FileReading
from plain_verdict.readers.interface import Head
from plain_verdict.readers.xccdf.oval import oval_systems
from plain_verdict.readers.xccdf.parts import (
    BenchmarkRule,
    Element,
    Machine,
    Override,
    RuleResult,
    first_text,
    local,
    machine_of,
    readable,
    result_of,
    rule_of,
)
from plain_verdict.readers.xccdf.values import PLAIN_TEXT, PROFILE, TAILORING, VALUE, Values
from plain_verdict.readers.xml.events import XmlFile
from plain_verdict.runtime.errors import UnknownFormat
from plain_verdict.settings.limits import Limits
from plain_verdict.text.cleaning import single_line
from plain_verdict.text.formatting import plural
from plain_verdict.text.moments import read_moment
from plain_verdict.text.numbers import read_decimal

_RULE, _RESULTS, _RESULT, _BENCHMARK, _OVAL = "Rule", "TestResult", "rule-result", "Benchmark", "oval_results"
_OF_VALUES = (VALUE, PROFILE, PLAIN_TEXT)
# NIST IR 7275r4, table 26; what the standard says of each stands in the reasons.
OUTCOMES = {
    "pass": (Outcome.PASSED, ""),
    "fixed": (Outcome.PASSED, ""),
    "fail": (Outcome.FAILED, ""),
    "error": (Outcome.ERRORED, "the checking system could not evaluate it"),
    "unknown": (Outcome.UNDECIDED, "undecided: the checking system could not tell"),
    "notchecked": (Outcome.UNDECIDED, "undecided: nothing checked it"),
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
HOST, _INSTANCE = "host", "instance"
DEFINITION = "definition"
"""Key of the fact that names the OVAL definition by which a rule is checked."""


class XccdfReader:
    """Reads results of XCCDF 1.1 and 1.2: in a benchmark, alone, or in an asset report (ARF)."""

    format = "xccdf"
    roots: frozenset[str] = frozenset()

    def recognises(self, head: Head) -> bool:
        """Return whether the root is one of XCCDF or ARF."""
        root, space = head.xml.root, head.xml.namespace.lower()
        if root in (_BENCHMARK, _RESULTS, TAILORING):
            return "xccdf" in space
        return root == "asset-report-collection" and "asset-reporting-format" in space

    def read(self, source: Source, limits: Limits) -> ResultFile:
        """Return the results as checks. Raises UnknownFormat for a file without any."""
        reading = _Reading(source, limits)
        with source.open() as stream:
            file = XmlFile(stream)
            for event, element in file.events((_RULE, *_OF_VALUES, _RESULTS, _RESULT, _BENCHMARK, _OVAL)):
                if event == "end":
                    reading.take(element)
                else:
                    reading.begin(element)
        checks = tuple(reading.checks())
        notes = (*reading.notes(), *damage_notes(source.path, file))
        if not checks and not notes:
            what = "holds a benchmark without results" if reading.rules else "holds no results of rules"
            what = "holds a tailoring without results" if reading.has_tailoring else what
            # Benchmarks stand beside results: one that is found there is skipped.
            raise UnknownFormat(what, path=source.path, hint="give the result file that the scanner wrote")
        return ResultFile(
            checks=checks,
            suites=tuple(SuiteNotes(suite, facts) for suite, facts in reading.facts.items()),
            notes=notes,
            started=earliest(reading.moments),
            ended=latest(reading.moments),
            title=reading.title,
            scores=tuple(reading.scores()),
            cases=len(checks),
        )


def damage_notes(path: str, file: XmlFile) -> Iterator[ReadingNote]:
    """Yield that a file is cut off or not well-formed."""
    if not file.whole:
        yield ReadingNote(
            path, "is truncated: results may be missing", f"line {file.lines:,}", results_missing=True
        )
    elif file.fault:
        yield ReadingNote(
            path, f"is not well-formed: {file.fault.what}", f"line {file.fault.line:,}", results_missing=True
        )


class _Results:
    """The results of one machine. They are taken one by one: those before the place of a cut count, too."""

    def __init__(self, element: Element) -> None:
        self.results: list[RuleResult] = []
        self._element = element

    @cached_property
    def of(self) -> Machine:
        """Return what is given besides the results: to be asked once they are all read."""
        return machine_of(self._element)


class _Reading(FileReading):
    """What came of reading one file."""

    def __init__(self, source: Source, limits: Limits) -> None:
        super().__init__(source, limits)
        self.rules: dict[str, BenchmarkRule] = {}
        self.results: list[_Results] = []
        self._values = Values()
        self.facts: dict[tuple[str, ...], tuple[Fact, ...]] = {}
        self.moments: list[datetime] = []
        self._benchmarks: list[Element] = []
        self._whys: dict[tuple[str, str], tuple[str, ...]] = {}
        self._kind = source.kind or Kind.COMPLIANCE
        self._names: dict[tuple[str, tuple[str, ...], str], tuple[str, str]] = {}
        self._nameless = 0
        self._has_many = 0

    def begin(self, element: Element) -> None:
        """Take note of an element that begins."""
        if local(element) == _RESULTS:
            self.results.append(_Results(element))
        elif local(element) == _BENCHMARK:
            self._benchmarks.append(element)

    def take(self, element: Element) -> None:
        """Take in one element once it is whole, and let it go."""
        name = local(element)
        if name == _RESULT:
            self._take_result(element)
        elif name == _RULE:
            rule = rule_of(element)
            self.rules[element.get("id", "")] = rule if rule.has_values else self._shown(rule)
        elif name in _OF_VALUES:
            self._values.take(element)
        elif name == _RESULTS:
            _ = self.results[-1].of
        elif name == _OVAL:
            self._take_oval(element)
        if name not in (_BENCHMARK, _RESULT):  # results go with the machine that they are of
            element.clear()

    def _take_oval(self, element: Element) -> None:
        report = next((ancestor.get("id", "") for ancestor in element.iterancestors("{*}report")), "")
        for system in oval_systems(element):
            self._whys.update(((report, id_), why) for id_, why in system.whys().items())

    def _take_result(self, element: Element) -> None:
        if self.results:
            self.results[-1].results.append(result_of(element))

    @property
    def has_tailoring(self) -> bool:
        """Return whether profiles of a tailoring stand in it."""
        return bool(self._values.tailorings)

    @cached_property
    def title(self) -> str:
        """Return the title of the first benchmark that has one: to be asked once all is read."""
        titles = (self.name(first_text(benchmark, "title")) for benchmark in self._benchmarks)
        return next(filter(None, titles), "")

    def _shown(self, rule: BenchmarkRule) -> BenchmarkRule:
        """Return a rule with its texts as they are shown: once, however many machines it is for."""
        return rule._replace(
            title=self.name(rule.title),
            asks=self.text(rule.asks),
            why=self.text(rule.why),
            remediation=self.text(rule.remediation),
            references=tuple(
                Fact(single_line(reference.key, 200), read_url(reference.value))
                for reference in rule.references
                if reference.value
            ),
        )

    def checks(self) -> Iterator[Check]:
        """Yield a check for each result."""
        for results in self.results:
            title = single_line(
                self.title or results.of.title or readable(results.of.benchmark), self.limits.name_chars
            )
            suite = (title or "Nameless benchmark",)
            self.facts[suite] = tuple(dict.fromkeys((*self.facts.get(suite, ()), *self._facts(results.of))))
            for text in results.of.times:
                moment = read_moment(text) if text else None
                if moment:
                    self.moments.append(moment)
            host = (Fact(HOST, single_line(results.of.host, 200)),) if results.of.host else ()
            values = self._values.on(results.of)
            for result in results.results:
                yield self._check(result, self._rule_on(result.rule, values), suite, host, values)

    def _rule_on(self, id_: str, values: Mapping[str, str]) -> BenchmarkRule:
        """Return a rule with the values of one machine in its texts."""
        rule = self.rules.get(id_, BenchmarkRule())
        return self._shown(self._values.in_texts_of(rule, values)) if rule.has_values else rule

    def _facts(self, of: Machine) -> Iterator[Fact]:
        yield from (Fact(key, self.name(value)) for key, value in self._values.facts_on(of))
        whose = f", {single_line(of.host, 200)}" if len(self.results) > 1 else ""
        for system, score, maximum in of.scores:
            name = system.rpartition(":")[2] or "score"
            yield Fact(f"score ({name}{whose})", f"{score}{f' of {maximum}' if maximum else ''}")

    def scores(self) -> Iterator[Score]:
        """Yield the scores of each machine (NIST IR 7275r4, 6.6.5), where they are numbers."""
        for results in self.results:
            for system, text, maximum in results.of.scores:
                value, most = read_decimal(text), read_decimal(maximum or "100")
                if value is not None and most:
                    yield Score(system.rpartition(":")[2], value, most, single_line(results.of.host, 200))

    def _check(
        self,
        result: RuleResult,
        rule: BenchmarkRule,
        suite: tuple[str, ...],
        host: tuple[Fact, ...],
        values: Mapping[str, str],
    ) -> Check:
        self._nameless += not result.rule
        outcome, reason = self._outcome(result, rule)
        forgiving = _forgiving(result, outcome)
        if forgiving:
            outcome, reason = OUTCOMES[forgiving.old]
        id_, name = self._named(result.rule, suite, rule.title)
        severity = SEVERITIES.get(result.severity or rule.severity or "unknown", Severity.MEDIUM)
        broken = outcome in BAD
        return Check(
            id=id_,
            kind=self._kind,
            suite=suite,
            name=name,
            attempts=(self._attempt(result, outcome, reason, name),),
            facts=tuple(self._facts_of(result, rule, values)),
            description=rule.asks,
            links=rule.references,
            variant=(*host, *(Fact(_INSTANCE, single_line(instance, 200)) for instance in result.instances)),
            rule=Rule(
                severity=severity,
                why=rule.why,
                remediation=rule.remediation,
                findings=int(broken and not forgiving),
                suppressed_findings=int(forgiving is not None),
                allowed=self._allowed(forgiving) if forgiving else None,
            ),
        )

    def _attempt(self, result: RuleResult, outcome: Outcome, reason: str, name: str) -> Attempt:
        messages = " ".join(result.messages)
        started = read_moment(result.time) if result.time else None
        if outcome in BAD:
            problems = (self._problem(result, outcome, messages or reason),)
            return Attempt(outcome, started=started, problems=problems, cause=name)
        why = self.text(". ".join(filter(None, (reason, messages)))) if reason else ""
        return Attempt(outcome, started=started, reason=why)

    def _named(self, rule: str, suite: tuple[str, ...], title: str) -> tuple[str, str]:
        """Return the id and the name of a rule's check: made once, however many machines there are."""
        known = self._names.get((rule, suite, title))
        if known is None:
            name = title or self.name(readable(rule)) or "Nameless rule"
            known = self._names[rule, suite, title] = check_id(self._kind, suite, rule or name), name
        return known

    def _problem(self, result: RuleResult, outcome: Outcome, why: str) -> Problem:
        lines = [line for href, name in result.contents for line in self._whys.get((href.lstrip("#"), name), ())]
        why = why or next(iter(lines), "")
        lines += [f"checked by {f'{href} {name}'.strip()}" for href, name in result.contents if href or name]
        detail = "\n".join(lines)
        return Problem(outcome, message=self.text(why or NO_WORDS), detail=self.text(detail))

    def _outcome(self, result: RuleResult, rule: BenchmarkRule) -> tuple[Outcome, str]:
        """Return how a rule ended, the gravest of several results, and why where it is not kept or broken."""
        self._has_many += len(result.results) > 1
        words = result.results or ("",)
        known = dict(reversed([OUTCOMES[word] for word in words if word in OUTCOMES]))
        unknown = [word for word in words if word not in OUTCOMES]
        worst = gravest(known)
        if unknown and worst not in BAD:
            word = single_line(unknown[0], 40)
            self.unknown[word or "none at all"] += 1
            return Outcome.UNDECIDED, f"the result “{word}” is none of the standard's"
        # The standard lets a rule be checked and not count.
        uncounted = _ROLES.get(result.role or rule.role)
        if uncounted and worst is not Outcome.SKIPPED:
            return Outcome.SKIPPED, f"does not count: {uncounted}: {', '.join(result.results)}"
        return worst, known[worst]

    def _allowed(self, override: Override) -> Allowed:
        """Return who allowed what breaks a rule, and why."""
        return Allowed(self.text(override.remark) or "no reason is given", single_line(override.authority, 200))

    def _facts_of(self, result: RuleResult, rule: BenchmarkRule, values: Mapping[str, str]) -> Iterator[Fact]:
        if result.rule:
            yield Fact("rule", _short(result.rule))
        yield from (Fact(DEFINITION, _short(name)) for _, name in result.contents if name.startswith("oval:"))
        for id_ in result.values:
            yield Fact(_short(self._values.title(id_)), _short(values.get(id_) or "not given"))
        weight = _weight_of(result.weight or rule.weight)
        if weight is not None and weight != 1:  # NIST IR 7275r4, 6.4.4.2: 1 where none is given
            yield Fact("weight", f"{weight:g}")
        for system, text in result.idents:
            yield Fact(_key_of(system), _short(text))

    def notes(self) -> Iterator[ReadingNote]:
        """Yield what was odd."""
        yield from self.unknown_notes("result", "the standard does not know")
        if self._nameless:
            yield self.note(f"has {plural(self._nameless, 'result')} without a rule")
        if self._has_many:
            what = f"has {plural(self._has_many, 'rule')} with several results; the worst counts"
            yield self.note(what)
        for results in self.results:
            if not results.results:
                yield self.note("holds a test without any result of a rule", results_missing=True)


def _forgiving(result: RuleResult, outcome: Outcome) -> Override | None:
    """Return the last override that made a failure into something better, and that none after it took back."""
    if outcome in BAD:
        return None
    return next((override for override in reversed(result.overrides) if override.old in ("fail", "error")), None)


@lru_cache(maxsize=10_000)
def _short(text: str) -> str:
    return single_line(text, 300)


@lru_cache(maxsize=1_000)
def _weight_of(text: str) -> float | None:
    return read_decimal(text)


@lru_cache(maxsize=1_000)
def _key_of(system: str) -> str:
    """Return what the ids of a system are called: the last part of its address."""
    return single_line(re.split(r"[/:]", system.rstrip("/"))[-1].upper() or "ident", 40)
