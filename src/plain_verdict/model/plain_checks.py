"""Plain checks as columns: of most checks of a large run nothing is known but a name and a time."""

from array import array
from collections.abc import Iterator, Sequence
from itertools import compress, repeat
from math import isnan, nan

import msgspec

from plain_verdict.model.check import Check, passed_in
from plain_verdict.model.outcome import Kind, Outcome

_AFTER_ATTEMPTS = Check.__struct_fields__.index("attempts") + 1
_NOTHING_MORE = Check.__struct_defaults__  # of all fields after the attempts
_FEWEST_IN_COLUMNS = 2  # a column of one check, as of suites that run side by side, costs more than the check


class PlainChecks(msgspec.Struct, frozen=True):
    """Plain checks of one suite, one after the other: each passed at its only attempt, and nothing else is known.

    Ids and names are texts with a line end between them; ``took_s`` are floats of 64 bits as the machine has them,
    not a number where no time is known.
    """

    kind: Kind
    suite: tuple[str, ...]
    number: int
    ids: str
    names: str
    took_s: bytes

    def each_id(self) -> list[str]:
        """Return the ids."""
        return self.ids.split("\n")

    def each_name(self) -> list[str]:
        """Return the names."""
        return self.names.split("\n")

    def each_time_s(self) -> list[float]:
        """Return the times in seconds, ``math.nan`` itself for none."""
        packed = array("d")
        packed.frombytes(self.took_s)
        times = packed.tolist()
        return [nan if isnan(took_s) else took_s for took_s in times] if isnan(sum(times)) else times

    def each(self) -> Iterator[Check]:
        """Yield the checks."""
        columns = zip(self.each_id(), self.each_name(), self.each_time_s(), strict=True)
        yield from (self._check(*row) for row in columns)

    def some(self, numbers: Sequence[int]) -> Iterator[Check]:
        """Yield those of these numbers."""
        if numbers:
            each = list(zip(self.each_id(), self.each_name(), self.each_time_s(), strict=True))
            yield from (self._check(*each[number]) for number in numbers)

    def _check(self, id_: str, name: str, took_s: float) -> Check:
        return Check(id_, self.kind, self.suite, name, passed_in(None if isnan(took_s) else took_s))

    def part(self, first: int, end: int) -> "PlainChecks":
        """Return those from one number to before another."""
        if first == 0 and end >= self.number:
            return self
        ids, names = (each[first:end] for each in (self.each_id(), self.each_name()))
        return _plain_columns(self.kind, self.suite, ids, names, self.each_time_s()[first:end])


def _plain_columns(
    kind: Kind, suite: tuple[str, ...], ids: Sequence[str], names: Sequence[str], took_s: Sequence[float]
) -> PlainChecks:
    return PlainChecks(kind, suite, len(ids), "\n".join(ids), "\n".join(names), array("d", took_s).tobytes())


def _packed(checks: Sequence[Check]) -> PlainChecks:
    """Return plain checks of one kind and suite as columns."""
    times = [check.attempts[-1].took_s for check in checks]
    return _plain_columns(
        checks[0].kind,
        checks[0].suite,
        [check.id for check in checks],
        [check.name for check in checks],
        [nan if took_s is None else took_s for took_s in times],
    )


def _is_plain(check: Check) -> bool:
    """Return whether a check made of its columns equals it."""
    # A target of a load run is listed as such, whatever it tells. What most others have is looked at first.
    last = check.attempts[-1]
    return (
        last.started is None
        and last.outcome is Outcome.PASSED
        and "\n" not in check.name
        and check.kind is not Kind.LOAD
        and check.attempts == passed_in(last.took_s)
        and msgspec.structs.astuple(check)[_AFTER_ATTEMPTS:] == _NOTHING_MORE
    )


class Columns:
    """Checks while they are brought into columns."""

    def __init__(self) -> None:
        self.detailed: list[Check] = []
        self.before = array("q")
        self.plain: list[PlainChecks] = []
        self._number = 0
        self._group: tuple[Kind, tuple[str, ...]] | None = None
        self._open: list[Check] = []
        """The checks since the first of the group, and which of them are plain."""
        self._are_plain: list[bool] = []

    def add(self, check: Check) -> None:
        """Add a check."""
        is_plain = _is_plain(check)
        if is_plain and self._group != (check.kind, check.suite):
            self.close()
            self._group = (check.kind, check.suite)
        self._open.append(check)
        self._are_plain.append(is_plain)

    def close(self) -> None:
        """Take in that the plain checks that come belong to another suite, or that none come."""
        together = list(compress(self._open, self._are_plain))
        if len(together) < _FEWEST_IN_COLUMNS:
            self.detailed += self._open
            self.before.extend(repeat(self._number, len(self._open)))
        else:
            self.plain.append(_packed(together))
            for check, is_plain in zip(self._open, self._are_plain, strict=True):
                self._number += is_plain
                if not is_plain:
                    self.detailed.append(check)
                    self.before.append(self._number)
        self._open.clear()
        self._are_plain.clear()
