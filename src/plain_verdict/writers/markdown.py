"""Writes the digest for merge requests and job summaries: CommonMark with the tables that servers know."""

from collections.abc import Iterator, Sequence

import msgspec

from plain_verdict.model import Cause, Changed, ConditionResult, Outcome, State, Tally
from plain_verdict.report import Report
from plain_verdict.report.commits import describe_change
from plain_verdict.report.history import change_lines
from plain_verdict.report.identity import in_words
from plain_verdict.report.quarantine import quarantine_lines
from plain_verdict.settings.limits import LISTED_NAME_CHARS
from plain_verdict.text.formatting import capital, format_day, format_duration, format_time_of_day, plural, shorten
from plain_verdict.text.markdown import escape_markdown
from plain_verdict.writers.interface import OutputFile

_MOST_SUMMARY_BYTES = 60_000  # servers cut longer summaries off
_MOST_CAUSES, _CHECKS = 10, 8
_CONDITIONS, _LISTED, _OPERATIONS = 40, 20, 10
_FACTS = 30


class MarkdownWriter(msgspec.Struct, frozen=True):
    """Writes verdict, tally, kinds, conditions, causes and what changed, in at most 60 kB.

    ``link`` is the address of the page, or "".
    """

    link: str = ""

    name = "markdown"
    suffix = ".md"
    about = "a summary as Markdown, for merge requests and job summaries"
    is_layout = False

    def render(self, report: Report) -> Iterator[OutputFile]:
        """Yield the summary, with as many causes as fit."""
        yield OutputFile("verdict.md", self.render_text(report).encode("utf-8", "replace"))

    def render_text(self, report: Report) -> str:
        """Return the summary."""
        most = _MOST_CAUSES
        while True:
            text = "\n".join(_lines(report, self.link, most)) + "\n"
            if len(text.encode("utf-8", "replace")) <= _MOST_SUMMARY_BYTES or most == 0:
                return text
            most //= 2


def _lines(report: Report, link: str, most: int) -> Iterator[str]:
    verdict = report.verdict
    yield f"## {_worded(verdict.sentence)}"
    yield ""
    who = report.info.brand.organisation
    when = report.when or f"{format_day(report.info.made)}, {format_time_of_day(report.info.made)}"
    yield f"**{_worded(report.title)}**{f', {_worded(who)}' if who else ''}. {_worded(when)}."
    identity = in_words(report.identity)
    if identity:
        yield ""
        yield _worded(identity)
    if link:
        yield ""
        yield f"[Full report](<{_address(link)}>)"
    if verdict.all_remarks:
        yield ""
        yield from (f"- {_worded(remark)}" for remark in verdict.all_remarks)
    yield ""
    yield from _tally(report)
    yield from _conditions(verdict.conditions)
    yield from _causes(report, most, link)
    yield from _changes(report, most)
    yield from _quarantine(report)
    yield from _operations(report)
    if report.load:
        yield from ("", "### Load", "", _worded(report.load.lead))
    if report.info.facts:
        yield ""
        yield "; ".join(f"{_worded(fact.key)}: {_worded(fact.value)}" for fact in report.info.facts[:_FACTS])


def _conditions(conditions: Sequence[ConditionResult]) -> Iterator[str]:
    broken = [condition for condition in conditions if condition.state is not State.MET]
    if not broken:
        return
    yield from ("", "### Conditions", "", "| condition | state | value |", "|---|---|---|")
    for condition in broken[:_CONDITIONS]:
        yield f"| {_worded(condition.words)} | {condition.state.value} | {_worded(condition.met)} |"
    kept = len(conditions) - len(broken)
    more = [f"{plural(len(broken) - _CONDITIONS, 'more')} not met"] if len(broken) > _CONDITIONS else []
    more += [f"{plural(kept, 'other')} met"] if kept else []
    yield from ("", f"{capital(', '.join(more))}.") if more else ()


