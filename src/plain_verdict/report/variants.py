"""The variants: how each browser, platform or region did, and the checks that differ between them."""

from collections import defaultdict

import msgspec

from plain_verdict.model import Check, Run, Tally, gravest, tally_of
from plain_verdict.text.formatting import plural

_GRID_ROWS = 40  # checks of a grid: a larger one is a table that nobody reads


class VariantGrid(msgspec.Struct, frozen=True):
    """One fact's values with a tally each, and the checks that differ: a cell a value, None if absent."""

    fact: str
    values: tuple[str, ...]
    tallies: tuple[Tally, ...]
    rows: tuple[tuple[Check, tuple[Check | None, ...]], ...]
    hidden_rows: int
    alike: int

    @property
    def alike_note(self) -> str:
        """Return a sentence on the checks that do not differ."""
        return f"{plural(self.alike, 'check')} {'has' if self.alike == 1 else 'have'} one outcome in all variants."


def make_variant_grids(run: Run) -> tuple[VariantGrid, ...]:
    """Return a grid for each fact that has several values."""
    facts: dict[str, dict[str, list[Check]]] = defaultdict(lambda: defaultdict(list))
    for check in run.checks.detailed:
        for fact in check.variant:
            facts[fact.key][fact.value].append(check)
    return tuple(_grid(fact, values) for fact, values in facts.items())


def _grid(fact: str, values: dict[str, list[Check]]) -> VariantGrid:
    names = tuple(sorted(values))
    compared = [cells for cells in _rows(fact, values) if len(cells) > 1]
    differing = [cells for cells in compared if len({check.outcome for check in cells.values()}) > 1]
    rows = [(next(iter(cells.values())), tuple(cells.get(value) for value in names)) for cells in differing]
    rows.sort(key=lambda row: (row[0].suite, row[0].title))
    return VariantGrid(
        fact,
        names,
        tuple(tally_of(values[value]) for value in names),
        tuple(rows[:_GRID_ROWS]),
        max(0, len(rows) - _GRID_ROWS),
        len(compared) - len(differing),
    )


def _rows(fact: str, values: dict[str, list[Check]]) -> list[dict[str, Check]]:
    """Return the check of each value by the value, for each check that differs in nothing but this fact."""
    cells: dict[tuple[object, ...], dict[str, Check]] = defaultdict(dict)
    for value in sorted(values):
        for check in values[value]:
            others = tuple(other for other in check.variant if other.key != fact)
            row = cells[check.suite, check.title, others]
            # Of several with one name, the one that matters most.
            if value not in row or gravest((row[value].outcome, check.outcome)) is not row[value].outcome:
                row[value] = check
    return list(cells.values())
