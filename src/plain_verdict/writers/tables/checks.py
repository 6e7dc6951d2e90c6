"""Tables of checks and what is below them: attempts, steps, problems, evidence."""

from collections.abc import Iterator, Mapping

from plain_verdict.model import Attempt, Check, Content, Evidence, Step, own_evidence
from plain_verdict.report import Report
from plain_verdict.text.cleaning import headline
from plain_verdict.writers.tables.interface import Column, Family, Holds, Row, Table, round_s


def _checks(report: Report) -> Iterator[Row]:
    verdict, new = report.verdict, report.new
    causes = {check.id: cause.name for cause in verdict.causes for check in cause.checks}
    suites: dict[tuple[str, ...], str] = {}
    known = report.history is not None
    for file in report.run.files:
        for check in file.checks:
            suite = suites.get(check.suite)
            if suite is None:
                suite = suites.setdefault(check.suite, " › ".join(check.suite))
            attempts = check.attempts
            last = attempts[-1]
            waived = verdict.waived.get(check.id)
            yield (
                check.id,
                check.kind,
                suite,
                check.name,
                last.outcome,
                round_s(last.took_s),
                last.started,
                len(attempts),
                len(attempts) > 1 and check.flaky,
                headline(last.problems[0].message) if last.problems else None,
                last.reason,
                causes.get(check.id),
                waived.reason if waived else None,
                waived.until.isoformat() if waived and waived.until else None,
                check.id in new if known else None,
                last.worker,
                str(check.place) if check.place else None,
                " ".join(check.tags) if check.tags else None,
                " ".join(check.requirements) if check.requirements else None,
                check.apart,
                file.path,
            )


def _attempts(report: Report) -> Iterator[Row]:
    for check in report.run.checks:
        several = check.attempts
        for number, one in enumerate(several if len(several) > 1 else (), 1):
            told = (one.outcome, round_s(one.took_s), one.started, one.worker, one.reason)
            yield (check.id, one.number or number, one is several[-1], *told, len(one.problems))


def checks_with_more(report: Report) -> Iterator[Check]:
    """Yield the checks that have anything below their attempt; of large runs most have nothing."""
    for check in report.run.checks:
        attempts = check.attempts
        one = attempts[0]
        if len(attempts) > 1 or one.steps or one.problems or one.evidence or one.exchanges:
            yield check


def _steps(report: Report) -> Iterator[Row]:
    for check in checks_with_more(report):
        for number, attempt in enumerate(check.attempts, 1):
            for path, step in _below(attempt):
                problem = headline(step.problems[0].message) if step.problems else None
                told = (step.name, step.outcome, round_s(step.took_s), step.started, problem)
                yield (check.id, check.name, attempt.number or number, path, path.count(".") + 1, *told)


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
            for one in part.problems:
                told = (one.outcome, one.type, one.message, one.expected, one.actual, one.place, one.detail)
                yield (check.id, " › ".join(check.suite), check.name, number, path or None, *told)


def _evidence(report: Report) -> Iterator[Row]:
    contents = {content.key: content for content in report.run.contents}
    for check in checks_with_more(report):
        for number, path, part in parts_of(check):
            for one in own_evidence(part):
                yield (check.id, check.name, number, path or None, *_told(one, contents))
    for one in report.run.unclaimed:
        yield (None, None, None, None, *_told(one, contents))


def _told(one: Evidence, contents: Mapping[str, Content]) -> Row:
    content = contents.get(one.content)
    name = (one.name, one.caption, one.at)
    if content is None:
        return (*name, None, None, None, None, one.unavailable)
    size = len(content.data) or len(content.text.encode("utf-8", "replace"))
    return (*name, content.media_type, size, content.width or None, content.height or None, content.remark)


