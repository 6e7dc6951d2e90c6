"""Tables of compliance checks: rules, and the places that break them."""

from collections.abc import Iterator

from plain_verdict.report import Report
from plain_verdict.writers.tables.interface import Column, Holds, Row, Table


def _rules(report: Report) -> Iterator[Row]:
    for check in report.run.checks:
        rule = check.rule
        if rule is not None:
            found = (rule.findings, rule.suppressed_findings, rule.new_findings)
            allowed = rule.allowed.reason if rule.allowed else None
            name = (check.id, " › ".join(check.suite), check.name, rule.severity.value, check.outcome.value)
            yield (*name, *found, allowed, rule.why, rule.remediation)


def _findings(report: Report) -> Iterator[Row]:
    for check in report.run.checks:
        if check.rule is not None:
            for number, problem in enumerate(check.last.problems, 1):
                name = (check.id, check.name, check.rule.severity.value)
                yield (
                    *name,
                    number,
                    problem.place,
                    problem.message,
                    problem.expected,
                    problem.actual,
                    problem.detail,
                )


_RULE_COLUMNS = (Column("check_id", "as in checks"), Column("rule", "name of the rule"))
_SEVERITY = Column("severity", "none, low, medium, high or critical")

TABLES = (
    Table(
        "rules",
        "Rules of compliance checks",
        (
            _RULE_COLUMNS[0],
            Column("suite", "rule set"),
            _RULE_COLUMNS[1],
            _SEVERITY,
            Column("outcome", "outcome"),
            Column("findings", "counted findings", Holds.INTEGER),
            Column("suppressed_findings", "findings that the file suppresses", Holds.INTEGER),
            Column(
                "new_findings", "findings that are not in the file's baseline; empty: no baseline", Holds.INTEGER
            ),
            Column("suppression", "why the file suppresses the findings"),
            Column("why", "purpose of the rule"),
            Column("remediation", "how to fix a finding"),
        ),
        _rules,
    ),
    Table(
        "findings",
        "Findings of rules",
        (
            *_RULE_COLUMNS,
            _SEVERITY,
            Column("number", "number of the finding in its rule", Holds.INTEGER),
            Column("place", "place: a file and line, or an element"),
            Column("message", "message"),
            Column("expected", "expected value"),
            Column("actual", "actual value"),
            Column("detail", "more detail"),
        ),
        _findings,
    ),
)
