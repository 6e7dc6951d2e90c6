"""Tables of checks and what is below them: attempts, steps, problems, evidence."""

from collections.abc import Iterator, Mapping
from functools import cache

from plain_verdict.model import Attempt, Check, Content, Evidence, Step, Waived, evidence_of_check
from plain_verdict.report import Report
from plain_verdict.text.cleaning import headline
from plain_verdict.writers.tables.interface import Column, Family, Holds, Row, Table, round_s


def _checks(report: Report) -> Iterator[Row]:
    verdict, new = report.verdict, report.new
    causes = {check.id: cause.name for cause in verdict.causes for check in cause.checks}
    suites = cache(" › ".join)  # most checks share theirs, and a cell that is one object costs nothing again
    known = report.history is not None
    for file in report.run.files:
        for check in file.checks:
            attempts = check.attempts
            last = attempts[-1]
            yield (
                check.id,
                check.kind,
                suites(check.suite),
                check.name,
                last.outcome,
                round_s(last.took_s),
                last.started,
                len(attempts),
                len(attempts) > 1 and check.flaky,
                headline(last.problems[0].message) if last.problems else None,
                last.reason,
                causes.get(check.id),
                *_waived(verdict.waived.get(check.id)),
                check.id in new if known else None,
                last.worker,
                str(check.location) if check.location else None,
                " ".join(check.tags) or None,
                ", ".join(check.owners) or None,
                " ".join(check.requirements) or None,
                check.disambiguator,
                file.path,
            )


def _waived(waived: Waived | None) -> tuple[str | None, str | None]:
    """Return why a check is waived, and until when."""
    if waived is None:
        return None, None
    return waived.reason, waived.until.isoformat() if waived.until else None


def _attempts(report: Report) -> Iterator[Row]:
    for check in report.run.checks:
        attempts = check.attempts
        for number, attempt in enumerate(attempts if len(attempts) > 1 else (), 1):
            cells = (attempt.outcome, round_s(attempt.took_s), attempt.started, attempt.worker, attempt.reason)
            yield (check.id, attempt.number or number, attempt is attempts[-1], *cells, len(attempt.problems))


def checks_with_more(report: Report) -> Iterator[Check]:
    """Yield the checks that have anything below their attempt; of large runs most have nothing."""
    for check in report.run.checks:
        attempts = check.attempts
        attempt = attempts[0]
        if len(attempts) > 1 or attempt.steps or attempt.problems or attempt.evidence or attempt.exchanges:
            yield check


def _steps(report: Report) -> Iterator[Row]:
    for check in checks_with_more(report):
        for number, attempt in enumerate(check.attempts, 1):
            for path, step in _below(attempt):
                problem = headline(step.problems[0].message) if step.problems else None
                cells = (step.name, step.outcome, round_s(step.took_s), step.started, problem)
                yield (check.id, check.name, attempt.number or number, path, path.count(".") + 1, *cells)


def _below(part: Attempt | Step, path: str = "") -> Iterator[tuple[str, Step]]:
    """Yield the steps at any depth with their place: 2.1 is the first below the second."""
    for number, step in enumerate(part.steps, 1):
        yield f"{path}{number}", step
        if step.steps:
            yield from _below(step, f"{path}{number}.")


def parts_of(check: Check) -> Iterator[tuple[int, str, Attempt | Step]]:
    """Yield each attempt and each of its steps, with the attempt's number and the step's place."""
    for number, attempt in enumerate(check.attempts, 1):
        yield attempt.number or number, "", attempt
        for path, step in _below(attempt):
            yield attempt.number or number, path, step


def _problems(report: Report) -> Iterator[Row]:
    for check in checks_with_more(report):
        for number, path, part in parts_of(check):
            for problem in part.problems:
                cells = (
                    problem.outcome,
                    problem.type,
                    problem.message,
                    problem.expected,
                    problem.actual,
                    problem.place,
                    problem.detail,
                )
                yield (check.id, " › ".join(check.suite), check.name, number, path or None, *cells)


def _evidence(report: Report) -> Iterator[Row]:
    contents = {content.key: content for content in report.run.contents}
    for check in checks_with_more(report):
        for number, path, part in parts_of(check):
            for piece in evidence_of_check(part):
                yield (check.id, check.name, number, path or None, *_evidence_row(piece, contents))
    for piece in report.run.unclaimed:
        yield (None, None, None, None, *_evidence_row(piece, contents))


