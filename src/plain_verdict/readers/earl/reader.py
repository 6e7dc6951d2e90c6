"""Reads EARL: a check for each test on each subject, as JSON-LD, Turtle or RDF/XML."""

import json
import re
import warnings
from collections.abc import Iterator, Sequence
from typing import TYPE_CHECKING
from urllib.parse import unquote, urlsplit

from plain_verdict.http.building import read_url
from plain_verdict.inputs.source import Source
from plain_verdict.model import (
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
    gravest,
    latest,
)
from plain_verdict.model.ids import check_id
from plain_verdict.readers.earl.contexts import without_remote
from plain_verdict.readers.file_reading import FileReading
from plain_verdict.readers.interface import PAGE, Head, noted_twice
from plain_verdict.runtime.errors import ReadError
from plain_verdict.settings.limits import Limits
from plain_verdict.text.cleaning import single_line
from plain_verdict.text.formatting import join_list, plural
from plain_verdict.text.json_text import decode_json
from plain_verdict.text.moments import read_moment
from plain_verdict.text.packages import install_command

if TYPE_CHECKING:
    from plain_verdict.readers.earl.graph import Assertion

_MARK = "http://www.w3.org/ns/earl"
_PERSON = "undecided"
# EARL 1.0 Schema, 2.7.
OUTCOMES = {
    "passed": (Outcome.PASSED, ""),
    "failed": (Outcome.FAILED, ""),
    "cantTell": (Outcome.UNDECIDED, f"{_PERSON}: the assessor could not tell"),
    "untested": (Outcome.UNDECIDED, f"{_PERSON}: not assessed yet"),
    "inapplicable": (Outcome.SKIPPED, "does not apply to the subject"),
}
_TURTLE = re.compile(r"^\s*(?:@prefix|@base|PREFIX|BASE)\b", re.IGNORECASE | re.MULTILINE)
_MOST_PROBLEMS = 200
_MOST_GRAPH_BYTES = 20_000_000
_GRAPH_TIMES_FILE = 50
"""How much more room a graph takes than its file: rdflib keeps each triple in three indexes."""


class EarlReader:
    """Reads one report."""

    format = "earl"
    roots: frozenset[str] = frozenset()

    def recognises(self, head: Head) -> bool:
        """Return whether the beginning names the vocabulary, in one of the syntaxes."""
        return _MARK in head.text and _syntax(head.text, head.xml.root) != ""

    def read(self, source: Source, limits: Limits) -> ResultFile:
        """Return the assertions as checks. Raises ReadError."""
        if source.size_bytes > _MOST_GRAPH_BYTES:
            what = (
                f"is larger than {_MOST_GRAPH_BYTES // 1_000_000} MB: as a graph it would take"
                f" {_GRAPH_TIMES_FILE} times as much memory"
            )
            raise ReadError(what, path=source.path, hint="split it by subject")
        with source.open() as stream:
            data = stream.read()
        reading = _Reading(source, limits)
        checks = tuple(reading.checks(reading.assertions(data)))
        if not checks:
            raise ReadError("holds no assertion", path=source.path, hint="check that it is an EARL 1.0 report")
        moments = [check.last.started for check in checks if check.last.started]
        twice = noted_twice(data, source.path) if data.lstrip()[:1] in (b"{", b"[") else ()
        return ResultFile(
            checks=checks,
            notes=(*twice, *reading.notes()),
            started=earliest(moments),
            ended=latest(moments),
            cases=len(checks),
        )


def _syntax(text: str, root: str) -> str:
    """Return the syntax of a graph's beginning as rdflib calls it; "" for none."""
    if text[:1] in "{[":
        return "json-ld"
    if root == "RDF":
        return "xml"
    return "turtle" if _TURTLE.search(text) else ""


