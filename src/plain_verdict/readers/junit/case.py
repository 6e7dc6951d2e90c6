"""Reads one ``testcase`` of JUnit XML into the attempts of a check."""

import re
from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from datetime import datetime
from itertools import islice

from plain_verdict.model import BAD, Attempt, Fact, Outcome, Output, Problem, counting_last, gravest
from plain_verdict.readers.expectations import find_expectation
from plain_verdict.readers.junit.outcome_words import TELLING, outcome_words_of_case
from plain_verdict.readers.junit.tags import CASE
from plain_verdict.readers.junit.tree import Node
from plain_verdict.settings.limits import Limits
from plain_verdict.text.cleaning import block, headline, single_line
from plain_verdict.text.moments import read_duration, read_moment
from plain_verdict.text.patterns import pattern

PROBLEMS = {"failure": Outcome.FAILED, "error": Outcome.ERRORED}
# Elements that hold an earlier execution (a run that failed before one that passed) or a later one.
_EARLIER = {"flakyfailure": Outcome.FAILED, "flakyerror": Outcome.ERRORED}
_LATER = {"rerunfailure": Outcome.FAILED, "rerunerror": Outcome.ERRORED}
_BAD_NAMES = frozenset(
    (
        *("failed", "fail", "failures", "fails", "errors", "errored", "exception", "exceptions"),
        *("crash", "crashed", "aborted", "broken", "timeout"),
    )
)
_OUTPUTS = ("system-out", "system-err")

_NOT_STARTED = pattern(
    r"\A\W*(?:unable|could not|couldn't|cannot|failed) (?:to )?(?:be )?(?:find|run|start|load|execute)",
    re.IGNORECASE,
)
_EXPECTED_TO_FAIL = pattern(r"\bx-?fail", re.IGNORECASE)
_TYPE_FIRST = pattern(r"\A([A-Za-z_][\w.$]{0,120}(?:Error|Exception|Failure|Failed|Timeout|Warning|Interrupt)):\s")


_SHORT_CHARS = 2_000
_WORD_CHARS = 40


def read_facts(element: Node, limits: Limits) -> Iterator[Fact]:
    """Yield the facts of a ``properties`` element; the value stands in an attribute or in the text."""
    for item in element.children:
        name = single_line(item.get("name") or item.get("key") or item.name, limits.name_chars)
        value = item.attributes.get("value")
        yield Fact(name, block(item.text if value is None else value, limits.message_chars))


def _only_rules(text: str) -> bool:
    """Return whether the text is headings between rules (``---- Captured log ----``) over nothing."""
    lines = filter(None, (line.strip() for line in text.split("\n")))
    return all(line.startswith("---") and line.endswith("---") for line in lines)


def read_output(element: Node, limits: Limits) -> Output | None:
    """Return captured output, or None where there is nothing to show."""
    text = element.text
    if not text or text.isspace() or (len(text) < _SHORT_CHARS and _only_rules(text)):
        return None
    return Output(single_line(element.name, limits.name_chars), block(text, limits.output_chars))


def deep_problems(element: Node, limits: Limits) -> Iterator[Problem]:
    """Yield the problems that stand deeper in an element than they should; a case inside has its own."""
    todo = element.children[::-1]
    while todo:
        child = todo.pop()
        if child.name in PROBLEMS:
            yield read_problem(child, PROBLEMS[child.name], limits)
        elif child.name != CASE:
            todo += reversed(child.children)


def read_problem(element: Node, outcome: Outcome, limits: Limits) -> Problem:
    """Return the problem that an element describes, its message from the attribute or else from the text."""
    trace = next((child for child in element.children if child.name == "stacktrace"), element)
    detail = block(trace.text, limits.detail_chars)
    kind, message = _kind_and_message(element, detail, limits)
    expected, actual = element.attributes.get("expected"), element.attributes.get("actual")
    pair = find_expectation(message, detail) if expected is None or actual is None else (expected, actual)
    return Problem(
        outcome,
        kind,
        message,
        "" if detail.strip() == message.strip() else detail,
        *(block(value, limits.message_chars) for value in pair) if pair else (None, None),
    )


def _kind_and_message(element: Node, detail: str, limits: Limits) -> tuple[str, str]:
    """Return a problem's type and message; the type may stand before the message, and the message in the detail."""
    message = block(element.get("message"), limits.message_chars)
    if not message or message == "None":
        message = headline(detail)[: limits.message_chars]
    kind = single_line(element.get("type"), limits.name_chars)
    named = _TYPE_FIRST.match(message)
    if named and (not kind or kind.rpartition(".")[2] == named[1].rpartition(".")[2]):
        return kind or named[1], message[named.end() :]
    return kind, message


