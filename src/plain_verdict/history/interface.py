"""What is kept of a run, and what a place is that keeps it."""

from collections.abc import Iterator, Sequence
from datetime import datetime
from types import TracebackType
from typing import Protocol, Self

from plain_verdict.model import Build, KeptRun

CHAIN = 30
"""How many forerunners a page carries, and how many builds are looked at."""
TREND_BUILDS = 200
"""The most builds of a trend."""
NAME_CHARS = 300  # of a check in a store: longer ones are generated, and differ at their beginning


class Store(Protocol):
    """A place that keeps runs. Everything raises HistoryError."""

    def runs_before(self, series: str, moment: datetime, most: int) -> list[KeptRun]:
        """Return the last runs of a series before a moment, the oldest first."""
        ...

    def builds(self) -> list[Build]:
        """Return all runs without their checks, the oldest first."""
        ...

    def builds_between(self, first: datetime, last: datetime) -> list[Build]:
        """Return the runs of all series from one moment to another, without their checks, the oldest first."""
        ...

    def run(self, id_: str) -> KeptRun | None:
        """Return one run."""
        ...

    def runs(self, ids: Sequence[str]) -> Iterator[KeptRun]:
        """Yield some runs, those of the same checks with one roster; those that are gone are left out."""
        ...

    def add(self, run: KeptRun) -> bool:
        """Keep a run; return False where it is kept already."""
        ...

    def forget(self, before: datetime) -> int:
        """Remove the runs before a moment; return how many."""
        ...

    def __enter__(self) -> Self: ...

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None: ...
