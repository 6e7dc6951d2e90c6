"""A check, wherever it stands, and the parts of it that stand elsewhere."""

from collections.abc import Iterator, Sequence
from functools import lru_cache

from markupsafe import Markup

from plain_verdict.model import BAD, Check, Fact, Rule, Waived
from plain_verdict.report import Report
from plain_verdict.report.attempts import compare_attempts
from plain_verdict.report.shown_check import (
    Row,
    RowStyle,
    ShownAttempt,
    ShownCheck,
    describe_time,
    describe_waiver,
    is_simple,
)
from plain_verdict.report.suites import Variants
from plain_verdict.text.cleaning import single_line
from plain_verdict.text.formatting import capital, format_duration, plural
from plain_verdict.writers.html.checks.attempts import attempts_html
from plain_verdict.writers.html.checks.commits import commits_html
from plain_verdict.writers.html.checks.escaping import escaped
from plain_verdict.writers.html.checks.evidence import EvidenceHtml, title
from plain_verdict.writers.html.checks.exchanges import CallsHtml
from plain_verdict.writers.html.checks.problems import problem_html
from plain_verdict.writers.html.checks.rows import (
    kind_class,
    name_html,
    name_text,
    outcome_html,
    severity_html,
    simple_row,
)
from plain_verdict.writers.html.checks.steps import StepsHtml, log_html
from plain_verdict.writers.html.checks.texts import fold_html
from plain_verdict.writers.html.checks.traces import trace_html
from plain_verdict.writers.html.links import Links
from plain_verdict.writers.html.markdown import is_safe_link

_FIRST_LINE_CHARS = 200  # of a problem in its check's row: two lines
_ROW_CLASSES = {
    RowStyle.CODE: ' class="mono"',
    RowStyle.TIME: ' class="num"',
    RowStyle.LIST: ' class="tags"',
    RowStyle.TEXT: "",
    RowStyle.LINK: "",
}


class CheckHtml:
    """Writes the checks of one page."""

    def __init__(self, report: Report, links: Links) -> None:
        self._report = report
        self._links = links
        self.evidence = EvidenceHtml(report.evidence, links)
        self._calls = CallsHtml(report, self.evidence)
        self._steps = StepsHtml(self.evidence, self._calls.all)

    def path(self, suite: Sequence[str]) -> Markup:
        """Return the names of a suite and of those around it."""
        return Markup(" › ".join([f"<bdi>{escaped(part)}</bdi>" for part in suite]))  # noqa: S704  escaped

    def suite_name(self, suite: Sequence[str]) -> Markup:
        """Return the same, with words where a check stands in none."""
        return self.path(suite) if suite else Markup("Outside any suite")

    def link(self, check: Check) -> Markup:
        """Return a check's name, as a link where it is on a page."""
        way = self._links.check(check)
        name = name_html(check)
        return Markup(f'<a href="{escaped(way)}">{name}</a>') if way else name  # noqa: S704  escaped

    def check(self, check: Check, is_open: bool) -> Markup:  # noqa: FBT001  called by templates
        """Return a check."""
        return Markup(self.text(check, is_open=is_open))  # noqa: S704  every text is escaped

    def text(self, check: Check, *, is_open: bool = False) -> str:
        """Return a check's HTML as text."""
        tells_past = self._report.tells_past(check)
        if is_simple(check) and not tells_past:
            return simple_row(check)
        shown = self._report.show(check)
        outcome = check.outcome.value
        new = " new" if check.id in self._report.new else ""
        kind, id_, seconds = kind_class(check.kind), escaped(check.id), check.last.took_s or 0
        attributes = f'class="check {outcome}{kind}{new}" id="{id_}" data-s="{seconds}"'
        head = _head(check, shown)
        if not check.has_details and not tells_past:
            return f"<div {attributes}>{head}</div>"
        opened = " open" if is_open else ""
        inside = "".join(self._inside(check, shown))
        return (
            f"<details {attributes}{opened}><summary>{head}</summary>"
            f'<div class="inside {outcome}">{inside}</div></details>'
        )

    def _inside(self, check: Check, shown: ShownCheck) -> Iterator[str]:
        if shown.waiver:
            yield _waiver(shown.waiver)
        if check.description:
            yield f'<p class="about"><bdi>{escaped(check.description)}</bdi></p>'
        if check.rule:
            yield from _rule(check.rule)
        yield from self._attempt(shown.last, shown.cause_name)
        yield trace_html(check, self._report.past_of(check))
        commits = self._report.commits_of(check)
        if commits:
            yield from commits_html(commits)
        if shown.earlier:
            table = compare_attempts((*shown.earlier, shown.last), self._report.evidence)
            yield from attempts_html(table, self.evidence)
            for earlier in shown.earlier:
                yield _earlier_head(earlier)
                yield from self._attempt(earlier)
                yield "</div></details>"
        yield '<dl class="facts">'
        yield from map(_row, shown.rows)
        if shown.cause:
            yield f"<div><dt>Cause</dt><dd>{self._cause(shown.cause)}</dd></div>"
        yield f'<div><dt>Link</dt><dd><a href="#{escaped(check.id)}">to this check</a></dd></div></dl>'

    def _attempt(self, shown: ShownAttempt, cause_name: str = "") -> Iterator[str]:
        attempt = shown.attempt
        for problem in attempt.problems:
            yield from problem_html(problem, cause_name)
        if attempt.reason:
            yield f'<p class="reason"><bdi>{escaped(capital(attempt.reason))}</bdi></p>'
        yield from self._calls.all(attempt)
        if attempt.steps or shown.lead:
            yield f'<div class="body{" with-lead" if shown.lead else ""}"><div>'
            if attempt.steps:
                yield "<h4>Steps</h4>"
                yield from self._steps.outline(attempt.steps, shown)
            yield from self._evidence_of_check(shown)
            yield "</div>"
            if shown.lead:
                yield f'<div class="lead">{self.evidence.picture(shown.lead)}</div>'
            yield "</div>"
        else:
            yield from self._evidence_of_check(shown)
        if attempt.logs:
            yield "<h4>Log</h4>"
            yield from log_html(attempt.logs)
        for output in attempt.outputs:
            yield fold_html(output.name, output.text)

    def _evidence_of_check(self, shown: ShownAttempt) -> Iterator[str]:
        if shown.evidence:
            yield f"<h4>Evidence</h4>{self.evidence.all(shown.evidence)}"

    def _cause(self, name: str) -> str:
        return f'<a href="{escaped(self._links.home("why"))}"><bdi>{escaped(name)}</bdi></a>'

    def variants(self, group: Variants, opened: str) -> Markup:
        """Return the variants of one check, under each other; open where one of them is to be open."""
        columns = "".join([f"<span>{escaped(column) or 'parameters'}</span>" for column in group.columns])
        checks = "".join([self.text(check, is_open=check.id == opened) for check in group.checks])
        is_open = any(check.id == opened for check in group.checks)
        html = (
            f'<details class="group{" failed" if group.bad else ""}"{" open" if is_open else ""}>'
            f'<summary><span class="outcome {"failed" if group.bad else "passed"}">{escaped(group.in_words)}</span>'
            f'<span class="name"><bdi>{escaped(group.name)}</bdi>'
            f"<small>{escaped(group.note)}</small></span></summary>"
            f'<div class="columns"><span></span><span class="cells">{columns}</span><span></span></div>'
            f"{checks}</details>"
        )
        return Markup(html)  # noqa: S704  every text is escaped


