"""Tables of compliance checks: rules, and the places that break them."""

from collections.abc import Iterator

from plain_verdict.report import Report
from plain_verdict.writers.tables.interface import Column, Holds, Row, Table


def _rules(report: Report) -> Iterator[Row]:
    for check in report.run.checks:
        rule = check.rule
        if rule is not None:
            found = (rule.findings, rule.allowed_findings, rule.new_findings)
            allowed = rule.allowed.reason if rule.allowed else None
            name = (check.id, " › ".join(check.suite), check.name, rule.severity.value, check.outcome.value)
            yield (*name, *found, allowed, rule.why, rule.mend)


def _findings(report: Report) -> Iterator[Row]:
    for check in report.run.checks:
        if check.rule is not None:
            for number, one in enumerate(check.last.problems, 1):
                name = (check.id, check.name, check.rule.severity.value)
                yield (*name, number, one.place, one.message, one.expected, one.actual, one.detail)


_RULE = (Column("check_id", "as in checks"), Column("rule", "its name"))
_SEVERITY = Column("severity", "none, low, medium, high or critical")

TABLES = (
    Table(
        "rules",
        "Rules of compliance checks",
        (
            _RULE[0],
            Column("suite", "what it was checked on"),
            _RULE[1],
            _SEVERITY,
            Column("outcome", "how it ended"),
            Column("findings", "places that break it and count", Holds.INTEGER),
            Column("allowed_findings", "places that its file allows", Holds.INTEGER),
            Column("new_findings", "places not there at its file's baseline; empty: there is none", Holds.INTEGER),
            Column("allowed", "why its file allows what breaks it"),
            Column("why", "what it is for"),
            Column("mend", "what to do"),
        ),
        _rules,
    ),
    Table(
        "findings",
        "Places that break rules",
        (
            *_RULE,
            _SEVERITY,
            Column("number", "its place among those of the rule", Holds.INTEGER),
            Column("place", "a file and line, or an element"),
            Column("message", "what was found"),
            Column("expected", "what should have been there"),
            Column("actual", "what was there"),
            Column("detail", "what else there is"),
        ),
        _findings,
    ),
)
