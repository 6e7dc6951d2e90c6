"""The digest for mail: verdict, tally and causes as HTML of tables with inline styles, and as plain text."""

from collections.abc import Iterator

import msgspec

from plain_verdict.brand.tokens import (
    ACCENT_LIGHT,
    GROUND_LIGHT,
    OUTCOMES_LIGHT,
    PLATE_ON_LIGHT,
    PLATE_PADDING,
    colour_of,
)
from plain_verdict.judging.sentence import name_kind
from plain_verdict.model import Cause, Check, Outcome, State, Verdict, VerdictWord
from plain_verdict.report import PageInfo, Report
from plain_verdict.settings.limits import TOLD_NAME_CHARS
from plain_verdict.text.cleaning import headline
from plain_verdict.text.formatting import (
    capital,
    format_day,
    format_duration,
    format_span,
    format_time_of_day,
    plural,
    shorten,
)
from plain_verdict.writers.html.environment import make_environment

_CHECKS, _OPERATIONS, _REQUESTS = 10, 8, 12
_STATES = {State.KEPT: VerdictWord.FIT, State.BROKEN: VerdictWord.NOT_FIT, State.OPEN: VerdictWord.UNDECIDED}
"""The verdict whose colour a condition has."""
_PLATE = f";background:{PLATE_ON_LIGHT};padding:{PLATE_PADDING}"
_COLOURS = {**GROUND_LIGHT, **OUTCOMES_LIGHT, **{word.value: colour_of(word) for word in VerdictWord}}


class DigestCause(msgspec.Struct, frozen=True):
    """A cause as the digest tells it: names are cut; ``more`` checks are only counted."""

    number: int
    name: str
    advice: str
    checks: tuple[tuple[str, str], ...]
    """Names and messages."""
    more: int
    aside: str
    """That all of it is waived or set aside, else ""."""


class Digest(msgspec.Struct, frozen=True):
    """A digest: its subject, plain text, and HTML that shows the logo as ``cid:logo``."""

    subject: str
    text: str
    html: str


class _Words(msgspec.Struct, frozen=True):
    """What both forms of the digest say."""

    title: str
    counts: list[tuple[str, int]]
    causes: list[DigestCause]
    more_causes: int
    kinds: list[tuple[str, str, str]]
    """Each kind's name, word and sentence, where there are several."""
    operations: list[tuple[str, str, str]]
    """Name, answers and longest time of the operations that are told; ``more_operations`` are only counted."""
    more_operations: int
    load: str
    requests: list[tuple[str, str, str, str]]
    """Name, how many were sent, the share that failed, and within what 95 % were answered."""
    more_requests: int
    chart: str
    """What the drawing shows, "" where there is none."""
    when: str
    made: str
    attached: str


def render_digest(report: Report, *, most_causes: int, attached: str, chart: bool = False) -> Digest:
    """Return the digest with so many causes at most; ``attached`` names the page that goes with it, "" for none.

    ``chart``: a drawing goes with it, which the HTML shows as ``cid:chart``.
    """
    verdict, info = report.verdict, report.info
    started, ended = report.span
    words = _Words(
        title=report.title,
        counts=[(outcome.value, report.tally.of(outcome)) for outcome in Outcome if report.tally.of(outcome)],
        causes=[_cause(cause, verdict) for cause in verdict.causes[:most_causes]],
        more_causes=max(0, len(verdict.causes) - most_causes),
        kinds=_kinds(verdict),
        operations=_operations(report),
        more_operations=max(0, len(report.api.rows) - _OPERATIONS) if report.api else 0,
        load=report.load.lead if report.load else "",
        requests=_requests(report),
        more_requests=max(0, len(report.load.run.requests) - _REQUESTS) if report.load else 0,
        chart=report.load.charts[0].words if chart and report.load else "",
        when=f"{format_day(started)}, {format_span(started, ended)}" if started else "",
        made=f"{format_day(info.made)}, {format_time_of_day(info.made)}",
        attached=attached,
    )
    accent = info.brand.accent_light or ACCENT_LIGHT
    given = {
        "verdict": verdict,
        "info": info,
        "colours": _COLOURS,
        "states": _STATES,
        "accent": accent,
        "plate": _PLATE,
    }
    template = make_environment().get_template("digest.html.j2")
    html = template.render(msgspec.structs.asdict(words), **given)
    return Digest(f"{verdict.word.capitalize()}: {report.title}", _plain(words, verdict, info), html)


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
    checks = tuple(
        (_cut(" › ".join((*check.suite, check.title))), _cut(_why(check))) for check in cause.checks[:_CHECKS]
    )
    number = len(cause.checks)
    return DigestCause(
        number, _cut(cause.name), _cut(cause.advice), checks, number - len(checks), verdict.aside_of(cause)
    )


def _why(check: Check) -> str:
    return headline(check.last.problems[0].message) if check.last.problems else check.last.reason


def _cut(text: str) -> str:
    return shorten(" ".join(text.split()), TOLD_NAME_CHARS)


def _plain(words: _Words, verdict: Verdict, info: PageInfo) -> str:
    """Return the digest as plain text."""
    counts = "  ".join(f"{number:,} {outcome}" for outcome, number in words.counts)
    lines = [words.title, "", verdict.sentence, *verdict.all_remarks, ""]
    lines += [*(f"{name}: {word}. {why}" for name, word, why in words.kinds), ""] if words.kinds else []
    lines += [counts, ""]
    lines += [f"{rule.state.capitalize()}: {rule.words} ({rule.met})" for rule in verdict.conditions]
    for cause in words.causes:
        lines += ["", *_plain_cause(cause)]
    lines += ["", f"and {plural(words.more_causes, 'more cause')}"] if words.more_causes else []
    lines += _plain_operations(words)
    lines += _plain_load(words)
    lines += ["", *(f"{fact.key}: {fact.value}" for fact in info.facts)]
    lines += [f"The run: {words.when}"] if words.when else []
    lines += [f"This digest was made: {words.made}"]
    lines += [f"The whole page is attached: {words.attached}"] if words.attached else []
    lines += [part for part in (info.brand.footer, info.brand.contact) if part]
    return "\n".join(lines).strip() + "\n"


def _plain_operations(words: _Words) -> list[str]:
    if not words.operations:
        return []
    lines = [f"  {name}: {answers}, at most {longest}" for name, answers, longest in words.operations]
    more = [f"  and {plural(words.more_operations, 'more operation')}"] if words.more_operations else []
    return ["", "Calls:", *lines, *more]


def _plain_load(words: _Words) -> list[str]:
    if not words.load:
        return []
    lines = [
        f"  {name}: {sent} sent, {failed} failed, 95 % within {within}"
        for name, sent, failed, within in words.requests
    ]
    more = [f"  and {plural(words.more_requests, 'more request')}"] if words.more_requests else []
    return ["", words.load, *lines, *more]


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
