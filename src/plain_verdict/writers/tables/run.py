"""Tables of a run as a whole: its numbers, files, conditions, causes, requirements."""

from collections.abc import Iterator

from plain_verdict.model import Outcome, Tally
from plain_verdict.report import Report
from plain_verdict.report.suites import sum_s
from plain_verdict.text.formatting import format_zone
from plain_verdict.writers.tables.interface import Cell, Column, Holds, Row, Table, round_s

OUTCOMES = tuple(Column(outcome.value, "how many checks ended so", Holds.INTEGER) for outcome in Outcome)


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
    for one in report.verdict.kinds:
        yield (one.kind.value, one.word.value, one.why, one.tally.total, *counts(one.tally))


def _files(report: Report) -> Iterator[Row]:
    for row in report.files:
        file = row.file
        notes = "; ".join(note.what for note in file.notes)
        own: tuple[Cell, ...] = (len(file.checks), *counts(row.tally), round_s(row.took_s))
        yield (file.path, file.format, file.size_bytes, *own, file.started, file.ended, file.digest, notes, None)
    for trouble in report.run.unread:
        yield (trouble.path, None, None, *[None] * (len(OUTCOMES) + 6), trouble.what)


def _suites(report: Report) -> Iterator[Row]:
    for group in report.whole_suites:
        facts = "; ".join(f"{fact.key}: {fact.value}" for fact in group.facts)
        own = (len(group.checks), *counts(group.tally), round_s(group.took_s))
        yield (" › ".join(group.path), *own, facts)


def _conditions(report: Report) -> Iterator[Row]:
    for one in report.verdict.conditions:
        yield (one.name, one.words, one.state.value, one.met)


def _causes(report: Report) -> Iterator[Row]:
    verdict = report.verdict
    for number, cause in enumerate(verdict.causes, 1):
        typical = "".join(text for text, _ in cause.typical)
        told = (cause.name, cause.type, typical, cause.by_rule, len(cause.checks), verdict.aside_of(cause))
        yield (number, *told, report.past_of_cause(cause), cause.advice, cause.owner, cause.link)


def _requirements(report: Report) -> Iterator[Row]:
    for asked in report.run.requirements.asked:
        one = asked.requirement
        stands = (asked.state.value, len(asked.checks), " ".join(asked.checks))
        yield (one.id, one.title, " › ".join(one.group), *stands, one.owner, one.priority, one.link, one.source)
    for name, times in report.run.requirements.unknown:
        yield (name, None, None, "not known", times, *[None] * 5)


TABLES = (
    Table(
        "run",
        "The run in one row",
        (
            Column("title", "the page's title"),
            Column("verdict", "fit, not fit or undecided"),
            Column("sentence", "the verdict as a sentence"),
            Column("checks", "how many there are", Holds.INTEGER),
            *OUTCOMES,
            Column("passed_on_retry", "how many passed only on a later attempt", Holds.INTEGER),
            Column("waived", "how many may fail", Holds.INTEGER),
            Column("causes", "how many causes the failures have", Holds.INTEGER),
            Column("files", "how many were read", Holds.INTEGER),
            Column("unread", "how many could not be read", Holds.INTEGER),
            Column("started", "when the first began", Holds.MOMENT),
            Column("ended", "when the last ended", Holds.MOMENT),
            Column("took_s", "all attempts together", Holds.NUMBER),
            Column("time_zone", "in which a workbook tells moments"),
            Column("masked", "how many secrets were masked; empty: masking was off", Holds.INTEGER),
            Column("made", "when the page was made", Holds.MOMENT),
            Column("run_id", "the same for the same inputs and facts"),
            Column("build", "what the run is called in its series"),
            Column("branch", "the fact of that name"),
            Column("commit", "the fact of that name"),
            Column("facts", "all facts about the run"),
            Column("remarks", "what a reader should know besides"),
        ),
        _run,
    ),
    Table(
        "kinds",
        "The verdict on each kind, where there are several",
        (
            Column("kind", "functional, api, load or compliance"),
            Column("verdict", "on this kind alone"),
            Column("why", "in words"),
            Column("checks", "how many it has", Holds.INTEGER),
            *OUTCOMES,
        ),
        _kinds,
    ),
    Table(
        "files",
        "The result files",
        (
            Column("file", "its path as it was given"),
            Column("format", "as which it was read"),
            Column("size_bytes", "how large it is", Holds.INTEGER),
            Column("checks", "how many it holds", Holds.INTEGER),
            *OUTCOMES,
            Column("took_s", "all its attempts together", Holds.NUMBER),
            Column("started", "when it began", Holds.MOMENT),
            Column("ended", "when it ended", Holds.MOMENT),
            Column("digest", "of its bytes"),
            Column("notes", "what was odd about it"),
            Column("unread", "why it could not be read"),
        ),
        _files,
    ),
    Table(
        "suites",
        "The suites with their numbers",
        (
            Column("suite", "its path"),
            Column("checks", "how many it has itself", Holds.INTEGER),
            *OUTCOMES,
            Column("took_s", "all attempts together", Holds.NUMBER),
            Column("facts", "what its files say of it"),
        ),
        _suites,
    ),
    Table(
        "conditions",
        "What the run must keep to be fit",
        (
            Column("condition", "its short name"),
            Column("words", "what it asks"),
            Column("state", "broken, open or kept"),
            Column("met", "what the run met"),
        ),
        _conditions,
    ),
    Table(
        "causes",
        "The causes of failures",
        (
            Column("number", "its place on the page", Holds.INTEGER),
            Column("cause", "its name"),
            Column("type", "the type of the problem"),
            Column("message", "a typical one"),
            Column("by_rule", "whether a rule of the team names it", Holds.FLAG),
            Column("checks", "how many have it", Holds.INTEGER),
            Column("aside", "waived or set aside, where all of it is"),
            Column("since", "since when it is there"),
            Column("advice", "what to do"),
            Column("owner", "whose it is"),
            Column("link", "where to read more"),
        ),
        _causes,
    ),
    Table(
        "requirements",
        "What was asked",
        (
            Column("requirement", "its id"),
            Column("title", "its words"),
            Column("group", "what stands above it"),
            Column("state", "met, not met, undecided, not checked; not known: no file has it"),
            Column("checks", "how many tell", Holds.INTEGER),
            Column("check_ids", "which"),
            Column("owner", "whose it is"),
            Column("priority", "as its file tells it"),
            Column("link", "where to read more"),
            Column("source", "the file that asks"),
        ),
        _requirements,
    ),
)
