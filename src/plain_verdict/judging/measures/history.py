"""Measures of what changed since earlier runs: so that known failures may go on, and new ones stop the line.

Without an earlier run nothing says that a failure is old: then each counts as new.
"""

from collections.abc import Iterator

from plain_verdict.judging.measures.interface import COUNT, CheckedScope, Measure
from plain_verdict.model import BAD, Check, as_columns, detailed_of
from plain_verdict.text.formatting import plural


def _failures(scope: CheckedScope) -> Iterator[Check]:
    """Yield what failed or errored and is not waived."""
    return (
        check
        for check in detailed_of(scope.checks)
        if check.attempts[-1].outcome in BAD and not scope.is_waived(check)
    )


def _new(scope: CheckedScope) -> float:
    known = scope.since.going_on if scope.since else {}
    return sum(check.id not in known for check in _failures(scope))


def _describe_new(scope: CheckedScope, number: float) -> str:
    unknown = "" if scope.since else ": no earlier run to compare with" if number else ""
    again = int(_failing_again(scope))
    aside = f", {again:,} of them failing again" if again else ""
    return f"{plural(int(number), 'new failure')}{aside}{unknown}"


def _failing_again(scope: CheckedScope) -> float:
    """Return how many new failures had failed in earlier builds, but not in the last."""
    known = {change.id for change in scope.since.failing_again} if scope.since else set()
    return sum(check.id in known for check in _failures(scope))


def _going_on(scope: CheckedScope) -> float:
    """Return in how many builds in a row the longest failure failed."""
    known = scope.since.going_on if scope.since else {}
    return max((known.get(check.id, 1) for check in _failures(scope)), default=0)


def _flaky(scope: CheckedScope) -> float:
    return _inside(scope, [flakiness.id for flakiness in scope.since.flaky] if scope.since else [])


def _slower(scope: CheckedScope) -> float:
    return _inside(scope, [change.id for change in scope.since.slower if change.id] if scope.since else [])


def _inside(scope: CheckedScope, ids: list[str]) -> int:
    """Return how many of some checks are in a scope."""
    if not ids:
        return 0
    inside = set(as_columns(scope.checks).ids())
    return sum(id_ in inside for id_ in ids)


NEW_FAILURES = Measure("new failures", COUNT, _new, _describe_new)
MEASURES = (
    NEW_FAILURES,
    Measure(
        "failures going on for builds",
        COUNT,
        _going_on,
        lambda _, number: f"the longest lasts {plural(int(number), 'build')}" if number else "no failure goes on",
    ),
    Measure("failing again", COUNT, _failing_again, lambda _, number: f"{number:,.0f} failing again"),
    Measure("flaky in history", COUNT, _flaky, lambda _, number: f"{number:,.0f} flaky in history"),
    Measure("slower checks", COUNT, _slower, lambda _, number: f"{number:,.0f} slower than before"),
)
