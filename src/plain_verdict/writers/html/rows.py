"""Fills the row of a check that has nothing to open; most checks of a large run are such.

The row is rendered once by the template, with marks for what varies. Python fills the marks for what stands in the
page, the page's script for what is folded.
"""

import re
from functools import cache

from jinja2 import Environment
from markupsafe import Markup, escape

from plain_verdict.model import Check, Kind, Outcome, Severity
from plain_verdict.report.shown_check import describe_time, is_simple

_PLACES = ("id", "seconds", "outcome", "name", "took", "kind")
_PLACE = re.compile("\ue000([a-z]+)\ue001")


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
    parts = [f"<bdi>{escape(check.name)}</bdi>"]
    for parameter in check.parameters:
        key = f'<span class="key">{escape(parameter.key)} </span>' if parameter.key else ""
        parts.append(f' <span class="param">{key}<bdi>{escape(parameter.value)}</bdi></span>')
    return Markup("".join(parts))  # noqa: S704  every value is escaped above


def make_skeleton(environment: Environment) -> str:
    """Return the template's row with a mark in each place that varies."""
    row = environment.get_template("row.html.j2").make_module().row  # type: ignore[attr-defined]  # a macro
    return str(row(*(f"\ue000{mark}\ue001" for mark in _PLACES))).strip()


class RowFiller:
    """Fills the row's skeleton."""

    def __init__(self, environment: Environment) -> None:
        self.skeleton = make_skeleton(environment)
        pieces = _PLACE.split(self.skeleton)
        self._fixed, self._marks = pieces[::2], pieces[1::2]

    def __call__(self, check: Check) -> Markup | None:
        """Return the row of a simple check; None for one that has more to show."""
        if not is_simple(check):
            return None
        last = check.attempts[-1]
        values = {
            "id": check.id,
            "seconds": str(last.took_s or 0),
            "outcome": last.outcome.value,
            "name": name_html(check),
            "took": describe_time(check),
            "kind": kind_class(check.kind),
        }
        filled = [self._fixed[0]]
        for mark, fixed in zip(self._marks, self._fixed[1:], strict=True):
            filled += (values[mark], fixed)
        return Markup("".join(filled))  # noqa: S704  ids, numbers and words of our own; the name is escaped
