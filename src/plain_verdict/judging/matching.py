"""Finds out which checks a rule covers; a regular expression that takes too long switches its rule off."""

import re
from collections.abc import Callable, Iterator
from fnmatch import translate

import msgspec

from plain_verdict.judging.problem_lines import lacks_words
from plain_verdict.judging.severities import fits_severity
from plain_verdict.model import BAD, Check, Exchange, Problem, exchanges_of, failing_steps
from plain_verdict.settings.rules import Match
from plain_verdict.text.expressions import SEARCHED_CHARS, Expression

_OF_PROBLEMS = ("message", "type", "detail", "place")
_OF_EXCHANGES = ("status", "method", "url", "header", "body")


class Matcher:
    """One rule's ``match``, ready to be tried. Raises ValueError for a regular expression that is none."""

    def __init__(self, match: Match) -> None:
        self._match = match
        self._tests: dict[str, Callable[[str], bool]] = {}
        self._problem_tests: dict[str, Callable[[str], bool]] = {}
        self._exchange_tests: dict[str, Callable[[str], bool]] = {}
        for key in (*_OF_PROBLEMS, *_OF_EXCHANGES, "step", "check", "suite", "tag", "owner", "source", "subject"):
            wanted = getattr(match, key)
            if wanted:
                self._tests_for(key)[key] = _test(wanted)

    def _tests_for(self, key: str) -> dict[str, Callable[[str], bool]]:
        """Return where the test for a key belongs: all for one problem, or one exchange, must fit the same one."""
        if key in _OF_PROBLEMS:
            return self._problem_tests
        return self._exchange_tests if key in _OF_EXCHANGES else self._tests

    def covers(self, check: Check, source: str) -> bool:
        """Return whether the check fits every key. Raises TooSlow."""
        if not self._covers_facts(check):
            return False
        return (
            all(any(map(test, _values(key, check, source))) for key, test in self._tests.items())
            and (not self._problem_tests or any(map(self._knows, problems_of(check))))
            and (not self._exchange_tests or any(self._fits(exchange) for exchange, *_ in exchanges_of(check.last)))
        )

    def _covers_facts(self, check: Check) -> bool:
        # These cost nothing: texts are looked at only where they fit.
        match = self._match
        if match.kind is not None and check.kind is not match.kind:
            return False
        if match.outcome is not None and check.outcome is not match.outcome:
            return False
        return not match.severity or bool(check.rule and fits_severity(match.severity, check.rule.severity))

    def _fits(self, exchange: Exchange) -> bool:
        status = self._match.status
        return (not status or fits_status(status, exchange)) and all(
            any(map(test, _exchange_values(key, exchange)))
            for key, test in self._exchange_tests.items()
            if key != "status"
        )

    def knows_all(self, check: Check) -> bool:
        """Return whether every problem of the check fits, as far as the rule looks at problems. Raises TooSlow."""
        return not self._problem_tests or all(
            self._knows(problem) for problem in problems_of(check) if problem.outcome in BAD
        )

    def _knows(self, problem: Problem) -> bool:
        return all(test(str(getattr(problem, key))) for key, test in self._problem_tests.items())


def _values(key: str, check: Check, source: str) -> Iterator[str]:
    match key:
        case "check":
            yield from {check.name, check.title}
        case "suite":
            yield " › ".join(check.suite)
            yield from check.suite
        case "tag":
            yield from check.tags
        case "owner":
            yield from check.owners
        case "source":
            yield source
        case "subject":
            yield from (fact.value for fact in check.variant)
        case "step":
            yield from (step.name for step in failing_steps(check.last))


def fits_status(wanted: str, exchange: Exchange) -> bool:
    """Return whether an answer has this status: ``503``, ``5xx``, or ``no answer``."""
    if exchange.response is None:
        return wanted == "no answer"
    status = str(exchange.response.status)
    is_pattern = any(sign in wanted for sign in "*?/")
    return wanted == status or wanted.lower() == f"{status[0]}xx" or (is_pattern and _test(wanted)(status))


def _exchange_values(key: str, exchange: Exchange) -> Iterator[str]:
    request, response = exchange.request, exchange.response
    match key:
        case "method":
            yield request.method
        case "url":
            yield request.url
        case "header":
            headers = (*request.headers, *(response.headers if response else ()))
            yield from (f"{header.key}: {header.value}" for header in headers)
        case "body" if response and response.body:
            yield response.body.text


def problems_of(check: Check) -> Iterator[Problem]:
    """Yield the problems of the attempt that counts, its steps' after its own."""
    yield from check.last.problems
    for step in failing_steps(check.last):
        yield from step.problems


def problem_of(check: Check) -> Problem:
    """Return the problem that tells why: the gravest of the attempt that counts."""
    problems = list(problems_of(check))
    outcome = check.outcome
    telling = (
        problem for problem in problems if problem.outcome is outcome and (problem.message or problem.detail)
    )
    found = next(telling, problems[0] if problems else Problem(outcome))
    return _with_output(found, check) if check.last.outputs else found


def _with_output(problem: Problem, check: Check) -> Problem:
    """Return a problem that says nothing with the check's output, which may name the reason."""
    if not all(lacks_words(text.strip(), check.name) for text in (problem.message, problem.detail)):
        return problem
    return msgspec.structs.replace(problem, detail="\n".join(output.text for output in check.last.outputs))


_PROBES = ("Ω", "q7", "a b\nc", "x" * 40)  # texts that no pattern means: one that fits them all fits everything


def matches_everything(wanted: str) -> bool:
    """Return whether a pattern of a rule fits any text. Raises ValueError for a regular expression that is none."""
    return not wanted.strip() or all(map(_test(wanted), _PROBES))


def whole_test(wanted: str) -> Callable[[str], bool]:
    """Return a test for a whole value. Raises ValueError for a regular expression that is none."""
    is_pattern = "*" in wanted or "?" in wanted or (len(wanted) > 2 and wanted[0] == wanted[-1] == "/")
    return _test(wanted) if is_pattern else lambda value: value == wanted


def _test(wanted: str) -> Callable[[str], bool]:
    if len(wanted) > 2 and wanted.startswith("/") and wanted.endswith("/"):
        return Expression(wanted[1:-1]).is_in
    if "*" in wanted or "?" in wanted:
        pattern = re.compile(translate(wanted), re.DOTALL)
        return lambda value: pattern.match(value[:SEARCHED_CHARS]) is not None
    return lambda value: wanted in value
