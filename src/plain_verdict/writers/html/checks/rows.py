"""The row of a check that has nothing to open, as most of a large run have, and the small parts of any row.

Those that are folded are filled by the page's script, into the same row with marks in the places that vary.
"""

from functools import cache

from markupsafe import Markup

from plain_verdict.model import Check, Kind, Outcome, Severity
from plain_verdict.report.shown_check import describe_time
from plain_verdict.writers.html.checks.escaping import escaped

_MARKS = ("seconds", "outcome", "name", "took", "kind")


@cache
def outcome_html(outcome: Outcome) -> Markup:
    """Return an outcome's word with its sign."""
    return Markup(f'<span class="outcome {outcome.value}">{outcome.value}</span>')  # noqa: S704  words of our own


@cache
def severity_html(severity: Severity) -> Markup:
    """Return a severity as a word and a bar of as many parts as it has grades."""
    bar = "▮" * severity.rank + "▯" * (len(Severity) - 1 - severity.rank)
    word = severity.value
    return Markup(  # noqa: S704  words of our own
        f'<span class="severity {word}">{word} <span class="grade" aria-hidden="true">{bar}</span></span>'
    )


@cache
def kind_class(kind: Kind) -> str:
    """Return the class by which the script knows a check's kind; most are functional, and have none."""
    return "" if kind is Kind.FUNCTIONAL else f" {kind.value}"


def name_html(check: Check) -> Markup:
    """Return a check's name with its parameters."""
    return Markup(name_text(check))  # noqa: S704  every value is escaped below


def name_text(check: Check) -> str:
    """Return the same as text."""
    parts = [f"<bdi>{escaped(check.name)}</bdi>"]
    for parameter in check.parameters:
        key = f'<span class="key">{escaped(parameter.key)} </span>' if parameter.key else ""
        parts.append(f' <span class="param">{key}<bdi>{escaped(parameter.value)}</bdi></span>')
    return "".join(parts)


def row_html(*, id_: str, seconds: str, outcome: str, name: str, took: str, kind: str) -> str:
    """Return the row of a check that has nothing to open, from parts that are HTML already."""
    return (
        f'<div class="check {outcome}{kind}" id="{id_}" data-s="{seconds}">'
        f'<span class="outcome {outcome}">{outcome}</span><span class="name">{name}</span>'
        f'<span class="took num">{took}</span></div>'
    )


def simple_row(check: Check) -> str:
    """Return the row of a check that has nothing to open."""
    last = check.attempts[-1]
    return row_html(
        id_=escaped(check.id),
        seconds=str(last.took_s or 0),
        outcome=last.outcome.value,
        name=name_text(check),
        took=describe_time(last),
        kind=kind_class(check.kind),
    )


SKELETON = row_html(**{key: f"\ue000{key.rstrip('_')}\ue001" for key in ("id_", *_MARKS)})
"""The row with a mark in each place that varies."""