_CHECK = Column("check_id", "the check, as the first column of checks; the page has it after #")
_NAME = Column("check", "its name")
_ATTEMPT = Column("attempt", "the number of the attempt", Holds.INTEGER)
_STEP = Column("step", "the step's place: 2.1 is the first below the second; empty: the attempt itself")
WHERE = (_CHECK, _NAME, _ATTEMPT, _STEP)
"""The columns that say where in a check something is."""

TABLES = (
    Table(
        "checks",
        "Every check, with the attempt that counts",
        (
            _CHECK,
            Column("kind", "functional, api, load or compliance"),
            Column("suite", "the path of its suite"),
            Column("check", "its name, without parameters"),
            Column("outcome", "failed, errored, undecided, skipped or passed"),
            Column("took_s", "how long the attempt took", Holds.NUMBER),
            Column("started", "when it began", Holds.MOMENT),
            Column("attempts", "how many there were", Holds.INTEGER),
            Column("passed_on_retry", "whether it passed only on a later one", Holds.FLAG),
            Column("message", "the first line of its first problem"),
            Column("reason", "why it was skipped or is undecided"),
            Column("cause", "the name of its cause"),
            Column("waived", "why it may fail"),
            Column("waived_until", "the last day of that"),
            Column("new", "whether it did not fail before; empty: no earlier run is known", Holds.FLAG),
            Column("worker", "on which it ran"),
            Column("place", "where it is written"),
            Column("tags", "as its file tells them"),
            Column("requirements", "the ids that it names"),
            Column("apart", "where it comes from, if others have its name"),
            Column("file", "the result file that holds it"),
        ),
        _checks,
        (
            Family("variant", "what sets it apart from the same check elsewhere", lambda check: check.variant),
            Family("parameter", "a parameter of it", lambda check: check.parameters),
        ),
    ),
    Table(
        "attempts",
        "The attempts of checks that had several; the only one of all others stands in checks",
        (
            _CHECK,
            _ATTEMPT,
            Column("counts", "whether it is the one that counts", Holds.FLAG),
            Column("outcome", "how it ended"),
            Column("took_s", "how long it took", Holds.NUMBER),
            Column("started", "when it began", Holds.MOMENT),
            Column("worker", "on which it ran"),
            Column("reason", "why it was skipped or is undecided"),
            Column("problems", "how many it had itself", Holds.INTEGER),
        ),
        _attempts,
    ),
    Table(
        "steps",
        "Every step of every attempt",
        (
            _CHECK,
            _NAME,
            _ATTEMPT,
            Column("step", "its place: 2.1 is the first below the second"),
            Column("depth", "1 for those of the attempt itself", Holds.INTEGER),
            Column("name", "its words"),
            Column("outcome", "how it ended"),
            Column("took_s", "how long it took", Holds.NUMBER),
            Column("started", "when it began", Holds.MOMENT),
            Column("message", "the first line of its first problem"),
        ),
        _steps,
    ),
    Table(
        "problems",
        "What went wrong, in every attempt and step",
        (
            _CHECK,
            Column("suite", "the path of its suite"),
            _NAME,
            _ATTEMPT,
            _STEP,
            Column("outcome", "failed or errored"),
            Column("type", "as its file tells it"),
            Column("message", "in full"),
            Column("expected", "what should have been there"),
            Column("actual", "what was there"),
            Column("place", "where it was found"),
            Column("detail", "the stack, or what else there is"),
        ),
        _problems,
    ),
    Table(
        "evidence",
        "Screenshots, logs and other files",
        (
            *WHERE,
            Column("name", "of the file"),
            Column("caption", "what it is called"),
            Column("at", "when it was taken", Holds.MOMENT),
            Column("media_type", "what it is"),
            Column("size_bytes", "on the page", Holds.INTEGER),
            Column("width", "of a picture, in pixels", Holds.INTEGER),
            Column("height", "of a picture, in pixels", Holds.INTEGER),
            Column("remark", "what was done to it, or why it is not on the page"),
        ),
        _evidence,
    ),
)
