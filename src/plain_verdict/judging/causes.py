"""Gives every failure a cause: the one it names itself, the first rule that fits, or else likeness to others."""

from collections import Counter, defaultdict
from collections.abc import Mapping, Sequence

import msgspec

from plain_verdict.judging.api_causes import CallFailure, call_failures
from plain_verdict.judging.differences import BARE_MATCHER, name_differences
from plain_verdict.judging.matching import Matcher, problems_of
from plain_verdict.judging.similarity import HOLE, WRAPPERS, Similarity, are_near, has_telling_words, is_placed
from plain_verdict.model import BAD, Cause, Check, Problem, Run
from plain_verdict.settings.rules import CauseRule
from plain_verdict.text.expressions import TooSlow

_COMPARED_PATTERNS = 100  # of one place: all with all would be quadratic
_NO_REASON = "No reason given"


class _Sorting:
    """Failures while each finds its rule, its own name, or neither."""

    def __init__(self, rules: Sequence[CauseRule]) -> None:
        self.by_rule: dict[int, list[Check]] = defaultdict(list)
        self.by_exception_name: dict[str, list[Check]] = defaultdict(list)
        self.others: list[Check] = []
        self.notes: list[str] = []
        self._rules = rules
        self._matchers: list[Matcher | None] = [Matcher(rule.match) for rule in rules]

    def add(self, check: Check, source: str) -> None:
        """Sort a failure in that stands in a source file."""
        if check.last.cause:
            self.by_exception_name[check.last.cause].append(check)
            return
        number = self._rule_of(check, source)
        (self.others if number is None else self.by_rule[number]).append(check)

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
        for check in file.checks:
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
    causes += _alike(sorting.others, similarity, call_failures(run))
    # By what they say, not by where they stood: the order of files must not show.
    causes.sort(key=lambda cause: (-len(cause.checks), cause.name, cause.checks[0].id))
    return tuple(causes), (*sorting.notes, *sorting.unused())


def problem_of(check: Check) -> Problem:
    """Return the problem that tells why: the gravest of the attempt that counts."""
    outcome, first = check.outcome, None
    for problem in problems_of(check):
        if problem.outcome is outcome and (problem.message or problem.detail):
            return problem
        first = first or problem
    return _with_output(first or Problem(outcome), check)


def _with_output(problem: Problem, check: Check) -> Problem:
    """Return a problem that says nothing with the check's output, which may name the reason."""
    texts = [output.text for output in check.last.outputs]
    is_silent = not (problem.message or problem.detail)
    return msgspec.structs.replace(problem, detail="\n".join(texts)) if is_silent and texts else problem


def _alike(checks: Sequence[Check], similarity: Similarity, by_call: Mapping[str, CallFailure]) -> list[Cause]:
    """Return a cause for each group of failures that are alike, each with its own name."""
    groups: dict[tuple[str, ...], list[Check]] = defaultdict(list)
    for check in checks:
        failure = by_call.get(check.id)
        pattern = () if failure and failure.name else similarity.pattern(check.name, problem_of(check))
        groups[(*(failure.key if failure else ()), *pattern)].append(check)
    _join_near(groups)
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


def _join_near(groups: dict[tuple[str, ...], list[Check]]) -> None:
    """Join groups of one exception at one place whose messages nearly agree, the smaller to the larger."""
    by_location: dict[tuple[str, str], list[tuple[str, ...]]] = defaultdict(list)
    for pattern in sorted(groups, key=lambda pattern: (-len(groups[pattern]), pattern)):
        if is_placed(pattern):
            by_location[pattern[0], pattern[-1]].append(pattern)
    for patterns in by_location.values():
        kept: list[tuple[str, ...]] = []
        for pattern in patterns[:_COMPARED_PATTERNS]:
            larger = next((other for other in kept if are_near(other, pattern)), None)
            if larger is None:
                kept.append(pattern)
            else:
                groups[larger] += groups.pop(pattern)


def _causes_by_call(cause: Cause, by_call: Mapping[str, CallFailure]) -> Cause:
    """Return a cause with the name that its calls give it, and with what the service says, where they do."""
    failure = by_call.get(cause.checks[0].id)
    if failure is None or not failure.name:
        return cause
    typical = ((failure.message, False),) if failure.message else cause.typical
    return msgspec.structs.replace(cause, name=failure.name, typical=typical, type="")


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
        name=name or _title(checks, [line for line, _ in alike], typical, similarity),
        checks=tuple(checks),
        typical=similarity.pieces(line),
        type=typical.type,
        by_rule=bool(name),
    )


def _title(checks: Sequence[Check], lines: Sequence[str], typical: Problem, similarity: Similarity) -> str:
    """Return what failed in words that make sense by themselves; ``lines`` are of those that say the usual."""
    found = [similarity.difference(check.name, problem_of(check)) for check in checks]
    differences = [difference for difference in found if difference]
    if len(differences) == len(checks):
        of_check = f"{checks[0].title}: " if len(checks) == 1 else ""
        return f"{of_check}{name_differences(differences)}"
    name = _named(lines, typical, similarity)
    # A matcher without its values says as little as nothing does.
    is_bare = name == _NO_REASON or BARE_MATCHER.fullmatch(name)
    return f"{checks[0].title}: {name[0].lower()}{name[1:]}" if is_bare and len(checks) == 1 else name


def _named(lines: Sequence[str], typical: Problem, similarity: Similarity) -> str:
    """Return a name for failures that say these lines: what they share, and holes for what differs."""
    name = _shared(lines, similarity)
    # A key, a number: what it is stands in its type.
    short = typical.type.replace("\\", ".").rpartition(".")[2]
    short = "" if WRAPPERS.fullmatch(short) else short
    if not name.strip(f"{HOLE} .:,;\"'"):
        return _named_by_value(short, lines)
    return f"{short}: {name}" if short and not has_telling_words(name) and short not in name else name


def _named_by_value(short_type: str, lines: Sequence[str]) -> str:
    """Return a name for failures that share nothing but their type: it, with the first of their values."""
    values = list(dict.fromkeys(filter(None, lines)))
    value = f"{values[0]}{' and others' if len(values) > 1 else ''}" if values else ""
    return ": ".join(filter(None, (short_type, value))) or _NO_REASON


def _shared(lines: Sequence[str], similarity: Similarity) -> str:
    """Return the lines as one, with a hole where they differ."""
    split = [similarity.pieces(line) for line in dict.fromkeys(lines)]
    if len({tuple(varies for _, varies in pieces) for pieces in split}) > 1:
        return similarity.template(lines[0])
    texts = ({text for text, _ in column} for column in zip(*split, strict=True))
    return "".join(next(iter(column)) if len(column) == 1 else HOLE for column in texts).strip()
