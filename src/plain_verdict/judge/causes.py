"""Gives every failure a cause: the one it names itself, the first rule that fits, or else likeness to others."""

from collections import Counter, defaultdict
from collections.abc import Sequence

from plain_verdict.judge.likeness import HOLE, has_telling_words, marked, pattern_of, template_of
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
    alike: dict[tuple[str, ...], list[Check]] = defaultdict(list)
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
                alike[pattern_of(_problem(check))].append(check)
    notes += [
        f"Cause rule “{rule.name}” covered nothing."
        for number, rule in enumerate(rules)
        if number not in ruled and matchers[number]
    ]
    by_name = {rule.name: rule for rule in rules}
    causes = [_cause(rules[number].name, checks, rules[number]) for number, checks in ruled.items()]
    causes += [_cause(name, checks, by_name.get(name)) for name, checks in named.items()]
    causes += [_cause("", checks, None) for checks in alike.values()]
    # By what they say, not by where they stood: the order of files must not show.
    return tuple(sorted(causes, key=lambda cause: (-len(cause.checks), cause.name, cause.checks[0].id))), tuple(
        notes
    )


def _problem(check: Check) -> Problem:
    """Return the problem that tells why: the gravest of the attempt that counts."""
    problems = sorted(problems_of(check), key=lambda problem: problem.outcome is not check.outcome)
    return problems[0] if problems else Problem(check.outcome)


def _cause(name: str, checks: list[Check], rule: CauseRule | None) -> Cause:
    checks = sorted(checks, key=lambda check: (check.suite, check.title, check.id))
    problems = [_problem(check) for check in checks]
    usual = Counter(template_of(problem) for problem in problems)
    template = min(usual, key=lambda text: (-usual[text], text))
    typical = min(
        (problem for problem in problems if template_of(problem) == template), key=lambda one: one.message
    )
    return Cause(
        name=name or _named(typical, template),
        checks=tuple(checks),
        typical=marked(typical),
        type=typical.type,
        by_rule=bool(name),
        advice=rule.advice if rule else "",
        owner=rule.owner if rule else "",
        link=rule.link if rule else "",
    )


def _named(problem: Problem, template: str) -> str:
    if not template.strip(f"{HOLE} .:,;"):
        return problem.type or _NO_REASON
    # Where little is left beside the holes, the message as it stands says more.
    return template if has_telling_words(template) else "".join(text for text, _ in marked(problem))
