"""Writes a report as the blocks of its PDF, chapter by chapter."""

from collections.abc import Iterable, Iterator, Sequence

from plain_verdict import __version__
from plain_verdict.judging.sentence import name_kind
from plain_verdict.model import Outcome, Tally
from plain_verdict.report import Report
from plain_verdict.report.causes import CauseEntry
from plain_verdict.report.identity import in_words
from plain_verdict.settings.choices import ChecksShown
from plain_verdict.text.formatting import (
    capital,
    format_day,
    format_duration,
    format_size,
    format_time_of_day,
    plural,
)
from plain_verdict.writers.pdf.assets import Assets
from plain_verdict.writers.pdf.blocks import (
    Block,
    Contents,
    Front,
    Heading,
    Items,
    Line,
    Paragraph,
    Span,
    Table,
    Verbatim,
    breakable,
    line,
    span,
)
from plain_verdict.writers.pdf.content import PdfCheck, PdfContent, PdfStep, select_content

_EXPECTED_CHARS = 600
"""Of an expected or an actual value."""
_MOST_INDENTS = 3
"""Steps are indented so often at most."""


def front_of(report: Report, assets: Assets) -> Front:
    """Return the head of the first page."""
    brand, verdict = report.info.brand, report.verdict
    return Front(
        logo=assets.add(brand.logo.png, "png") if brand.logo else "",
        organisation=brand.organisation,
        title=breakable(report.title),
        identity=breakable(in_words(report.identity)),
        when=report.when or format_day(report.info.made),
        word=capital(verdict.word.value),
        fill=_fill(verdict.word.value),
        why=breakable(capital(verdict.why)),
        remarks=tuple(map(breakable, verdict.all_remarks)),
    )


def blocks_of(report: Report, checks: ChecksShown, assets: Assets) -> Iterator[Block]:
    """Yield the blocks of a report; its pictures go to ``assets``."""
    with_all = checks is ChecksShown.ALL
    content = select_content(report, with_all=with_all)
    yield from _kinds(report)
    yield _chapter("contents", "Contents")
    yield Contents(tuple((f"chapter-{id_}", title) for id_, title in content.chapters))
    yield from _conditions(report)
    yield from _causes(report, content)
    yield from _changes(report)
    yield from _failures(content, assets)
    yield from _load(report, assets)
    yield from _api(report)
    yield from _compliance(report)
    yield from _requirements(report)
    if with_all:
        yield from _all_checks(content)
    yield from _inputs(report, content)


def _chapter(id_: str, title: str) -> Heading:
    return Heading(1, line(title), f"chapter-{id_}")


def _part(title: str) -> Heading:
    return Heading(2, line(title))


def _soft(text: str) -> Line:
    return (span(text, "soft"),)


def _note(text: str, *, with_next: bool = False) -> Paragraph:
    return Paragraph(_soft(text), with_next=with_next)


def _not_listed(number: int, noun: str) -> Paragraph:
    return _note(f"{plural(number, noun)} {'is' if number == 1 else 'are'} not listed here; the page lists all.")


def _word(value: str) -> Span:
    """Return an outcome, a verdict or a state in its colour."""
    return span(value, _fill(value), bold=True)


def _fill(value: str) -> str:
    return value.replace(" ", "-")


def _table(columns: str, head: str, rows: Iterable[Sequence[Line | str]]) -> Iterator[Table]:
    """Yield a table, if it has rows. ``head`` has the names of its columns between bars."""
    cells = tuple(tuple(line(cell) if isinstance(cell, str) else cell for cell in row) for row in rows)
    if cells:
        yield Table(columns, tuple(head.split("|")), cells)


def _kinds(report: Report) -> Iterator[Block]:
    def row(name: str, word: str, tally: Tally) -> list[Line | str]:
        return [name, (_word(word),), f"{tally.total:,}", *(f"{tally.of(outcome):,}" for outcome in Outcome)]

    yield _chapter("short", "By kind")
    kinds = report.verdict.kinds if len(report.verdict.kinds) > 1 else ()
    rows = [row(capital(name_kind(kind.kind)), kind.word.value, kind.tally) for kind in kinds]
    rows.append(row("All", report.verdict.word.value, report.tally))
    yield from _table("wlr" + "r" * len(Outcome), "|".join(("Kind|Verdict|Checks", *Outcome)), rows)
    if report.info.facts:
        yield _note("; ".join(f"{capital(fact.key)}: {fact.value}" for fact in report.info.facts))


