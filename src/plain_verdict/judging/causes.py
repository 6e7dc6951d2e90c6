"""Gives every failure a cause: the one it names itself, the first rule that fits, or else likeness to others."""

from collections import Counter, defaultdict
from collections.abc import Collection, Iterator, Mapping, Sequence

import msgspec

from plain_verdict.judging.api_causes import CallFailure, call_failures, name_failures
from plain_verdict.judging.cause_names import title_of
from plain_verdict.judging.matching import Matcher, problem_of
from plain_verdict.judging.problem_lines import is_exit
from plain_verdict.judging.rule_causes import join_rules, title_of_rule
from plain_verdict.judging.similarity import Similarity, are_near
from plain_verdict.model import BAD, Cause, Check, Run, detailed_of
from plain_verdict.settings.rules import CauseRule
from plain_verdict.text.expressions import TooSlow

_COMPARED_PATTERNS = 100  # of one place: all with all would be quadratic


class _Sorting:
    """Failures while each finds its rule, its own name, or neither."""

    def __init__(self, rules: Sequence[CauseRule]) -> None:
        self.by_rule: dict[int, list[Check]] = defaultdict(list)
        self.by_exception_name: dict[str, list[Check]] = defaultdict(list)
        self.others: list[Check] = []
        self._failed_rules: dict[str, list[Check]] = defaultdict(list)
        self.notes: list[str] = []
        self._rules = rules
        self._matchers: list[Matcher | None] = [Matcher(rule.match) for rule in rules]

    def add(self, check: Check, source: str) -> None:
        """Sort a failure in that stands in a source file."""
        if check.last.cause and not check.rule:
            self.by_exception_name[check.last.cause].append(check)
            return
        number = self._rule_of(check, source)
        if number is not None:
            self.by_rule[number].append(check)
        elif check.rule and check.last.cause:
            self._failed_rules[check.last.cause].append(check)
        else:
            self.others.append(check)

    def failed_rules(self) -> Iterator[tuple[str, list[Check]]]:
        """Yield the rules that failed, each with its checks: of several tools and hosts."""
        joined: dict[str, list[Check]] = defaultdict(list)
        for name, first in join_rules(self._failed_rules).items():
            joined[first] += self._failed_rules[name]
        yield from joined.items()

    def _rule_of(self, check: Check, source: str) -> int | None:
        """Return the number of the first rule that covers a check; a rule that is too slow is switched off."""
        for number, matcher in enumerate(self._matchers):
            try:
                if matcher and matcher.covers(check, source):
                    return number
            except TooSlow:
                self._matchers[number] = None
                name = self._rules[number].name
                self.notes.append(f"Cause rule “{name}” takes too long to match and was switched off.")
        return None

    def unused(self) -> list[str]:
        """Return a note for each rule that matched no failure."""
        return [
            f"Cause rule “{rule.name}” matched no failure."
            for number, (rule, matcher) in enumerate(zip(self._rules, self._matchers, strict=True))
            if matcher and number not in self.by_rule
        ]


def find_causes(run: Run, rules: Sequence[CauseRule]) -> tuple[tuple[Cause, ...], tuple[str, ...]]:
    """Return the causes, those with most checks first, and notes on rules that covered nothing or were too slow."""
    sorting = _Sorting(rules)
    for file in run.files:
        for check in detailed_of(file.checks):
            if check.attempts[-1].outcome in BAD:
                sorting.add(check, file.path)
    by_name = {rule.name: rule for rule in rules}
    similarity = Similarity([(check.name, problem_of(check)) for check in sorting.others])
    causes = [
        _ruled(rules[number].name, checks, rules[number], similarity) for number, checks in sorting.by_rule.items()
    ]
    causes += [
        _ruled(name, checks, by_name.get(name), similarity) for name, checks in sorting.by_exception_name.items()
    ]
    causes += [
        msgspec.structs.replace(
            _ruled(title_of_rule(name, checks), checks, by_name.get(name), similarity), identity=name
        )
        for name, checks in sorting.failed_rules()
    ]
    causes += _alike(sorting.others, similarity, call_failures(run))
    # By what they say, not by where they stood: the order of files must not show.
    causes.sort(key=lambda cause: (-len(cause.checks), cause.name, cause.checks[0].id))
    return tuple(causes), (*sorting.notes, *sorting.unused())


