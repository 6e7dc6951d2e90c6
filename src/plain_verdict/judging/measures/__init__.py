"""The measures that conditions can bound.

To add one: a row in its file's ``MEASURES``, or a new file and its row here.
"""

from plain_verdict.judging.measures import calls, history, load, requirements, rules
from plain_verdict.judging.measures.checks import COUNTS, PASS_RATE, TIMES
from plain_verdict.judging.measures.extensions import extension_measure
from plain_verdict.judging.measures.history import NEW_FAILURES
from plain_verdict.judging.measures.interface import CheckedScope, Measure

__all__ = [
    "MEASURES",
    "NEW_FAILURES",
    "PASS_RATE",
    "CheckedScope",
    "Measure",
    "extension_measure",
    "is_of_calls",
    "measure_named",
]

MEASURES: tuple[Measure, ...] = (
    *COUNTS,
    *history.MEASURES,
    PASS_RATE,
    *TIMES,
    *calls.MEASURES,
    *load.MEASURES,
    *rules.MEASURES,
    *requirements.MEASURES,
)
"""Every measure of the program, in the order in which the docs list them."""


def is_of_calls(name: str) -> bool:
    """Return whether a measure of this name looks at the calls to an API."""
    return any(measure.name == name for measure in calls.MEASURES)


def measure_named(name: str) -> Measure:
    """Return the measure of a name, of the program or of an extension. Raises KeyError."""
    measure = {measure.name: measure for measure in MEASURES}.get(name) or extension_measure(name)
    if measure is None:
        raise KeyError(name)
    return measure
