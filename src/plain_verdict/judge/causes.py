"""Gives every failure a cause: the one it names itself, the first rule that fits, or else likeness to others."""

from collections import Counter, defaultdict
from collections.abc import Sequence

import msgspec

from plain_verdict.judge.likeness import HOLE, Likeness, has_telling_words, marked, template_of
from plain_verdict.judge.matching import Matcher, TooSlow, problems_of
from plain_verdict.model import Cause, Check, Outcome, Problem, Run
from plain_verdict.rules import CauseRule

_NO_REASON = "No reason is given"


def find_causes(run: Run, rules: Sequence[CauseRule]) -> tuple[tuple[Cause, ...], tuple[str, ...]]:
    """Return the causes, those with most checks first, and notes on rules that covered nothing or were too slow."""
    matchers: list[Matcher | None] = [Matcher(rule.match) for rule in rules]
    notes: list[str] = []
    ruled: dict[int, list[Check]] = defaultdict(list)
    named: dict[str, list[Check]] = defaultdict(list)
    others: list[Check] = []
    for file in run.files:
        for check in file.checks:
            outcome = check.attempts[-1].outcome
            if outcome is not Outcome.FAILED and outcome is not Outcome.ERRORED:
                continue
            if check.last.cause:
                named[check.last.cause].append(check)
                continue
            for number, matcher in enumerate(matchers):
                try:
                    if matcher and matcher.covers(check, file.path):
                        ruled[number].append(check)
                        break
                except TooSlow:
                    matchers[number] = None
                    notes.append(f"Cause rule “{rules[number].name}” takes too long to match and was switched off.")
            else:
                others.append(check)
    notes += [
        f"Cause rule “{rule.name}” covered nothing."
        for number, rule in enumerate(rules)
        if number not in ruled and matchers[number]
    ]
    by_name = {rule.name: rule for rule in rules}
    likeness = Likeness([(check.name, problem_of(check)) for check in others])
    causes = [_ruled(rules[number].name, checks, rules[number], likeness) for number, checks in ruled.items()]
    causes += [_ruled(name, checks, by_name.get(name), likeness) for name, checks in named.items()]
    causes += _alike(others, likeness)
    # By what they say, not by where they stood: the order of files must not show.
    return tuple(sorted(causes, key=lambda cause: (-len(cause.checks), cause.name, cause.checks[0].id))), tuple(
        notes
    )


def problem_of(check: Check) -> Problem:
    """Return the problem that tells why: the gravest of the attempt that counts."""
    problems = sorted(problems_of(check), key=lambda problem: problem.outcome is not check.outcome)
    return problems[0] if problems else Problem(check.outcome)


def _alike(checks: Sequence[Check], likeness: Likeness) -> list[Cause]:
    """Return a cause for each group of failures that are alike, each with a name of its own."""
    groups: dict[tuple[str, ...], list[Check]] = defaultdict(list)
    for check in checks:
        groups[likeness.pattern(check.name, problem_of(check))].append(check)
    causes = [_cause("", several, likeness) for several in groups.values()]
    uses = Counter(cause.name for cause in causes)
    seen: Counter[str] = Counter()
    told = []
    for cause in sorted(causes, key=lambda cause: (-len(cause.checks), cause.checks[0].id)):
        if uses[cause.name] > 1:
            place = likeness.place(problem_of(cause.checks[0])).replace(" ", ", ", 1)
            name = f"{cause.name} (in {place})" if place else cause.name
            seen[name] += 1
            name = name if seen[name] == 1 else f"{name} ({seen[name]})"
            cause = msgspec.structs.replace(cause, name=name)  # noqa: PLW2901
        told.append(cause)
    return told


def _ruled(name: str, checks: list[Check], rule: CauseRule | None, likeness: Likeness) -> Cause:
    cause = _cause(name, checks, likeness)
    if rule is None:
        return cause
    return msgspec.structs.replace(cause, advice=rule.advice, owner=rule.owner, link=rule.link)


def _cause(name: str, checks: list[Check], likeness: Likeness) -> Cause:
    checks = sorted(checks, key=lambda check: (check.suite, check.title, check.id))
    lines = [(likeness.line(check.name, problem), problem) for check in checks for problem in [problem_of(check)]]
    usual = Counter(template_of(line) for line, _ in lines)
    template = min(usual, key=lambda text: (-usual[text], text))
    alike = [(line, problem) for line, problem in lines if template_of(line) == template]
    line, typical = min(alike, key=lambda one: (one[0], one[1].message))
    return Cause(
        name=name or _named([line for line, _ in alike], typical),
        checks=tuple(checks),
        typical=marked(line),
        type=typical.type,
        by_rule=bool(name),
    )


def _named(lines: Sequence[str], typical: Problem) -> str:
    """Return a name for failures that say these lines: what they share, and holes for what differs."""
    pieces = [marked(line) for line in lines]
    first = pieces[0]
    if any([varies for _, varies in one] != [varies for _, varies in first] for one in pieces):
        name = template_of(lines[0])
    else:
        shared = (
            several[0][0] if len({text for text, _ in several}) == 1 else HOLE
            for several in zip(*pieces, strict=True)
        )
        name = "".join(shared).strip()
    if not name.strip(f"{HOLE} .:,;"):
        return typical.type or _NO_REASON
    # A key, a number: what it is stands in its type.
    short = typical.type.rpartition(".")[2]
    return f"{short}: {name}" if short and not has_telling_words(name) and short not in name else name