def _evidence_row(evidence: Evidence, contents: Mapping[str, Content]) -> Row:
    content = contents.get(evidence.content)
    name = (evidence.name, evidence.caption, evidence.at)
    if content is None:
        return (*name, None, None, None, None, evidence.unavailable)
    size = len(content.data) or len(content.text.encode("utf-8", "replace"))
    return (*name, content.media_type, size, content.width or None, content.height or None, content.remark)


_CHECK = Column("check_id", "id of the check, as in the table checks and after # in the address")
_NAME_COLUMN = Column("check", "name of the check")
_ATTEMPT = Column("attempt", "number of the attempt", Holds.INTEGER)
_STEP = Column("step", "position of the step: 2.1 is the first step inside the second; empty: the attempt itself")
WHERE = (_CHECK, _NAME_COLUMN, _ATTEMPT, _STEP)
"""The columns that say where in a check something is."""

TABLES = (
    Table(
        "checks",
        "All checks, each with the attempt that counts",
        (
            _CHECK,
            Column("kind", "functional, api, load or compliance"),
            Column("suite", "path of the suite"),
            Column("check", "name of the check, without parameters"),
            Column("outcome", "failed, errored, undecided, skipped or passed"),
            Column("took_s", "duration of the attempt", Holds.NUMBER),
            Column("started", "start", Holds.MOMENT),
            Column("attempts", "number of attempts", Holds.INTEGER),
            Column("passed_on_retry", "flaky: passed on a later attempt", Holds.FLAG),
            Column("message", "first line of the first problem"),
            Column("reason", "why it was skipped or is undecided"),
            Column("cause", "name of the cause"),
            Column("waived", "reason why the failure is not counted"),
            Column("waived_until", "last day of the waiver"),
            Column("new", "new failure since the earlier run; empty: no earlier run", Holds.FLAG),
            Column("worker", "machine or process that ran it"),
            Column("place", "source file and line"),
            Column("tags", "tags, as the source reports them"),
            Column("owner", "owners: of rules, of the result, or of CODEOWNERS"),
            Column("requirements", "ids of requirements that it names"),
            Column("disambiguator", "distinguishes checks of one name: file, host or order"),
            Column("file", "result file"),
        ),
        _checks,
        (
            Family("variant", "fact of the variant", lambda check: check.variant),
            Family("parameter", "parameter of the check", lambda check: check.parameters),
        ),
    ),
    Table(
        "attempts",
        "Attempts of checks with several attempts; all others are in the table checks",
        (
            _CHECK,
            _ATTEMPT,
            Column("counts", "whether this attempt counts", Holds.FLAG),
            Column("outcome", "outcome"),
            Column("took_s", "duration", Holds.NUMBER),
            Column("started", "start", Holds.MOMENT),
            Column("worker", "machine or process that ran it"),
            Column("reason", "why it was skipped or is undecided"),
            Column("problems", "number of problems of the attempt itself", Holds.INTEGER),
        ),
        _attempts,
    ),
    Table(
        "steps",
        "All steps of all attempts",
        (
            _CHECK,
            _NAME_COLUMN,
            _ATTEMPT,
            Column("step", "position: 2.1 is the first step inside the second"),
            Column("depth", "1 for steps of the attempt itself", Holds.INTEGER),
            Column("name", "name of the step"),
            Column("outcome", "outcome"),
            Column("took_s", "duration", Holds.NUMBER),
            Column("started", "start", Holds.MOMENT),
            Column("message", "first line of the first problem"),
        ),
        _steps,
    ),
    Table(
        "problems",
        "Problems of all attempts and steps",
        (
            _CHECK,
            Column("suite", "path of the suite"),
            _NAME_COLUMN,
            _ATTEMPT,
            _STEP,
            Column("outcome", "failed or errored"),
            Column("type", "type, as the source reports it"),
            Column("message", "whole message"),
            Column("expected", "expected value"),
            Column("actual", "actual value"),
            Column("place", "place: a file and line, or an element"),
            Column("detail", "stack trace or other detail"),
        ),
        _problems,
    ),
    Table(
        "evidence",
        "Screenshots, logs and other files",
        (
            *WHERE,
            Column("name", "name of the file"),
            Column("caption", "caption"),
            Column("at", "time", Holds.MOMENT),
            Column("media_type", "media type"),
            Column("size_bytes", "size in the page", Holds.INTEGER),
            Column("width", "of a picture, in pixels", Holds.INTEGER),
            Column("height", "of a picture, in pixels", Holds.INTEGER),
            Column("remark", "how it was changed, or why it is not in the page"),
        ),
        _evidence,
    ),
)