class CaseReader:
    """Reads cases; remembers words of status attributes that it does not know."""

    def __init__(self, limits: Limits) -> None:
        self.limits = limits
        self.unknown_words: Counter[str] = Counter()
        self.unread_times: Counter[str] = Counter()
        self.odd_elements: Counter[str] = Counter()
        """Elements that are none of the format's, with names that failures might have."""

    def read(self, case: Node, attributes: Mapping[str, str]) -> tuple[tuple[Attempt, ...], tuple[Fact, ...]]:
        """Return the case's attempts, oldest first, and its facts."""
        stamp = attributes.get("timestamp")
        started = read_moment(stamp) if stamp else None
        took_s = self.took(attributes.get("time"))
        children = case.children if case.content else ()
        if not children:
            outcome, reason, problems = self._by_words(attributes)
            return (Attempt(outcome, took_s, started, reason, problems),), ()
        return self._read_children(children, attributes, took_s, started)

    def took(self, text: str | None) -> float | None:
        """Return a time attribute in seconds; another text is remembered and counts as unknown."""
        if not text:
            return None
        took_s = read_duration(text)
        if took_s is None and not text.isspace():
            self.unread_times[single_line(text, 40)] += 1
        return took_s

    def _read_children(
        self,
        children: Sequence[Node],
        attributes: Mapping[str, str],
        took_s: float | None,
        started: datetime | None,
    ) -> tuple[tuple[Attempt, ...], tuple[Fact, ...]]:
        problems: list[Problem] = []
        outputs: list[Output] = []
        facts: list[Fact] = []
        skips: list[Node] = []
        earlier: list[Attempt] = []
        later: list[Attempt] = []
        for child in children:
            name = child.name
            if name in PROBLEMS:
                problems.append(read_problem(child, PROBLEMS[name], self.limits))
            elif name == "skipped":
                skips.append(child)
            elif name in _EARLIER:
                earlier.append(self._other_attempt(child, _EARLIER[name]))
                problems += deep_problems(child, self.limits)
            elif name in _LATER:
                later.append(self._other_attempt(child, _LATER[name]))
                problems += deep_problems(child, self.limits)
            elif name == "properties":
                facts += islice(read_facts(child, self.limits), self.limits.facts)
                problems += deep_problems(child, self.limits)
            elif name != CASE:  # one inside another is its own check
                problems += deep_problems(child, self.limits)
                self.odd_elements[name] += name in _BAD_NAMES
                output = read_output(child, self.limits)
                outputs += [output] if output else []
        for skip in skips:
            problems += deep_problems(skip, self.limits)
        outcome, reason, found = self._outcome(problems, skips, attributes)
        last = Attempt(outcome, took_s, started, reason, found, tuple(outputs))
        return counting_last((*earlier, last, *later)), tuple(facts)

    def _outcome(
        self, problems: list[Problem], skips: list[Node], attributes: Mapping[str, str]
    ) -> tuple[Outcome, str, tuple[Problem, ...]]:
        """Return how a case ended, why it was skipped, and its problems."""
        if problems:
            outcome = (
                problems[0].outcome if len(problems) == 1 else gravest(problem.outcome for problem in problems)
            )
            return outcome, "", tuple(problems)
        by_words = self._by_words(attributes)
        # "failed" in an attribute is not taken back by an element that says skipped; "undecided", which our own
        # files say so, gets its reason there.
        if skips and by_words[0] is Outcome.UNDECIDED and attributes.get("status") == "undecided":
            return Outcome.UNDECIDED, self._skipped(skips)[1] or by_words[1], ()
        return self._skipped(skips) if skips and by_words[0] not in BAD else by_words

    def _other_attempt(self, element: Node, outcome: Outcome) -> Attempt:
        found = (read_output(child, self.limits) for child in element.children if child.name in _OUTPUTS)
        outputs = tuple(output for output in found if output)
        return Attempt(
            outcome,
            self.took(element.get("time")),
            problems=(read_problem(element, outcome, self.limits),),
            outputs=outputs,
        )

    def _skipped(self, elements: list[Node]) -> tuple[Outcome, str, tuple[Problem, ...]]:
        element = elements[0]
        reason = single_line(element.get("message") or element.text, self.limits.message_chars)
        kind = element.get("type")
        if reason.lower() == "true":
            reason = kind if kind != "skipped" else ""
        if _NOT_STARTED.match(reason):
            return Outcome.ERRORED, "", (Problem(Outcome.ERRORED, message=reason),)
        if _EXPECTED_TO_FAIL.search(kind):
            reason = f"expected to fail: {reason}" if reason else "expected to fail"
        return Outcome.SKIPPED, reason, ()

    def _by_words(self, attributes: Mapping[str, str]) -> tuple[Outcome, str, tuple[Problem, ...]]:
        """Return the outcome of a case without a problem element, by what its attributes say of it."""
        if attributes.keys().isdisjoint(TELLING):
            return Outcome.PASSED, "", ()
        known: dict[Outcome, str] = {}
        unknown: list[str] = []
        for outcome_of_word, raw in outcome_words_of_case(attributes):
            word = single_line(raw, _WORD_CHARS)
            if outcome_of_word is None:
                unknown.append(word)
            else:
                known.setdefault(outcome_of_word, word)
        self.unknown_words.update(unknown)
        outcome = gravest(known)
        if unknown and outcome not in BAD:
            return Outcome.UNDECIDED, f"its status “{unknown[0]}” is not a known outcome", ()
        word = known.get(outcome, "")
        if outcome in BAD:
            problem = Problem(outcome, message=f"Its status is “{word}”; the file gives no reason.")
            return outcome, "", (problem,)
        return outcome, f"its status is “{word}”" if outcome is not Outcome.PASSED else "", ()