def _conditions(report: Report) -> Iterator[Block]:
    if report.verdict.conditions:
        yield _chapter("conditions", "Conditions")
        entries = report.verdict.conditions
        yield from _table(
            "lww",
            "State|Condition|Met",
            [((_word(entry.state.value),), entry.words, entry.met) for entry in entries],
        )


def _causes(report: Report, content: PdfContent) -> Iterator[Block]:
    if not report.causes:
        return
    yield _chapter("why", "Causes")
    listed = {item.check.id for item in content.failures}
    for entry in content.causes:
        yield from _cause(report, entry, listed)
    if content.more_causes:
        yield _note(f"And {plural(content.more_causes, 'more cause')}.")


def _cause(report: Report, entry: CauseEntry, listed: set[str]) -> Iterator[Block]:
    cause = entry.cause
    about = [plural(len(cause.checks), "check"), entry.set_aside, report.past_of_cause(cause)]
    yield Heading(2, (span(f"{cause.name} "), span(", ".join(filter(None, about)), "soft")))
    if cause.advice:
        yield Paragraph(line(cause.advice))
    if cause.owner:
        yield _note(f"Owner: {cause.owner}")
    checks = [
        (0, (span(check.bare_title, to=check.id) if check.id in listed else span(check.bare_title, "soft"),))
        for check in entry.checks
    ]
    more = len(cause.checks) - len(entry.checks)
    yield Items((*checks, *_and_more(more)))


def _and_more(number: int) -> Iterator[tuple[int, Line]]:
    if number:
        yield 0, _soft(f"and {number:,} more")


def _changes(report: Report) -> Iterator[Block]:
    if not report.history:
        return
    yield _chapter("since", f"Changes since {report.history.against}")
    yield Paragraph(line(report.history.lead))
    for part in report.history.lists:
        yield _part(part.name)
        entries = [(0, (span(f"{entry.name} "), span(entry.words, "soft"))) for entry in part.entries]
        yield Items((*entries, *_and_more(part.more)))


def _failures(content: PdfContent, assets: Assets) -> Iterator[Block]:
    if not content.failures:
        return
    yield _chapter("failed", "Failures")
    for item in content.failures:
        yield from _failure(item, assets)
    if content.omitted:
        yield _not_listed(content.omitted, "more failure")
    if content.no_pictures:
        yield _note("Pictures are shown with the first failures only; the page has all.")


def _failure(item: PdfCheck, assets: Assets) -> Iterator[Block]:
    check = item.check
    suite = (span(f"{' › '.join(check.suite)} › ", "soft"),) if check.suite else ()
    yield Heading(2, (*suite, span(check.title)), check.id)
    yield Paragraph((_word(check.outcome.value), span(f"  {'; '.join(item.about)}", "soft")), with_next=True)
    yield from _problem(item)
    if item.steps:
        yield Items(tuple((min(step.depth, _MOST_INDENTS), tuple(_step(step))) for step in item.steps))
    if item.more_steps:
        yield _note(f"and {plural(item.more_steps, 'more step')}")
    if item.detail:
        yield Verbatim(tuple(breakable(text.expandtabs(4)) for text in item.detail.split("\n")))
    if item.picture:
        yield assets.picture(item.picture, item.caption)


def _problem(item: PdfCheck) -> Iterator[Block]:
    if item.message:
        yield Paragraph(line(item.message), message=True)
    problem = item.problem
    if problem and problem.expected is not None and problem.actual is not None:
        for name, value in (("expected ", problem.expected), ("actual ", problem.actual)):
            yield Paragraph((span(name, "soft"), span(value[:_EXPECTED_CHARS], mono=True)))


