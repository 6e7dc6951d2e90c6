"""The overview of rules: how many are kept and broken, by severity, and set by set with what is broken first."""

from collections import Counter
from collections.abc import Iterator, Mapping, Sequence

import msgspec

from plain_verdict.judging.compliance_text import RuleCounts, count_rules, describe_rules
from plain_verdict.model import BAD, AssessedRisk, Check, Outcome, Run, Severity, Verdict, Waived
from plain_verdict.text.formatting import capital, format_date, join_list, plural

_MOST_BROKEN = 200
"""Failed rules of one set that are listed one by one."""
_LISTED_RULES = 50
_RESULT_ORDER = (Outcome.ERRORED, Outcome.FAILED, Outcome.UNDECIDED)


class RuleRow(msgspec.Struct, frozen=True):
    """A rule that is not kept. ``not_counted`` says why it does not count, "" where it does."""

    check: Check
    word: str
    not_counted: str


class RuleSet(msgspec.Struct, frozen=True):
    """The rules of one set: those that are not kept, one by one, and the others by their names."""

    name: str
    words: str
    rows: tuple[RuleRow, ...]
    more: int
    kept: tuple[Check, ...]
    not_applying: tuple[Check, ...]


class OverdueRisk(msgspec.Struct, frozen=True):
    """An open risk past its deadline, with the findings that name it."""

    risk: AssessedRisk
    until: str
    checks: tuple[Check, ...]


class ComplianceOverview(msgspec.Struct, frozen=True):
    """The overview of rules."""

    lead: str
    rules: int
    by_severity: tuple[tuple[Severity, int, float], ...]
    """Broken ones that count: how many, and their share of the most, for a bar."""
    sets: tuple[RuleSet, ...]
    repeated: frozenset[str] = frozenset()
    """Names of rules that several checks have: on several hosts or pages."""
    overdue: tuple[OverdueRisk, ...] = ()

    @property
    def sets_to_read(self) -> list[RuleSet]:
        """Return the sets that have rules which are not kept."""
        return [rule_set for rule_set in self.sets if rule_set.rows]

    @property
    def has_locations(self) -> bool:
        """Return whether a rule that is not kept tells where."""
        return any(
            problem.place
            for rule_set in self.sets
            for row in rule_set.rows
            for problem in row.check.last.problems[:1]
        )

    @property
    def all_alike(self) -> bool:
        """Return whether every rule that is listed failed and counts: the lead says it once."""
        rows = [row for rule_set in self.sets for row in rule_set.rows]
        return all(row.check.outcome is Outcome.FAILED and not row.not_counted for row in rows)

    @property
    def quiet_words(self) -> str:
        """Return how many rules passed or do not apply; "" for none."""
        kept = sum(len(rule_set.kept) for rule_set in self.sets)
        others = sum(len(rule_set.not_applying) for rule_set in self.sets)
        parts = [f"{plural(kept, 'rule')} passed"] if kept else []
        if others:
            number = f"{others:,}" if kept else plural(others, "rule")
            parts.append(f"{number} {'does' if others == 1 else 'do'} not apply")
        return ", ".join(parts)

    @property
    def most_named(self) -> int:
        """Return how many names of a set are listed: its checks have all of them."""
        return _LISTED_RULES


def compliance_overview(run: Run, verdict: Verdict) -> ComplianceOverview | None:
    """Return the overview of the rules of a run; None where it has none."""
    rules = [check for check in run.checks.detailed if check.rule]
    if not rules:
        return None
    counts = count_rules(rules, verdict.waived)
    most = max(counts.failed_by_severity.values(), default=1)
    return ComplianceOverview(
        lead=" ".join(_lead(counts)),
        rules=len(rules),
        overdue=tuple(_overdue(risk, rules) for risk in verdict.overdue_risks),
        repeated=frozenset(name for name, number in Counter(rule.name for rule in rules).items() if number > 1),
        by_severity=tuple(
            (Severity(word), number, round(number / most, 3)) for word, number in counts.failed_by_severity.items()
        ),
        sets=tuple(sorted(_sets(rules, verdict.waived), key=lambda rule_set: (not rule_set.rows, rule_set.name))),
    )


def _sets(rules: Sequence[Check], waived: Mapping[str, Waived]) -> Iterator[RuleSet]:
    sets: dict[tuple[str, ...], list[Check]] = {}
    for check in rules:
        sets.setdefault(check.suite, []).append(check)
    yield from (_set(suite, checks, waived) for suite, checks in sets.items())


def _overdue(risk: AssessedRisk, rules: Sequence[Check]) -> OverdueRisk:
    naming = [check for check in rules if check.rule and risk in check.rule.risks]
    return OverdueRisk(risk, format_date(risk.deadline) if risk.deadline else "", tuple(naming))


def _lead(counts: RuleCounts) -> Iterator[str]:
    yield f"{describe_rules(counts)}."
    by_severity = [f"{number:,} of {word} severity" for word, number in counts.failed_by_severity.items()]
    if by_severity:
        yield f"Failed: {join_list(by_severity, most=len(Severity))}."


def _set(suite: tuple[str, ...], rules: Sequence[Check], waived: Mapping[str, Waived]) -> RuleSet:
    not_kept = [check for check in rules if check.outcome in (*BAD, Outcome.UNDECIDED)]
    not_kept.sort(
        key=lambda check: (check.id in waived, _RESULT_ORDER.index(check.outcome), -_rank(check), check.name)
    )
    shown = not_kept[:_MOST_BROKEN]
    return RuleSet(
        name=" › ".join(suite) or "Rules",
        words=describe_rules(count_rules(rules, waived)),
        rows=tuple(_row(check, waived.get(check.id)) for check in shown),
        more=len(not_kept) - len(shown),
        kept=tuple(check for check in rules if check.outcome is Outcome.PASSED),
        not_applying=tuple(check for check in rules if check.outcome is Outcome.SKIPPED),
    )


def _rank(check: Check) -> int:
    return check.rule.severity.rank if check.rule else 0


def _row(check: Check, waiver: Waived | None) -> RuleRow:
    words = {
        Outcome.FAILED: "failed",
        Outcome.ERRORED: "not evaluated",
        Outcome.UNDECIDED: "undecided",
    }
    return RuleRow(check, words[check.outcome], capital(waiver.reason) if waiver else "")
