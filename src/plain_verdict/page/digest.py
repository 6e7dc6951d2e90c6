"""The digest for mail: verdict, tally and causes as HTML of tables with inline styles, and as plain text."""

import msgspec

from plain_verdict.model import Check, Outcome, Run, Verdict, Word, tally_of
from plain_verdict.page.environment import make_environment
from plain_verdict.page.front import Front
from plain_verdict.page.tokens import GROUND_LIGHT, OUTCOMES_LIGHT, colour_of
from plain_verdict.page.view import span_of, title_of
from plain_verdict.text import headline
from plain_verdict.words import clock, day, plural, span

_NAME_CHARS = 160
_CHECKS = 10
_COLOURS = {**GROUND_LIGHT, **OUTCOMES_LIGHT, **{word.value: colour_of(word) for word in Word}}


class DigestCause(msgspec.Struct, frozen=True):
    """A cause as the digest tells it: names are cut; ``more`` checks are only counted."""

    number: int
    name: str
    advice: str
    checks: tuple[tuple[str, str], ...]
    """Names and messages."""
    more: int
    waived: bool


def render_digest(
    run: Run, verdict: Verdict, front: Front, *, most_causes: int, attached: str
) -> tuple[str, str, str]:
    """Return the digest's subject, plain text and HTML, with so many causes at most; the logo is ``cid:logo``.

    ``attached`` names the page that goes with it, "" for none.
    """
    title = front.title or title_of(run)
    tally = tally_of(run.checks)
    causes = [_told(cause.name, cause.advice, cause.checks, verdict) for cause in verdict.causes[:most_causes]]
    started, ended = span_of(run)
    words = {
        "title": title,
        "verdict": verdict,
        "counts": [(outcome.value, tally.of(outcome)) for outcome in Outcome if tally.of(outcome)],
        "causes": causes,
        "more_causes": len(verdict.causes) - len(causes),
        "when": f"{day(started)}, {span(started, ended)}" if started else "",
        "made": f"{day(front.made)}, {clock(front.made)}",
        "attached": attached,
        "front": front,
        "colours": _COLOURS,
        "accent": front.brand.accent_light or "#155e8a",
    }
    environment = make_environment()
    html = environment.get_template("mail.html.j2").render(words)
    return f"{verdict.word.capitalize()}: {title}", _plain(words, verdict, causes, front), html


def _told(name: str, advice: str, checks: tuple[Check, ...], verdict: Verdict) -> DigestCause:
    told = tuple((_cut(" › ".join((*check.suite, check.title))), _cut(_why(check))) for check in checks[:_CHECKS])
    waived = all(check.id in verdict.waived for check in checks)
    return DigestCause(len(checks), _cut(name), _cut(advice), told, len(checks) - len(told), waived)


def _why(check: Check) -> str:
    return headline(check.last.problems[0].message) if check.last.problems else check.last.reason


def _cut(text: str) -> str:
    text = " ".join(text.split())
    return text if len(text) <= _NAME_CHARS else text[: _NAME_CHARS - 1] + "…"


def _plain(words: dict[str, object], verdict: Verdict, causes: list[DigestCause], front: Front) -> str:
    lines = [str(words["title"]), "", verdict.sentence, *verdict.remarks, ""]
    counts = words["counts"]
    assert isinstance(counts, list)  # noqa: S101  for the type checker
    lines += ["  ".join(f"{number:,} {outcome}" for outcome, number in counts), ""]
    for condition in verdict.conditions:
        state = {True: "Kept", False: "Broken", None: "Open"}[condition.kept]
        lines.append(f"{state}: {condition.words} ({condition.met})")
    for cause in causes:
        lines += ["", f"{cause.number:,} x {cause.name}{', waived' if cause.waived else ''}"]
        lines += [f"    {cause.advice}"] if cause.advice else []
        for name, why in cause.checks:
            lines.append(f"  - {name}")
            lines += [f"    {why}"] if why and why != cause.name else []
        lines += [f"    and {cause.more:,} more"] if cause.more else []
    more = len(verdict.causes) - len(causes)
    lines += ["", f"and {plural(more, 'more cause')}"] if more else []
    lines += ["", *(f"{fact.key}: {fact.value}" for fact in front.facts)]
    lines += [f"The run: {words['when']}"] if words["when"] else []
    lines += [f"This digest was made: {words['made']}"]
    lines += [f"The whole page is attached: {words['attached']}"] if words["attached"] else []
    lines += [part for part in (front.brand.footer, front.brand.contact) if part]
    return "\n".join(lines).strip() + "\n"
