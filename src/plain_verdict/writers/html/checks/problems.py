"""What went wrong, in a check or in a step of it."""

from collections.abc import Iterator

from plain_verdict.model import Outcome, Problem
from plain_verdict.text.cleaning import headline
from plain_verdict.writers.html.checks.escaping import escaped
from plain_verdict.writers.html.checks.texts import fold_html, pair_html


def problem_html(problem: Problem, cause_name: str = "") -> Iterator[str]:
    """Yield a problem; what its cause has told already is not told at length again."""
    head = headline(problem.message)
    where = f' <span class="where num"><bdi>{escaped(problem.place)}</bdi></span>' if problem.place else ""
    yield f'<p class="problem"><bdi>{escaped(head) or "No reason given."}</bdi>{where}</p>'
    yield from _values_html(problem)
    rest = _rest(problem, head)
    if rest and cause_name and head == cause_name:
        rest = f'<details class="fold"><summary>More of this failure</summary>{rest}</details>'
    yield rest
    if problem.detail:
        yield fold_html("At the place" if problem.place else "Stack and detail", problem.detail)


def _values_html(problem: Problem) -> Iterator[str]:
    if problem.expected is not None and problem.actual is not None:
        yield pair_html(problem.expected, problem.actual)
        return
    for label, value in (("Expected", problem.expected), ("Actual", problem.actual)):
        if value is not None:
            yield f'<p class="type"><span class="soft">{label}</span> <bdi>{escaped(value)}</bdi></p>'


def _rest(problem: Problem, head: str) -> str:
    """Return the message after its headline, and the type."""
    beyond = _beyond(problem, head)
    more = f'<pre class="more">{escaped(beyond)}</pre>' if beyond else ""
    if not problem.type:
        return more
    word = "Failure" if problem.outcome is Outcome.FAILED else "Error"
    return f'{more}<p class="type"><span class="soft">{word} of type</span> {escaped(problem.type)}</p>'


def _beyond(problem: Problem, head: str) -> str:
    """Return the message's lines after its headline, where the detail does not repeat them."""
    rest = problem.message.partition(head)[2].strip("\n") if head else ""
    return "" if rest.strip() and rest.strip() in problem.detail else rest
