"""Tables of a run as a whole: its numbers, files, conditions, causes, requirements."""

from collections.abc import Iterator

from plain_verdict.model import Outcome, Tally
from plain_verdict.report import Report
from plain_verdict.report.suites import sum_s
from plain_verdict.text.formatting import format_zone
from plain_verdict.writers.tables.interface import Cell, Column, Holds, Row, Table, round_s

OUTCOMES = tuple(Column(outcome.value, "number of checks with this outcome", Holds.INTEGER) for outcome in Outcome)


def counts(tally: Tally) -> tuple[int, ...]:
    """Return the cells of the columns of outcomes."""
    return tuple(tally.of(outcome) for outcome in Outcome)


def _run(report: Report) -> Iterator[Row]:
    verdict, build = report.verdict, report.kept.build
    yield (
        report.title,
        verdict.word.value,
        verdict.sentence,
        len(report.run.checks),
        *counts(report.tally),
        sum(check.flaky for check in report.run.checks if len(check.attempts) > 1),
        len(verdict.waived),
        len(verdict.causes),
        len(report.run.files),
        len(report.run.unread),
        *report.span,
        round_s(sum_s(report.run.checks)),
        format_zone(report.info.made),
        report.masked.count if report.masked else None,
        report.info.made,
        build.id,
        build.build,
        build.branch,
        build.commit,
        "; ".join(f"{fact.key}: {fact.value}" for fact in report.info.facts),
        " ".join(verdict.all_remarks),
    )


def _kinds(report: Report) -> Iterator[Row]:
    for kind in report.verdict.kinds:
        yield (kind.kind.value, kind.word.value, kind.why, kind.tally.total, *counts(kind.tally))


def _files(report: Report) -> Iterator[Row]:
    for row in report.files:
        file = row.file
        notes = "; ".join(note.what for note in file.notes)
        numbers: tuple[Cell, ...] = (len(file.checks), *counts(row.tally), round_s(row.took_s))
        yield (
            file.path,
            file.format,
            file.size_bytes,
            *numbers,
            file.started,
            file.ended,
            file.digest,
            notes,
            None,
        )
    for trouble in report.run.unread:
        yield (trouble.path, None, None, *[None] * (len(OUTCOMES) + 6), trouble.what)


def _suites(report: Report) -> Iterator[Row]:
    for group in report.whole_suites:
        facts = "; ".join(f"{fact.key}: {fact.value}" for fact in group.facts)
        numbers = (len(group.checks), *counts(group.tally), round_s(group.took_s))
        yield (" › ".join(group.path), *numbers, facts)


def _conditions(report: Report) -> Iterator[Row]:
    for condition in report.verdict.conditions:
        yield (condition.name, condition.words, condition.state.value, condition.met)


def _causes(report: Report) -> Iterator[Row]:
    verdict = report.verdict
    for number, cause in enumerate(verdict.causes, 1):
        typical = "".join(text for text, _ in cause.typical)
        cells = (cause.name, cause.type, typical, cause.by_rule, len(cause.checks), verdict.aside_of(cause))
        yield (number, *cells, report.past_of_cause(cause), cause.advice, cause.owner, cause.link)


def _requirements(report: Report) -> Iterator[Row]:
    for result in report.run.requirements.results:
        requirement = result.requirement
        stands = (result.state.value, len(result.checks), " ".join(result.checks))
        yield (
            requirement.id,
            requirement.title,
            " › ".join(requirement.group),
            *stands,
            requirement.owner,
            requirement.priority,
            requirement.link,
            requirement.source,
        )
    for name, times in report.run.requirements.unknown:
        yield (name, None, None, "not known", times, *[None] * 5)