def _alike(checks: Sequence[Check], similarity: Similarity, by_call: Mapping[str, CallFailure]) -> list[Cause]:
    """Return a cause for each group of failures that are alike, each with its own name."""
    groups: dict[tuple[str, ...], list[Check]] = defaultdict(list)
    for check in checks:
        groups[_key_of(check, similarity, by_call.get(check.id))].append(check)
    of_calls = {key for key, found in groups.items() if found[0].id in by_call}
    _join_near(groups, groups.keys() - of_calls, similarity)
    causes = [_causes_by_call(_cause("", alike_checks, similarity), by_call) for alike_checks in groups.values()]
    uses = Counter(cause.name for cause in causes)
    seen: Counter[str] = Counter()
    named = []
    for cause in sorted(causes, key=lambda cause: (-len(cause.checks), cause.checks[0].id)):
        if uses[cause.name] > 1:
            where = similarity.location_of(problem_of(cause.checks[0])).replace(" ", ", ", 1)
            name = f"{cause.name} (in {where})" if where else cause.name
            seen[name] += 1
            name = name if seen[name] == 1 else f"{name} ({seen[name]})"
            cause = msgspec.structs.replace(cause, name=name)  # noqa: PLW2901  the same cause, named
        named.append(cause)
    return named


def _key_of(check: Check, similarity: Similarity, failure: CallFailure | None) -> tuple[str, ...]:
    """Return what is alike in all failures of a group: of their call, where that is wrong, and of their problem."""
    of_call = failure.key if failure else ()
    if failure and failure.what:
        return of_call
    pattern = similarity.pattern(check.name, problem_of(check))
    # An exit code is of its own program: it joins failures of one suite at most.
    return (*of_call, *pattern, *(check.suite if is_exit(pattern[1]) else ()))


def _join_near(
    groups: dict[tuple[str, ...], list[Check]], patterns: Collection[tuple[str, ...]], similarity: Similarity
) -> None:
    """Join groups of one exception at one place whose messages nearly agree, the smaller to the larger."""
    by_location: dict[tuple[str, str], list[tuple[str, ...]]] = defaultdict(list)
    for pattern in sorted(patterns, key=lambda pattern: (-len(groups[pattern]), pattern)):
        where = similarity.exception_location(pattern, problem_of(groups[pattern][0]))
        if where:
            by_location[pattern[0], where].append(pattern)
    for neighbours in by_location.values():
        kept: list[tuple[str, ...]] = []
        for pattern in neighbours[:_COMPARED_PATTERNS]:
            larger = next((other for other in kept if are_near(other, pattern)), None)
            if larger is None:
                kept.append(pattern)
            else:
                groups[larger] += groups.pop(pattern)


def _causes_by_call(cause: Cause, by_call: Mapping[str, CallFailure]) -> Cause:
    """Return a cause with the name that its calls give it, and with what the service says, where they do."""
    failures = [by_call[check.id] for check in cause.checks if check.id in by_call]
    if not failures:
        return cause
    name = name_failures(failures, cause.name)
    if not failures[0].what:
        return msgspec.structs.replace(cause, name=name)
    typical = ((failures[0].message, False),) if failures[0].message else cause.typical
    return msgspec.structs.replace(cause, name=name, typical=typical, type="")


def _ruled(name: str, checks: list[Check], rule: CauseRule | None, similarity: Similarity) -> Cause:
    cause = _cause(name, checks, similarity)
    if rule is None:
        return cause
    return msgspec.structs.replace(cause, advice=rule.advice, owner=rule.owner, link=rule.link)


def _cause(name: str, checks: list[Check], similarity: Similarity) -> Cause:
    checks = sorted(checks, key=lambda check: (check.suite, check.title, check.id))
    lines = [(similarity.line(check.name, problem), problem) for check in checks for problem in [problem_of(check)]]
    usual = Counter(similarity.template(line) for line, _ in lines)
    template = min(usual, key=lambda text: (-usual[text], text))
    alike = [(line, problem) for line, problem in lines if similarity.template(line) == template]
    line, typical = min(alike, key=lambda pair: (pair[0], pair[1].message))
    return Cause(
        name=name or title_of(checks, [line for line, _ in alike], typical, similarity, all_alike=len(usual) == 1),
        checks=tuple(checks),
        typical=similarity.pieces(line),
        type=typical.type,
        by_rule=bool(name),
    )
