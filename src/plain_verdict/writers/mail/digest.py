"""The digest for mail: verdict, tally and causes as HTML of tables with inline styles, and as plain text."""

from collections.abc import Iterator, Sequence
from textwrap import fill

import msgspec

from plain_verdict.judging.sentence import name_kind
from plain_verdict.model import Cause, ConditionResult, Outcome, State, Verdict, VerdictWord
from plain_verdict.report import PageInfo, Report
from plain_verdict.report.brand.tokens import (
    ACCENT_LIGHT,
    GROUND_LIGHT,
    OUTCOMES_LIGHT,
    PLATE_ON_LIGHT,
    PLATE_PADDING,
    colour_of,
)
from plain_verdict.report.commits import describe_change
from plain_verdict.report.history import change_lines
from plain_verdict.report.identity import in_words
from plain_verdict.report.quarantine import quarantine_lines
from plain_verdict.settings.limits import LISTED_NAME_CHARS
from plain_verdict.text.formatting import (
    capital,
    format_day,
    format_duration,
    format_span,
    format_time_of_day,
    plural,
    shorten,
    spelled,
)
from plain_verdict.writers.html.environment import make_environment

_CHECKS, _OPERATIONS, _REQUESTS, _NEW = 10, 8, 12, 10
_CHANGE_CHARS = 400  # of what a check did before, and the commits since
_LINE_CHARS = 78  # Source: RFC 5322, section 2.1.1
_STATES = {State.MET: VerdictWord.FIT, State.NOT_MET: VerdictWord.NOT_FIT, State.OPEN: VerdictWord.UNDECIDED}
"""The verdict whose colour a condition has."""
_PLATE = f";background:{PLATE_ON_LIGHT};padding:{PLATE_PADDING}"
_MAIL_COLOURS = {**GROUND_LIGHT, **OUTCOMES_LIGHT, **{word.value: colour_of(word) for word in VerdictWord}}


class DigestCause(msgspec.Struct, frozen=True):
    """A cause as the digest tells it: names are cut; ``more`` checks are only counted."""

    number: int
    name: str
    advice: str
    checks: tuple[tuple[str, str], ...]
    """Names and messages."""
    more: int
    aside: str
    """That all of it is waived or not counted, else ""."""


class Digest(msgspec.Struct, frozen=True):
    """A digest: its subject, plain text, and HTML that shows the logo as ``cid:logo``."""

    subject: str
    text: str
    html: str


class _Words(msgspec.Struct, frozen=True, kw_only=True):
    """What both forms of the digest say."""

    title: str
    identity: str
    """The facts that identify the run, "" for none."""
    counts: list[tuple[str, int]]
    conditions: list[ConditionResult]
    """Those that are not met or open."""
    met_conditions: str
    """How many others are met, in words; "" for none."""
    causes: list[DigestCause]
    more_causes: int
    kinds: list[tuple[str, str, str]]
    """Each kind's name, word and sentence, where there are several."""
    operations: list[tuple[str, str, str]]
    """Name, answers and longest time of the operations that are given; ``more_operations`` are only counted."""
    more_operations: int
    load: str = ""
    requests: Sequence[tuple[str, str, str, str]] = ()
    """Name, how many were sent, the share that failed, and within what 95 % were answered."""
    more_requests: int = 0
    chart: str = ""
    """What the chart shows, "" where there is none."""
    since: str = ""
    """The build that the run is compared with, "" where there is none."""
    changes: str = ""
    change_lines: Sequence[str] = ()
    """What is fixed, still failing, flaky and slower, a line each."""
    new: list[tuple[str, str]]
    """Names of failures that are new, and how they ended before; ``more_new`` are only counted."""
    more_new: int
    quarantine: list[str] = []
    """The checks in quarantine, a line each."""
    when: str
    made: str
    attached: str = ""
    link: str = ""