def _head(check: Check, shown: ShownCheck) -> str:
    """Return what stands in a check's row: outcome, name and what is short next to it, time."""
    notes = [_values(shown.variant)] if shown.variant else []
    if check.disambiguator:
        notes.append(f"<bdi>{escaped(check.disambiguator)}</bdi>")
    if shown.attempt_note or shown.set_aside:
        notes.append(escaped(shown.attempt_note or shown.set_aside))
    elif shown.skip_reason:
        notes.append(f"<bdi>{escaped(shown.skip_reason)}</bdi>")
    beside = f"<small>{' · '.join(notes)}</small>" if notes else ""
    first_line = check.why.removeprefix(f"{check.name}: ") if check.outcome in BAD else ""
    if first_line:
        beside += (
            f'<small class="first-line"><bdi>{escaped(single_line(first_line, _FIRST_LINE_CHARS))}</bdi></small>'
        )
    return (
        f'{outcome_html(check.outcome)}<span class="name">{name_text(check)}{beside}</span>'
        f'<span class="took num">{describe_time(check.last)}</span>'
    )


def _values(facts: Sequence[Fact]) -> str:
    return ", ".join([f"<bdi>{escaped(fact.value)}</bdi>" for fact in facts])


def _waiver(waiver: Waived) -> str:
    word = capital(describe_waiver(waiver))
    who = f' <span class="soft">({escaped(waiver.who)})</span>' if waiver.who else ""
    link = f" {_outside(waiver.link)}" if is_safe_link(waiver.link) else ""
    return f'<p class="waived"><b>{word}</b>: {escaped(waiver.reason)}{who}{link}</p>'


def _outside(link: str) -> str:
    link = escaped(link)
    return f'<a href="{link}" rel="noreferrer">{link}</a>'


def _rule(rule: Rule) -> Iterator[str]:
    yield f'<dl class="facts rule"><div><dt>Severity</dt><dd>{severity_html(rule.severity)}</dd></div>'
    for label, text in (("Why", rule.why), ("How to fix it", rule.remediation)):
        if text:
            yield f"<div><dt>{label}</dt><dd><bdi>{escaped(text)}</bdi></dd></div>"
    if rule.suppressed_findings:
        yield f"<div><dt>Suppressed by its file</dt><dd>{plural(rule.suppressed_findings, 'place')}</dd></div>"
    yield "</dl>"


def _earlier_head(earlier: ShownAttempt) -> str:
    took_s = earlier.attempt.took_s
    took = f", {format_duration(took_s)}" if took_s else ""
    words = f'<span class="num"{title(earlier.circumstances)}>attempt {earlier.number}{took}</span>'
    summary = f"<summary>{outcome_html(earlier.attempt.outcome)} {words}</summary>"
    return f'<details class="fold earlier">{summary}<div>'


@lru_cache(4_096)
def _row(row: Row) -> str:
    """Return a row; those of a suite, a machine or a rule come again and again."""
    label = row.label if row.ours else f"<bdi>{escaped(row.label)}</bdi>"
    values = ", ".join([_value(row.style, value) for value in row.values])
    return f"<div><dt>{label}</dt><dd{_ROW_CLASSES[row.style]}>{values}</dd></div>"


def _value(style: RowStyle, value: str) -> str:
    if style is RowStyle.LINK and is_safe_link(value):
        return _outside(value)
    return escaped(value) if style is RowStyle.TIME else f"<bdi>{escaped(value)}</bdi>"
