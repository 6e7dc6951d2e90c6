"""Compares the counts that a JUnit suite announces in its attributes with what it holds."""

from collections.abc import Mapping
from typing import TYPE_CHECKING

import msgspec

from plain_verdict.text.formatting import join_list, plural

if TYPE_CHECKING:
    from lxml import etree


class Counts:
    """How many cases, reruns, problems (failures and errors) and skips there are; grows while a suite is read."""

    __slots__ = ("cases", "problems", "reruns", "skips")

    def __init__(self) -> None:
        self.cases = 0
        self.reruns = 0
        self.problems = 0
        self.skips = 0

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


class Disagreement(msgspec.Struct, frozen=True):
    """How a suite's announcement differs from what it holds, in words.

    ``promises``: it announces failures or cases that are not there, so results may be missing.
    """

    words: str
    promises: bool


def read_announced(element: "etree._Element") -> Announced:
    """Return what a suite's attributes announce."""
    attributes = {str(key).lower(): str(value) for key, value in element.items()}
    return Announced(
        _number(attributes, "tests"),
        _number(attributes, "failures", "errors"),
        _number(attributes, "skipped", "skips", "ignored"),
        _number(attributes, "disabled") or 0,
        _number(attributes, "failures") == 0 and _number(attributes, "errors") == 0,
    )


def _number(attributes: Mapping[str, str], *names: str) -> int | None:
    """Return the sum of those attributes that hold a number, or None if none does."""
    texts = [attributes.get(name, "").strip() for name in names]
    numbers = [int(text) for text in texts if text.isascii() and text.isdigit() and len(text) < 12]
    return sum(numbers) if numbers else None


def disagreement(
    announced: Announced, inside: Counts, direct: Counts, children: int, bad_children: int
) -> Disagreement | None:
    """Return how the announced counts differ from the content, or None where they agree.

    Runners count differently: all cases inside, with or without reruns, or only the suite's own, with nested
    suites as one each. Failures and errors are compared together. A count that fits any of these agrees.
    """
    said, found = [], []
    promises = False
    cases = announced.cases
    fitting = {inside.cases, inside.cases - inside.reruns, direct.cases, direct.cases + children}
    if cases is not None and cases not in fitting:
        said.append(plural(cases, "check"))
        found.append(f"{inside.cases:,}")
        # Some runners count the parts of a case. Where the suite says that nothing in it failed, no failure can be
        # among those that are not there.
        promises = cases > max(fitting) and not announced.none_failed
    problems = announced.problems
    # A suite may count each suite inside it that failed as one failure.
    nested = {direct.problems + extra for extra in range(bad_children + 1)}
    if problems is not None and problems != inside.problems and problems not in nested:
        said.append(f"{problems:,} failed or errored")
        found.append(f"{inside.problems:,}")
        promises = promises or problems > inside.problems
    skipped, disabled = announced.skipped, announced.disabled  # some runners count these among the skipped as well
    fitting_skips = {counts.skips - extra for counts in (inside, direct) for extra in (0, disabled)}
    if skipped is not None and skipped not in fitting_skips:
        said.append(f"{skipped:,} skipped")
        found.append(f"{inside.skips:,}")
    return Disagreement(f"announces {join_list(said)}, but holds {join_list(found)}", promises) if said else None