class _Reading(FileReading):
    """What came of reading one report."""

    def __init__(self, source: Source, limits: Limits) -> None:
        super().__init__(source, limits)
        self._contexts: set[str] = set()
        self._literal = 0

    def assertions(self, data: bytes) -> "list[Assertion]":
        """Return the assertions of a graph. Raises ReadError."""
        try:
            import rdflib  # a large library, for EARL only

            from plain_verdict.readers.earl.graph import TooManyError, assertions_in  # it needs rdflib
        except ImportError as error:
            what = f"is an EARL report, which needs one more library ({error.name})"
            raise ReadError(what, path=self.source.path, hint=f"install it: {install_command('earl')}") from error
        head = Head(data[:100_000])
        syntax = _syntax(head.text, head.xml.root)
        graph = rdflib.Graph()
        try:
            if syntax == "json-ld":
                value = without_remote(decode_json(data), self._contexts)
                data = json.dumps(value).encode()
            with warnings.catch_warnings():  # rdflib warns of what it uses itself
                warnings.simplefilter("ignore", DeprecationWarning)
                named = rdflib.Dataset()
                named.parse(data=data, format=syntax, publicID="urn:report:")
                for subject, name, thing, _ in named.quads():  # what stands in named graphs counts as well
                    graph.add((subject, name, thing))
        except Exception as error:  # rdflib raises what its parsers raise
            what = f"is not readable RDF: {single_line(str(error), 300)}"
            raise ReadError(what, path=self.source.path, hint="check that it is complete") from error
        try:
            return list(assertions_in(graph))
        except TooManyError as error:
            hint = "write one assertion for each test, subject and result"
            raise ReadError(f"can't be read: {error}", path=self.source.path, hint=hint) from error

    def checks(self, assertions: "Sequence[Assertion]") -> Iterator[Check]:
        """Yield a check for each test on each subject."""
        together: dict[tuple[str, str, str], list[Assertion]] = {}
        for assertion in assertions:
            together.setdefault(
                (assertion.rule_set, assertion.test or assertion.test_title, assertion.subject), []
            ).append(assertion)
        for test_assertions in together.values():
            yield self._check(test_assertions)

    def _check(self, assertions: "Sequence[Assertion]") -> Check:
        first = assertions[0]
        suite, name = self._suite_and_name(first)
        kind = self.source.kind or Kind.COMPLIANCE
        results = [(assertion, *self._outcome(assertion)) for assertion in assertions]
        failed = [assertion for assertion, found, _ in results if found is Outcome.FAILED]
        return Check(
            id=check_id(kind, suite, first.test or name),
            kind=kind,
            suite=suite,
            name=name,
            attempts=(self._attempt(results, failed, name),),
            facts=tuple(self._facts(assertions)),
            description=self.text(first.about),
            links=(Fact("What it asks", read_url(first.test)),) if first.test.startswith("http") else (),
            variant=(Fact(PAGE, self.name(first.subject)),) if first.subject else (),
            # EARL 1.0 knows no severity: nothing says that one test matters more than another.
            rule=Rule(severity=Severity.MEDIUM, findings=len(failed)),
        )

    def _suite_and_name(self, assertion: "Assertion") -> tuple[tuple[str], str]:
        rule_set = self.name(assertion.rule_set or _rule_set(assertion.test)) or "Tests without a set"
        return (rule_set,), self.name(assertion.test_title or readable(assertion.test)) or "Nameless test"

    def _attempt(
        self, results: "Sequence[tuple[Assertion, Outcome, str]]", failed: "Sequence[Assertion]", name: str
    ) -> Attempt:
        outcome = gravest(found for _, found, _ in results)
        reasons = dict.fromkeys(
            _worded(reason, assertion.info) for assertion, found, reason in results if found is outcome
        )
        moments = [moment for assertion, *_ in results if (moment := read_moment(assertion.at))]
        return Attempt(
            outcome,
            started=earliest(moments),
            reason="" if outcome in (Outcome.FAILED, Outcome.PASSED) else self.text("; ".join(reasons)),
            problems=tuple(self._problems(failed)),
            cause=name if failed else "",
        )

    def _problems(self, failed: "Sequence[Assertion]") -> Iterator[Problem]:
        """Yield a problem for each failed assertion; those past a limit are only counted."""
        for assertion in failed[:_MOST_PROBLEMS]:
            message = self.text(assertion.info) or "The rule is not met."
            yield Problem(Outcome.FAILED, message=message, place=self.name(assertion.pointer))
        if len(failed) > _MOST_PROBLEMS:
            more = plural(len(failed) - _MOST_PROBLEMS, "more place")
            yield Problem(Outcome.FAILED, message=f"and {more}")

    def _outcome(self, assertion: "Assertion") -> tuple[Outcome, str]:
        self._literal += assertion.is_literal
        found = OUTCOMES.get(assertion.outcome)
        if found is None:
            self.unknown[single_line(assertion.outcome, 40) or "none at all"] += 1
            return Outcome.UNDECIDED, f"{_PERSON}: it gives no outcome of the standard"
        return found

    def _facts(self, assertions: "Sequence[Assertion]") -> Iterator[Fact]:
        for key, texts in (
            ("asserted by", [assertion.by for assertion in assertions]),
            ("mode", [assertion.mode for assertion in assertions]),
        ):
            known = list(dict.fromkeys(filter(None, texts)))
            if known:
                yield Fact(key, self.name(join_list(known)))

    def notes(self) -> Iterator[ReadingNote]:
        """Yield what was odd."""
        if self._contexts:
            names = join_list([single_line(name, 80) for name in sorted(self._contexts)])
            yield self.note(f"names a context that is not fetched ({names}); EARL's own terms are used instead")
        if self._literal:
            yield self.note(f"has {plural(self._literal, 'outcome')} as text instead of a resource")
        yield from self.unknown_notes("outcome", "the standard does not know")


def _worded(reason: str, info: str) -> str:
    """Return why nobody can tell, or it does not apply; what a report of our own says already stands once."""
    if info and (not reason.startswith(_PERSON) or info.startswith(_PERSON)):
        return info
    return f"{reason}. {info}" if info else reason


def _rule_set(address: str) -> str:
    """Return what a test's address says of the set it is from: the last part of its path before the sign #."""
    parts = urlsplit(address)
    return unquote(parts.path.strip("/").rpartition("/")[2] or parts.netloc) if parts.fragment else parts.netloc


def readable(address: str) -> str:
    """Return an address as words: its fragment, or the last part of its path."""
    parts = urlsplit(address)
    words = unquote(parts.fragment or parts.path.strip("/").rpartition("/")[2]).replace("-", " ").replace("_", " ")
    return words[:1].upper() + words[1:]
