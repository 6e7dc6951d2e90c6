"""Measures of extensions: one that fails leaves its condition open."""

from collections.abc import Callable
from math import isfinite
from numbers import Real

from plain_verdict.extension.loading import Extension, calling, failed, find_named, load
from plain_verdict.judging.measures.interface import ALL_UNITS, Bound, CheckedScope, Measure
from plain_verdict.runtime.errors import ExtensionError
from plain_verdict.text.cleaning import single_line

_WORDS_CHARS = 300


class _AnyUnit:
    """The unit of a measure that could not be loaded: nobody knows what its bound means."""

    def read(self, number: float, unit: str, written: Bound) -> float:  # noqa: ARG002  as all units
        """Return the number as it is written."""
        return number

    def format(self, number: float) -> str:
        """Return the number."""
        return f"{number:g}"


class _Guarded:
    """A measure of an extension, asked so that what goes wrong in it becomes the reason of an open condition."""

    def __init__(self, extension: Extension, measure: Measure) -> None:
        self._extension = extension
        self._measure = measure
        self._trouble = ""

    def find(self, scope: CheckedScope) -> float | None:
        """Return the number; None where there is none, or where it can't be found."""
        self._trouble = ""
        try:
            with calling(self._extension):
                number = self._measure.find(scope)
            if number is None:
                return None
            if isinstance(number, Real) and isfinite(number):  # NumPy's as well
                return float(number)
            raise failed(self._extension, f"measured {number!r}, which is not a number")
        except ExtensionError as error:
            self._trouble = error.what
            return None

    def describe(self, scope: CheckedScope, number: float) -> str:
        """Return the number in the measure's own words, or else in those of its unit."""
        try:
            with calling(self._extension):
                return single_line(str(self._measure.describe(scope, number)), _WORDS_CHARS)
        except ExtensionError as error:
            return f"{self._measure.unit.format(number)} ({error.what})"

    def missing(self, scope: CheckedScope) -> str:
        """Return why nothing was measured."""
        return self._words(self._measure.missing, scope)

    def unsure(self, scope: CheckedScope) -> str:
        """Return why the number may be another."""
        return self._words(self._measure.unsure, scope)

    def _words(self, find: Callable[[CheckedScope], str], scope: CheckedScope) -> str:
        if self._trouble:
            return self._trouble
        try:
            with calling(self._extension):
                return single_line(str(find(scope)), _WORDS_CHARS)
        except ExtensionError as error:
            return error.what


def extension_measure(name: str) -> Measure | None:
    """Return the measure of an extension, None where none is called so.

    One that can't be loaded has no number, and says why.
    """
    extension = find_named("measures", name)
    if extension is None:
        return None
    try:
        return load_measure(extension)
    except ExtensionError as error:
        reason = error.what
        return Measure(name, _AnyUnit(), lambda _: None, lambda _, number: f"{number:g}", missing=lambda _: reason)


def load_measure(extension: Extension) -> Measure:
    """Return the measure that an extension adds, so that it can be asked safely. Raises ExtensionError."""
    measure = load(extension)
    if not isinstance(measure, Measure) or not isinstance(measure.unit, ALL_UNITS):
        raise failed(extension, "is not a Measure with a unit of the program")
    if not isinstance(measure.scope_keys, frozenset):
        raise failed(extension, "has scope keys that are not a frozenset")
    if measure.name != extension.name:
        raise failed(extension, f"calls itself “{measure.name}”")
    guarded = _Guarded(extension, measure)
    return Measure(
        measure.name,
        measure.unit,
        guarded.find,
        guarded.describe,
        measure.scope_keys,
        guarded.missing,
        guarded.unsure,
    )
