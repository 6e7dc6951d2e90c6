"""The measures that conditions can bound.

To add one: a row in its file's ``MEASURES``, or a new file and its row here.
"""

from plain_verdict.judging.measures import counts, rates, times
from plain_verdict.judging.measures.interface import CheckedScope, Measure
from plain_verdict.judging.measures.rates import PASS_RATE

__all__ = ["MEASURES", "PASS_RATE", "CheckedScope", "Measure", "measure_named"]

MEASURES: tuple[Measure, ...] = (*counts.MEASURES, *rates.MEASURES, *times.MEASURES)
"""Every measure, in the order in which the docs list them."""


def measure_named(name: str) -> Measure:
    """Return the measure of a name. Raises KeyError."""
    return {measure.name: measure for measure in MEASURES}[name]