def render_digest(
    report: Report, *, most_causes: int, attached: str, chart: bool = False, link: str = ""
) -> Digest:
    """Return the digest with so many causes at most; ``attached`` names the page that goes with it, "" for none.

    ``chart``: a chart goes with it, which the HTML shows as ``cid:chart``. ``link`` is the page's address.
    """
    verdict, info = report.verdict, report.info
    words = _words(report, most_causes, chart=chart)
    words = msgspec.structs.replace(words, attached=attached, link=link)
    given = {
        "verdict": verdict,
        "info": info,
        "colours": _MAIL_COLOURS,
        "states": _STATES,
        "accent": info.brand.accent_light or ACCENT_LIGHT,
        "plate": _PLATE,
    }
    template = make_environment().get_template("digest.html.j2")
    html = template.render(msgspec.structs.asdict(words), **given)
    return Digest(f"{verdict.word.capitalize()}: {report.title}", _plain(words, verdict, info), html)


def _words(report: Report, most_causes: int, *, chart: bool) -> _Words:
    verdict, info, history = report.verdict, report.info, report.history
    started, ended = report.span
    since = report.run.since
    new = (*since.new, *since.failing_again) if since else ()
    tally = report.tally
    conditions, met_conditions = _conditions(verdict)
    words = _Words(
        title=report.title,
        identity=in_words(report.identity),
        conditions=conditions,
        met_conditions=met_conditions,
        counts=[(outcome.value, tally.of(outcome)) for outcome in Outcome if tally.of(outcome)],
        causes=[_cause(cause, verdict) for cause in verdict.causes[:most_causes]],
        more_causes=max(0, len(verdict.causes) - most_causes),
        kinds=_kinds(verdict),
        quarantine=quarantine_lines(verdict.quarantine),
        operations=_operations(report),
        more_operations=max(0, len(report.api.rows) - _OPERATIONS) if report.api else 0,
        new=[(_cut(change.name), shorten(describe_change(change), _CHANGE_CHARS)) for change in new[:_NEW]],
        more_new=max(0, len(new) - _NEW),
        when=f"{format_day(started)}, {format_span(started, ended)}" if started else "",
        made=f"{format_day(info.made)}, {format_time_of_day(info.made)}",
    )
    if history:
        lines = change_lines(since) if since else ()
        words = msgspec.structs.replace(words, since=history.against, changes=history.lead, change_lines=lines)
    return _with_load(words, report, chart=chart)


def _conditions(verdict: Verdict) -> tuple[list[ConditionResult], str]:
    """Return the conditions that are not met or open, and how many others are met, in words."""
    conditions = [condition for condition in verdict.conditions if condition.state is not State.MET]
    met = len(verdict.conditions) - len(conditions)
    return conditions, f"{capital(spelled(met, 'condition'))} {'is' if met == 1 else 'are'} met." if met else ""


def _with_load(words: _Words, report: Report, *, chart: bool) -> _Words:
    load = report.load
    if load is None:
        return words
    return msgspec.structs.replace(
        words,
        load=load.lead,
        requests=_requests(report),
        more_requests=max(0, len(load.run.requests) - _REQUESTS),
        chart=load.charts[0].words if chart else "",
    )


def _kinds(verdict: Verdict) -> list[tuple[str, str, str]]:
    if len(verdict.kinds) < 2:
        return []
    return [(capital(name_kind(kind.kind)), kind.word.value, capital(kind.why)) for kind in verdict.kinds]


def _operations(report: Report) -> list[tuple[str, str, str]]:
    """Return the first operations: what went wrong stands first."""
    rows = report.api.rows[:_OPERATIONS] if report.api else ()
    return [
        (
            _cut(row.operation.name),
            f"{row.answers}{f', {row.numbers.wrong:,} wrong' if row.numbers.wrong else ''}",
            format_duration(row.numbers.longest_s),
        )
        for row in rows
    ]


def _requests(report: Report) -> list[tuple[str, str, str, str]]:
    """Return the first requests of a load run: those that were sent most."""
    rows = report.load.rows[:_REQUESTS] if report.load else ()
    return [
        (
            _cut(row.numbers.name),
            f"{row.numbers.count:,}",
            row.failed,
            format_duration(row.numbers.percentile(95.0).value_s) or "too few",
        )
        for row in rows
    ]


def _cause(cause: Cause, verdict: Verdict) -> DigestCause:
    checks = tuple((_cut(check.whole_name), _cut(check.why)) for check in cause.checks[:_CHECKS])
    number = len(cause.checks)
    return DigestCause(
        number, _cut(cause.name), _cut(cause.advice), checks, number - len(checks), verdict.aside_of(cause)
    )


