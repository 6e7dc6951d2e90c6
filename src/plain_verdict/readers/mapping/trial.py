"""Shows how a mapping fits a file: how often each place found something, what it was, and what came of it."""

from collections import Counter
from typing import NamedTuple

from plain_verdict.inputs.source import Source
from plain_verdict.model import Check, Outcome, ReadingNote
from plain_verdict.readers.mapping.reader import MappingReading
from plain_verdict.settings.limits import Limits
from plain_verdict.settings.mappings import ResultMapping


class Matched(NamedTuple):
    """How one place of a mapping matched: in how many of the items that were looked at, and the first values."""

    key: str
    text: str
    hits: int
    lookups: int
    samples: tuple[str, ...]


class Trial(NamedTuple):
    """What came of trying a mapping on a file."""

    checks: tuple[Check, ...]
    items: int
    """Of the outermost level."""
    matched: tuple[Matched, ...]
    outcomes: Counter[tuple[str, Outcome]]
    """Values that stood there, what each means, and how often."""
    notes: tuple[ReadingNote, ...]


def try_mapping(mapping: ResultMapping, source: Source, limits: Limits) -> Trial:
    """Return how a mapping fits a file. Raises ReadError where it can't be read by it at all."""
    reading = MappingReading(mapping, source, limits)
    checks = reading.checks()
    matched = tuple(
        Matched(key, selector.text, selector.hits, selector.hits + selector.misses, tuple(selector.samples))
        for key, selector in reading.texts.selectors
    )
    return Trial(
        checks, reading.making.counts.outer, matched, reading.values.outcomes.values, tuple(reading.notes())
    )