def _step(step: PdfStep) -> Iterator[Span]:
    yield span(step.name, _fill(step.outcome.value))
    if step.outcome is not Outcome.PASSED:
        yield span(" ")
        yield _word(step.outcome.value)
    if step.took_s is not None:
        yield span(f" {format_duration(step.took_s)}", "soft")


def _load(report: Report, assets: Assets) -> Iterator[Block]:
    if not report.load:
        return
    yield _chapter("load", "Load")
    yield Paragraph(line(report.load.lead))
    for chart in report.load.charts:
        yield assets.chart(chart)
    rows = [
        (
            row.numbers.name,
            f"{row.numbers.count:,}",
            row.failed,
            format_duration(row.numbers.percentile(50.0).value_s) or "–",
            format_duration(row.numbers.percentile(95.0).value_s) or "–",
            format_duration(row.numbers.longest_s),
        )
        for row in report.load.rows
    ]
    yield from _table("wrrrrr", "Request|Sent|Failed|Median|p95|Longest", rows)


def _api(report: Report) -> Iterator[Block]:
    if not report.api:
        return
    yield _chapter("api", "API")
    yield Paragraph(line(report.api.lead))
    rows = [
        (row.operation.name, row.answers, str(row.numbers.wrong), format_duration(row.numbers.longest_s))
        for row in report.api.rows
    ]
    yield from _table("wwrr", "Operation|Answers|Wrong|Longest", rows)


def _compliance(report: Report) -> Iterator[Block]:
    if not report.compliance:
        return
    yield _chapter("rules", "Compliance")
    yield Paragraph(line(report.compliance.lead))
    for rules in report.compliance.sets:
        yield _part(rules.name)
        yield _note(rules.words, with_next=bool(rules.rows))
        rows = [
            (
                row.check.bare_title,
                row.check.rule.severity.value if row.check.rule else "",
                ", ".join(filter(None, (row.word, row.not_counted))),
            )
            for row in rules.rows
        ]
        yield from _table("wll", "Rule|Severity|Result", rows)


def _requirements(report: Report) -> Iterator[Block]:
    if not report.requirements:
        return
    yield _chapter("asked", "Requirements")
    yield Paragraph(line(report.requirements.lead))
    for group in report.requirements.groups:
        if group.name:
            yield _part(group.name)
        rows = [
            (
                f"{row.result.requirement.id} {row.result.requirement.title}",
                row.result.state.value,
                "; ".join(check.bare_title for check in row.checks) + (f" and {row.more} more" if row.more else ""),
            )
            for row in group.rows
        ]
        yield from _table("wlw", "Requirement|Result|Checks", rows)


def _all_checks(content: PdfContent) -> Iterator[Block]:
    yield _chapter("every", "All checks")
    for group in content.suites:
        if group.path:
            yield _part(" › ".join(group.path))
        rows = [
            (check.bare_title, (_word(check.outcome.value),), format_duration(check.last.took_s))
            for check in group.checks
        ]
        yield from _table("wlr", "Check|Outcome|Duration", rows)
    if content.unlisted:
        yield _not_listed(content.unlisted, "more check")


def _inputs(report: Report, content: PdfContent) -> Iterator[Block]:
    yield _chapter("reading", "Inputs")
    rows: list[tuple[Line | str, ...]] = [
        (
            (span(f"{row.file.path} "), span(row.file.format, "soft")),
            f"{row.tally.total:,}",
            f"{row.tally.failed + row.tally.errored:,}",
            format_size(row.file.size_bytes),
        )
        for row in content.files
    ]
    yield from _table("wrrr", "File|Checks|Failed|Size", rows)
    yield from _table("ww", "File not read|Why", [(file.path, file.what) for file in report.run.unread])
    if content.more_files:
        yield _note(f"And {plural(content.more_files, 'more file')}.")
    yield _note(f"Fingerprint of what was judged, which plain-verdict verify checks: {report.judged.fingerprint}")
    if content.notes:
        yield Items(tuple((0, _soft(note)) for note in content.notes))
    info = report.info
    made = f"Made by Plain Verdict {__version__} on {format_day(info.made)} at {format_time_of_day(info.made)}."
    yield _note(" ".join(filter(None, (made, info.brand.footer, info.brand.contact))))
