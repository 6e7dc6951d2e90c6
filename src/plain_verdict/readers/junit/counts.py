"""Compares the counts that a JUnit suite announces in its attributes with what it holds."""

from collections.abc import Mapping

import msgspec

from plain_verdict.model import Outcome
from plain_verdict.readers.junit.tree import Node
from plain_verdict.text.cleaning import single_line
from plain_verdict.text.formatting import join_list, plural

_MOST_DIGITS, _SHOWN_CHARS = 11, 24  # a count of more digits is none


class Counts:
    """How many cases, reruns, problems (failures and errors) and skips there are; grows while a suite is read."""

    __slots__ = ("cases", "problems", "reruns", "skips")

    def __init__(self) -> None:
        self.cases = 0
        self.reruns = 0
        self.problems = 0
        self.skips = 0

    def add_outcome(self, outcome: Outcome) -> None:
        """Count how a case ended."""
        self.problems += outcome is Outcome.FAILED or outcome is Outcome.ERRORED
        self.skips += outcome is Outcome.SKIPPED

    def add(self, other: "Counts") -> None:
        """Add another's counts to these."""
        self.cases += other.cases
        self.reruns += other.reruns
        self.problems += other.problems
        self.skips += other.skips


class Announced(msgspec.Struct, frozen=True):
    """What a suite announces; None for what it doesn't tell. ``problems`` are failures and errors together.

    ``none_failed``: it says itself that nothing in it failed, and nothing errored.
    """

    cases: int | None
    problems: int | None
    skipped: int | None
    disabled: int
    none_failed: bool
    odd: tuple[str, ...] = ()
    """Counts that are no plain digits, as they stand."""


class Disagreement(msgspec.Struct, frozen=True):
    """How a suite's announcement differs from what it holds, in words.

    ``promises``: it announces failures or cases that are not there, so results may be missing.
    """

    words: str
    promises: bool


def read_announced(element: Node) -> Announced:
    """Return what a suite's attributes announce."""
    attributes = {key.rpartition("}")[2].lower(): value.strip() for key, value in element.attributes.items()}
    odd = [(name, attributes[name]) for name in _COUNTED if _is_odd(attributes.get(name, ""))]
    return Announced(
        _number(attributes, "tests"),
        _number(attributes, "failures", "errors"),
        _number(attributes, "skipped", "skips", "ignored"),
        _number(attributes, "disabled") or 0,
        _number(attributes, "failures") == 0 and _number(attributes, "errors") == 0,
        tuple(f"{name} “{single_line(text, _SHOWN_CHARS)}”" for name, text in odd),
    )


_COUNTED = ("tests", "failures", "errors")
"""Counts that may tell of a failure."""


def _is_odd(text: str) -> bool:
    """Return whether a count is written so that one reader takes it for another number than the next."""
    return bool(text) and not (text.isascii() and text.isdigit() and len(text) <= _MOST_DIGITS)


def _number(attributes: Mapping[str, str], *names: str) -> int | None:
    """Return the sum of those attributes that hold a number, or None if none does."""
    texts = [attributes.get(name, "") for name in names]
    numbers = [int(text) for text in texts if text and not _is_odd(text)]
    return sum(numbers) if numbers else None


def disagreement(
    announced: Announced, inside: Counts, direct: Counts, children: int, bad_children: int
) -> Disagreement | None:
    """Return how the announced counts differ from the content, or None where they agree.

    Runners count differently: all cases inside, with or without reruns, or only the suite's own, with nested
    suites as one each. Failures and errors are compared together. A count that fits any of these agrees.
    """
    differences = (
        _of_cases(announced, inside, direct, children),
        _of_problems(announced, inside, direct, bad_children),
        _of_skips(announced, inside, direct),
    )
    found = [difference for difference in differences if difference]
    if announced.odd:
        return Disagreement(f"announces {join_list(announced.odd)}, which is not a plain number", promises=True)
    if not found:
        return None
    announces = join_list([difference.announced for difference in found])
    holds = join_list([difference.held for difference in found])
    words = f"announces {announces}, but holds {holds}"
    return Disagreement(words, any(difference.promises for difference in found))


class _Difference(msgspec.Struct, frozen=True):
    """One number that differs: as announced, as it is, and whether results may be missing."""

    announced: str
    held: str
    promises: bool = False


def _of_cases(announced: Announced, inside: Counts, direct: Counts, children: int) -> _Difference | None:
    fitting = {inside.cases, inside.cases - inside.reruns, direct.cases, direct.cases + children}
    if announced.cases is None or announced.cases in fitting:
        return None
    # Some runners count the parts of a case. Where the suite says that nothing in it failed, no failure can be
    # among those that are not there.
    promises = announced.cases > max(fitting) and not announced.none_failed
    return _Difference(plural(announced.cases, "check"), f"{inside.cases:,}", promises)


def _of_problems(announced: Announced, inside: Counts, direct: Counts, bad_children: int) -> _Difference | None:
    # A suite may count each suite inside it that failed as one failure.
    nested = range(direct.problems, direct.problems + bad_children + 1)
    problems = announced.problems
    if problems is None or problems == inside.problems or problems in nested:
        return None
    return _Difference(f"{problems:,} failed or errored", f"{inside.problems:,}", problems > inside.problems)


def _of_skips(announced: Announced, inside: Counts, direct: Counts) -> _Difference | None:
    # Some runners count what is disabled among the skipped as well.
    fitting = {counts.skips - extra for counts in (inside, direct) for extra in (0, announced.disabled)}
    if announced.skipped is None or announced.skipped in fitting:
        return None
    return _Difference(f"{announced.skipped:,} skipped", f"{inside.skips:,}")