def _cut(text: str) -> str:
    return shorten(" ".join(text.split()), LISTED_NAME_CHARS)


def _plain(words: _Words, verdict: Verdict, info: PageInfo) -> str:
    """Return the summary as plain text, in lines that mail programs need not break."""
    lines = [words.title, "=" * min(len(words.title), _LINE_CHARS)]
    lines += [words.identity] if words.identity else []
    lines += ["", verdict.sentence]
    lines += [f"Full report: {words.link}"] if words.link else []
    lines += _parted([f"- {remark}" for remark in verdict.all_remarks])
    lines += _parted([f"{name}: {word}. {why}" for name, word, why in words.kinds])
    counts = ", ".join(f"{number:,} {outcome}" for outcome, number in words.counts)
    lines += ["", f"{capital(counts)}." if counts else "No checks were found."]
    conditions = [_plain_condition(condition) for condition in words.conditions]
    lines += _headed("Conditions", [*conditions, *filter(None, (words.met_conditions,))])
    lines += _headed("Causes", _plain_causes(words))
    lines += _headed(f"Changes since {words.since}", _plain_changes(words)) if words.since else []
    lines += _headed("Quarantine", list(map("- {}".format, words.quarantine)))
    lines += _headed("Calls", _plain_operations(words))
    lines += _headed("Load", _plain_load(words))
    lines += ["", *(f"{fact.key}: {fact.value}" for fact in info.facts), *_plain_end(words)]
    lines += filter(None, (info.brand.footer, info.brand.contact))
    return "\n".join(map(_wrapped, lines)).strip() + "\n"


def _plain_condition(condition: ConditionResult) -> str:
    return f"{condition.state.capitalize()}: {condition.words} ({condition.met})"


def _plain_causes(words: _Words) -> list[str]:
    lines = [line for cause in words.causes for line in ("", *_plain_cause(cause))][1:]
    if not words.more_causes:
        return lines
    where = f": {words.link}#why" if words.link else ""
    return [*lines, "", f"and {plural(words.more_causes, 'more cause')}{where}"]


def _plain_end(words: _Words) -> list[str]:
    lines = [f"Run: {words.when}"] if words.when else []
    lines += [f"Summary written: {words.made}"]
    return [*lines, f"Full report attached: {words.attached}"] if words.attached else lines


def _parted(lines: list[str]) -> list[str]:
    return ["", *lines] if lines else []


def _headed(name: str, lines: list[str]) -> list[str]:
    return ["", name, "-" * len(name), *lines] if lines else []


def _wrapped(line: str) -> str:
    """Return a line broken where it is too long; what follows stands under its beginning."""
    if len(line) <= _LINE_CHARS:
        return line
    text = line.lstrip()
    before = line[: len(line) - len(text)]
    after = f"{before}  " if text.startswith("- ") else before
    return fill(text, _LINE_CHARS, initial_indent=before, subsequent_indent=after, break_long_words=False)


def _plain_changes(words: _Words) -> list[str]:
    more = [f"- and {words.more_new:,} more"] if words.more_new else []
    new = [f"- {name}: {before}" for name, before in words.new]
    lines = [f"- {line}" for line in words.change_lines]
    return [words.changes, *_parted(lines), *(["", "New:", *new, *more] if new else [])]


def _plain_operations(words: _Words) -> list[str]:
    lines = [f"- {name}: {answers}, longest {longest}" for name, answers, longest in words.operations]
    return lines + ([f"- and {plural(words.more_operations, 'more operation')}"] if words.more_operations else [])


def _plain_load(words: _Words) -> list[str]:
    if not words.load:
        return []
    lines = [
        f"- {name}: {sent} sent, {failed} failed, p95 {within}" for name, sent, failed, within in words.requests
    ]
    more = [f"- and {plural(words.more_requests, 'more request')}"] if words.more_requests else []
    return [words.load, "", *lines, *more]


def _plain_cause(cause: DigestCause) -> Iterator[str]:
    yield f"{cause.number:,} x {cause.name}{f', {cause.aside}' if cause.aside else ''}"
    if cause.advice:
        yield f"    {cause.advice}"
    for name, why in cause.checks:
        yield f"  - {name}"
        if why and why != cause.name:
            yield f"    {why}"
    if cause.more:
        yield f"    and {cause.more:,} more"