TABLES = (
    Table(
        "run",
        "The run in one row",
        (
            Column("title", "title of the report"),
            Column("verdict", "fit, not fit or undecided"),
            Column("sentence", "the verdict as a sentence"),
            Column("checks", "number of checks", Holds.INTEGER),
            *OUTCOMES,
            Column("passed_on_retry", "checks that passed on a later attempt", Holds.INTEGER),
            Column("waived", "failures that are waived or not counted", Holds.INTEGER),
            Column("causes", "number of causes", Holds.INTEGER),
            Column("files", "files read", Holds.INTEGER),
            Column("unread", "files that could not be read", Holds.INTEGER),
            Column("started", "start of the first check", Holds.MOMENT),
            Column("ended", "end of the last check", Holds.MOMENT),
            Column("took_s", "duration of all attempts", Holds.NUMBER),
            Column("time_zone", "time zone of a workbook"),
            Column("masked", "number of masked secrets; empty: masking is off", Holds.INTEGER),
            Column("made", "time at which the report was written", Holds.MOMENT),
            Column("run_id", "id of the run: the same for the same inputs and facts"),
            Column("build", "number or name of the build"),
            Column("branch", "the fact of that name"),
            Column("commit", "the fact of that name"),
            Column("facts", "all facts about the run"),
            Column("remarks", "remarks under the verdict"),
        ),
        _run,
    ),
    Table(
        "kinds",
        "Verdict of each kind, where a run has several",
        (
            Column("kind", "functional, api, load or compliance"),
            Column("verdict", "verdict of this kind"),
            Column("why", "reason"),
            Column("checks", "number of checks", Holds.INTEGER),
            *OUTCOMES,
        ),
        _kinds,
    ),
    Table(
        "files",
        "Result files",
        (
            Column("file", "path, as given"),
            Column("format", "format"),
            Column("size_bytes", "size", Holds.INTEGER),
            Column("checks", "number of checks", Holds.INTEGER),
            *OUTCOMES,
            Column("took_s", "duration of its attempts", Holds.NUMBER),
            Column("started", "start", Holds.MOMENT),
            Column("ended", "end", Holds.MOMENT),
            Column("digest", "SHA-256 of its bytes, unpacked"),
            Column("notes", "reading notes"),
            Column("unread", "why it could not be read"),
        ),
        _files,
    ),
    Table(
        "suites",
        "Suites with their numbers",
        (
            Column("suite", "path of the suite"),
            Column("checks", "number of checks in the suite itself", Holds.INTEGER),
            *OUTCOMES,
            Column("took_s", "duration of all attempts", Holds.NUMBER),
            Column("facts", "what its files say of it"),
        ),
        _suites,
    ),
    Table(
        "conditions",
        "Conditions: all must be met for the verdict fit",
        (
            Column("condition", "short name"),
            Column("words", "the condition in words"),
            Column("state", "met, not met or open"),
            Column("value", "value in this run"),
        ),
        _conditions,
    ),
    Table(
        "causes",
        "Causes of failures",
        (
            Column("number", "position in the report", Holds.INTEGER),
            Column("cause", "its name"),
            Column("type", "the type of the problem"),
            Column("message", "typical message"),
            Column("by_rule", "named by a rule in the settings", Holds.FLAG),
            Column("checks", "number of checks", Holds.INTEGER),
            Column("not_counted", "waived or not counted, where that holds for all of its checks"),
            Column("since", "first build in a row that has it"),
            Column("advice", "advice"),
            Column("owner", "owner"),
            Column("link", "link to more"),
        ),
        _causes,
    ),
    Table(
        "requirements",
        "Requirements",
        (
            Column("requirement", "id"),
            Column("title", "title"),
            Column("group", "group"),
            Column("state", "met, not met, undecided or not checked; not known: in no file"),
            Column("checks", "number of checks that name it", Holds.INTEGER),
            Column("check_ids", "their ids"),
            Column("owner", "owner"),
            Column("priority", "priority, as the source gives it"),
            Column("link", "link to more"),
            Column("source", "source file"),
        ),
        _requirements,
    ),
)
