"""Compares the counts that a JUnit suite announces in its attributes with what it holds."""

from typing import TYPE_CHECKING

from plain_verdict.words import listed

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


def _number(element: "etree._Element", *names: str) -> int | None:
    """Return the sum of those attributes that hold a number, or None if none does."""
    texts = [element.get(name, "").strip() for name in names]
    numbers = [int(text) for text in texts if text.isascii() and text.isdigit() and len(text) < 12]
    return sum(numbers) if numbers else None


def announced_cases(element: "etree._Element") -> int | None:
    """Return how many cases the suite announces."""
    return _number(element, "tests")


def disagreement(element: "etree._Element", inside: Counts, direct: Counts, children: int) -> str:
    """Return how the announced counts differ from the content, or "" where they agree.

    Runners count differently: all cases inside, with or without reruns, or only the suite's own, with nested
    suites as one each. Failures and errors are compared together. A count that fits any of these agrees.
    """
    said, found = [], []
    cases = announced_cases(element)
    fitting = {inside.cases, inside.cases - inside.reruns, direct.cases, direct.cases + children}
    if cases is not None and cases not in fitting:
        said.append(f"{cases:,} checks")
        found.append(f"{inside.cases:,}")
    problems = _number(element, "failures", "errors")
    nested = {direct.problems + extra for extra in range(children + 1)}
    if problems is not None and problems != inside.problems and problems not in nested:
        said.append(f"{problems:,} failed or errored")
        found.append(f"{inside.problems:,}")
    skipped = _number(element, "skipped", "skips", "ignored")
    disabled = _number(element, "disabled") or 0  # some runners count these among the skipped ones as well
    fitting_skips = {counts.skips - extra for counts in (inside, direct) for extra in (0, disabled)}
    if skipped is not None and skipped not in fitting_skips:
        said.append(f"{skipped:,} skipped")
        found.append(f"{inside.skips:,}")
    return f"announces {listed(said)}, but holds {listed(found)}" if said else ""
