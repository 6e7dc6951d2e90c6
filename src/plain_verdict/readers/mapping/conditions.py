"""Which items a mapping takes: those whose values are wanted ones, or keep a condition."""

from collections.abc import Callable, Sequence

from plain_verdict.readers.mapping.outcomes import as_key, within
from plain_verdict.settings.mappings import Bounds, Condition, Scalar

FindTexts = Callable[[object], list[str]]
_Test = Callable[[Sequence[str]], bool]


class Conditions:
    """Whether an item keeps all conditions, each on the texts that stand at a place."""

    def __init__(
        self, conditions: Sequence[tuple[FindTexts | None, Scalar | tuple[Scalar, ...] | Condition]]
    ) -> None:
        self._tests = [(find, _test_of(wanted)) for find, wanted in conditions]

    def __call__(self, item: object) -> bool:
        """Return whether the item keeps them."""
        return all(fits(find(item) if find else ()) for find, fits in self._tests)


def _test_of(wanted: Scalar | tuple[Scalar, ...] | Condition) -> _Test:
    """Return what tells whether texts are as wanted: one of them is a value, or ``*`` and there is any."""
    if isinstance(wanted, Condition):
        return _all_of(list(_tests_of(wanted)))
    values = _keys_of(wanted)
    if "*" in values:
        return bool
    return lambda texts: any(as_key(text) in values for text in texts)


def _tests_of(condition: Condition) -> "Sequence[_Test]":
    tests: list[_Test] = []
    if condition.there is not None:
        tests.append(lambda texts: bool(texts) is condition.there)
    if condition.is_not != ():
        unwanted = _keys_of(condition.is_not)
        tests.append(lambda texts: not any(as_key(text) in unwanted for text in texts))
    for parts, holds in (
        (condition.begins_with, str.startswith),
        (condition.ends_with, str.endswith),
        (condition.contains, str.__contains__),
    ):
        if parts:
            tests.append(_any_part(parts, holds))
    bounds = Bounds(condition.at_least, condition.at_most, condition.above, condition.below)
    if bounds != Bounds():
        fits = within(bounds, "")
        tests.append(lambda texts: any(map(fits, texts)))
    return tests


def _any_part(parts: str | tuple[str, ...], holds: Callable[[str, str], bool]) -> _Test:
    folded = [part.casefold() for part in ((parts,) if isinstance(parts, str) else parts)]
    return lambda texts: any(holds(text.strip().casefold(), part) for text in texts for part in folded)


def _all_of(tests: Sequence[_Test]) -> _Test:
    return lambda texts: all(fits(texts) for fits in tests)


def _keys_of(values: Scalar | tuple[Scalar, ...]) -> frozenset[str]:
    return frozenset(as_key(value) for value in (values if isinstance(values, tuple) else (values,)))