def _tally(report: Report) -> Iterator[str]:
    outcomes = [outcome for outcome in Outcome if report.tally.of(outcome)]
    kinds = report.verdict.kinds
    has_many = len(kinds) > 1
    lead = "| kind | verdict | " if has_many else "| "
    yield f"{lead}checks | {' | '.join(outcomes)} |"
    yield f"|{'---|---|' if has_many else ''}{'---:|' * (len(outcomes) + 1)}"
    for kind in kinds if has_many else ():
        yield f"| {kind.kind.value} | {kind.word.value} | {_counts(kind.tally, outcomes)} |"
    whole = f"all | {report.verdict.word.value} | " if has_many else ""
    yield f"| {whole}{_counts(report.tally, outcomes)} |"


def _counts(tally: Tally, outcomes: Sequence[Outcome]) -> str:
    return " | ".join(f"{number:,}" for number in (tally.total, *map(tally.of, outcomes)))


def _causes(report: Report, most: int, link: str) -> Iterator[str]:
    verdict = report.verdict
    if not verdict.causes:
        return
    yield from ("", "### Causes", "")
    for cause in verdict.causes[:most]:
        yield from _cause(report, cause)
    if len(verdict.causes) > most:
        more = f"and {plural(len(verdict.causes) - most, 'more cause')}"
        yield from ("", f"[{more}](<{_address(link)}#why>)" if link else f"{capital(more)}.")


def _cause(report: Report, cause: Cause) -> Iterator[str]:
    details = [plural(len(cause.checks), "check"), report.verdict.aside_of(cause), report.past_of_cause(cause)]
    yield f"- **{_cut(cause.name)}** ({', '.join(map(_worded, filter(None, details)))})"
    owner = f"Owner: {cause.owner}." if cause.owner else ""
    about = " ".join(filter(None, (cause.advice, owner)))
    if about:
        yield f"  {_cut(about)}"
    for check in cause.checks[:_CHECKS]:
        why = f": {_cut(check.why)}" if check.why and check.why != cause.name else ""
        yield f"  - {_cut(check.whole_name)}{why}"
    if len(cause.checks) > _CHECKS:
        yield f"  - and {len(cause.checks) - _CHECKS:,} more"


def _changes(report: Report, most: int) -> Iterator[str]:
    history = report.history
    if history is None:
        return
    yield from ("", f"### Changes since {_worded(history.against)}", "", _worded(history.lead))
    since = report.run.since
    if since and (lines := change_lines(since)):
        yield ""
        yield from (f"- {_worded(line)}" for line in lines)
    if since:
        yield from _changed("New", since.new, min(_LISTED, most))
        yield from _changed("Failing again", since.failing_again, min(_LISTED, most))


def _changed(heading: str, changes: Sequence[Changed], most: int) -> Iterator[str]:
    listed = changes[:most]
    if listed:
        yield from ("", f"{heading}:", "")
        yield from (f"- {_cut(change.name)}: {_worded(describe_change(change))}" for change in listed)
        if len(changes) > len(listed):
            yield f"- and {len(changes) - len(listed):,} more"


def _quarantine(report: Report) -> Iterator[str]:
    lines = quarantine_lines(report.verdict.quarantine)
    if lines:
        yield from ("", "### Quarantine", "", *(f"- {_worded(line)}" for line in lines))


def _operations(report: Report) -> Iterator[str]:
    wrong = [row for row in report.operations if row[1].wrong or row[1].unanswered][:_OPERATIONS]
    if wrong:
        yield from (
            "",
            "### Wrong calls",
            "",
            "| operation | calls | wrong | longest |",
            "|---|---:|---:|---:|",
        )
        for operation, numbers in wrong:
            cells = (f"{numbers.calls:,}", f"{numbers.wrong:,}", format_duration(numbers.longest_s))
            yield f"| {_cut(operation.name)} | {' | '.join(cells)} |"


def _cut(text: str) -> str:
    return _worded(shorten(" ".join(text.split()), LISTED_NAME_CHARS))


def _worded(text: str) -> str:
    return escape_markdown(text)


def _address(link: str) -> str:
    """Return an address that can end neither its brackets nor its line."""
    return link.translate({ord(char): f"%{ord(char):02X}" for char in "<>\\ \n\r\t"})
