"""Checks in order, of which the plain ones are columns: most of a large run have nothing but a name and a time.

A column of a million names is one text. A step that needs only what checks tell goes through ``detailed``; one that
needs a column takes it; every other one goes through all checks, which are made as they are asked for.
"""

from array import array
from bisect import bisect_left, bisect_right
from collections.abc import Callable, Collection, Iterable, Iterator, Sequence
from itertools import chain, pairwise, repeat
from math import isnan, nan
from operator import is_, itemgetter
from typing import Self, TypeVar, overload

from plain_verdict.model.check import Check
from plain_verdict.model.outcome import Outcome
from plain_verdict.model.plain_checks import Columns, PlainChecks

_RANK = {outcome: rank for rank, outcome in enumerate(Outcome)}
Column = TypeVar("Column")


class Checks(Sequence[Check]):
    """Checks in order. ``detailed`` are those that are not plain; before each stand so many ``plain`` ones."""

    __slots__ = ("_plain_number", "before", "detailed", "plain")

    def __init__(
        self, detailed: Sequence[Check] = (), before: Sequence[int] = (), plain: Sequence[PlainChecks] = ()
    ) -> None:
        self.detailed = tuple(detailed)
        self.before = before if isinstance(before, array) else array("q", before)
        self.plain = tuple(plain)
        self._plain_number = sum(part.number for part in self.plain)

    @classmethod
    def of(cls, checks: Iterable[Check]) -> Self:
        """Return checks as they are kept: plain ones as columns, but for one alone between other suites."""
        if isinstance(checks, cls):
            return checks
        building = Columns()
        for check in checks:
            building.add(check)
        building.close()
        return cls(building.detailed, building.before, building.plain)

    @classmethod
    def joined(cls, parts: Iterable[Sequence[Check]]) -> Self:
        """Return the checks of several parts, one after the other."""
        detailed: list[Check] = []
        before = array("q")
        plain: list[PlainChecks] = []
        number = 0
        for part in parts:
            if isinstance(part, Checks):
                detailed += part.detailed
                before.extend([number + standing for standing in part.before] if number else part.before)
                plain += part.plain
                number += part.plain_number
            else:
                detailed += part
                before.extend(repeat(number, len(part)))
        return cls(detailed, before, plain)

    @property
    def plain_number(self) -> int:
        """Return how many are plain."""
        return self._plain_number

    def __len__(self) -> int:
        return self._plain_number + len(self.detailed)

    def __iter__(self) -> Iterator[Check]:
        if not self.plain:
            return iter(self.detailed)
        return self._each()

    def _each(self) -> Iterator[Check]:
        plain = chain.from_iterable(part.each() for part in self.plain)
        number = 0
        for check, standing in zip(self.detailed, self.before, strict=True):
            while number < standing:
                yield next(plain)
                number += 1
            yield check
        yield from plain

    @overload
    def __getitem__(self, position: int) -> Check: ...
    @overload
    def __getitem__(self, position: slice) -> tuple[Check, ...]: ...
    def __getitem__(self, position: int | slice) -> Check | tuple[Check, ...]:
        """Return a check, or several."""
        if not self.plain:
            return self.detailed[position]
        if isinstance(position, slice):
            first, end, step = position.indices(len(self))
            if not first and step == 1 and end <= len(self.detailed) and not any(self.before[:end]):
                return self.detailed[:end]
            return tuple(self.part(first, end))[::step] if step > 0 else tuple(self)[position]
        at = range(len(self))[position]
        return next(iter(self.part(at, at + 1)))

    def __eq__(self, other: object) -> bool:
        if not isinstance(other, Checks | tuple | list):
            return NotImplemented
        return len(self) == len(other) and all(mine == its for mine, its in zip(self, other, strict=True))

    __hash__ = None  # type: ignore[assignment]  # as of a list: it is compared check by check

    def __repr__(self) -> str:
        return f"Checks({len(self.detailed)} detailed, {self._plain_number} plain)"

    def numbered(self) -> Iterator[tuple[int, Check]]:
        """Yield those that are not plain, each with its place among all."""
        for order, (check, standing) in enumerate(zip(self.detailed, self.before, strict=True)):
            yield order + standing, check

    def column(
        self, of_plain: Callable[[PlainChecks], Iterable[Column]], of_detailed: Callable[[Check], Column]
    ) -> list[Column]:
        """Return a value for each check, in order."""
        return self.woven(
            list(chain.from_iterable(map(of_plain, self.plain))), list(map(of_detailed, self.detailed))
        )

    def woven(self, plain: list[Column], detailed: Sequence[Column]) -> list[Column]:
        """Return the values of plain checks and those of the others in the order of the checks."""
        if not detailed:
            return plain
        woven: list[Column] = []
        stretches = pairwise((0, *self.before, self._plain_number))
        for value, (first, end) in zip(detailed, stretches, strict=False):
            if first != end:
                woven += plain[first:end]
            woven.append(value)
        return woven + plain[self.before[-1] :]

    def ids(self) -> list[str]:
        """Return the ids."""
        return self.column(PlainChecks.each_id, lambda check: check.id)

    def last_times_s(self) -> list[float]:
        """Return the time of each check's attempt that counts, in seconds; not a number where it tells none."""

        def of_detailed(check: Check) -> float:
            took_s = check.attempts[-1].took_s
            return nan if took_s is None else took_s

        return self.column(PlainChecks.each_time_s, of_detailed)

    def times_s(self) -> list[float]:
        """Return the time of each attempt that tells it, in seconds and in order."""
        times: list[float] = []
        plain = list(chain.from_iterable(part.each_time_s() for part in self.plain))
        number = 0
        for check, standing in zip(self.detailed, self.before, strict=True):
            times += plain[number:standing]
            times += [attempt.took_s for attempt in check.attempts if attempt.took_s is not None]
            number = standing
        times += plain[number:]
        # Most runs tell all times: only a sum says so as fast as it has to be.
        return [took_s for took_s in times if not isnan(took_s)] if isnan(sum(plain)) else times

    def lines(self, of_plain: Callable[[PlainChecks], str], of_detailed: Callable[[Check], str]) -> str:
        """Return a line for each check; ``of_plain`` gives those of plain ones, with a line end between them."""
        lines: list[str] = []
        others = zip(self.detailed, self.before, strict=True)
        following = next(others, None)
        number = 0
        for part in self.plain:
            text, first, number = of_plain(part), number, number + part.number
            done = 0
            while following and following[1] < number:
                standing = following[1] - first
                if standing > done:
                    lines += text.split("\n")[done:standing]
                    done = standing
                lines.append(of_detailed(following[0]))
                following = next(others, None)
            lines += text.split("\n")[done:] if done else [text]
        while following:
            lines.append(of_detailed(following[0]))
            following = next(others, None)
        return "\n".join(lines)

    def named(self, ids: Collection[str]) -> Iterator[Check]:
        """Yield the checks that have one of these ids, in order."""
        if not ids:
            return
        wanted = frozenset(ids)
        found = [(position, check) for position, check in self.numbered() if check.id in wanted]
        number = 0
        for part in self.plain:
            hits = [at for at, id_ in enumerate(part.each_id()) if id_ in wanted]
            numbers = (number + at for at in hits)
            found += zip((at + bisect_right(self.before, at) for at in numbers), part.some(hits), strict=True)
            number += part.number
        yield from (check for _, check in sorted(found, key=itemgetter(0)))

    def with_detailed(self, detailed: Sequence[Check]) -> Self:
        """Return the checks with others in place of those that are not plain; the same where they are the same."""
        if all(new is old for new, old in zip(detailed, self.detailed, strict=True)):
            return self
        return type(self)(detailed, self.before, self.plain)

    def part(self, first: int, end: int) -> Self:
        """Return the checks from one place to before another."""
        orders = range(len(self.detailed))

        def order_at(position: int) -> int:
            return bisect_left(orders, position, key=lambda order: self.before[order] + order)

        low_order, high_order = order_at(first), order_at(end)
        plain_first, plain_end = first - low_order, end - high_order
        plain: list[PlainChecks] = []
        number = 0
        for part in self.plain:
            low, high = max(plain_first - number, 0), min(plain_end - number, part.number)
            if low < high:
                plain.append(part.part(low, high))
            number += part.number
        before = [standing - plain_first for standing in self.before[low_order:high_order]]
        return type(self)(self.detailed[low_order:high_order], before, plain)

    def by_suite(self) -> "dict[tuple[str, ...], Checks]":
        """Return the checks of each suite, suites in the order of their first checks."""
        suites: dict[tuple[str, ...], _Building] = {}
        others = zip(self.detailed, self.before, strict=True)
        following = next(others, None)
        number = 0
        for part in self.plain:
            of_part = None
            while following and following[1] < number + part.number:
                check, standing = following
                if of_part is None and standing > number:
                    of_part = suites.setdefault(part.suite, _Building())
                inside = standing - number if check.suite == part.suite else 0
                suites.setdefault(check.suite, _Building()).add(check, inside)
                following = next(others, None)
            suites.setdefault(part.suite, _Building()).add_plain(part)
            number += part.number
        while following:
            suites.setdefault(following[0].suite, _Building()).add(following[0], 0)
            following = next(others, None)
        return {suite: building.checks() for suite, building in suites.items()}

    def gravest_first(self) -> "Checks":
        """Return the checks by their outcomes, the gravest first, those of one outcome in their order."""
        ranked = sorted(
            zip(self.detailed, self.before, strict=True), key=lambda pair: _RANK[pair[0].attempts[-1].outcome]
        )
        # What passed comes last, as plain ones do.
        before = [standing if check.attempts[-1].outcome is Outcome.PASSED else 0 for check, standing in ranked]
        return Checks([check for check, _ in ranked], before, self.plain)


class _Building:
    """The checks of a suite while they are found."""

    def __init__(self) -> None:
        self._detailed: list[Check] = []
        self._before: list[int] = []
        self._plain: list[PlainChecks] = []
        self._number = 0

    def add(self, check: Check, inside: int) -> None:
        """Add a check that stands behind so many of the plain ones that come next."""
        self._detailed.append(check)
        self._before.append(self._number + inside)

    def add_plain(self, part: PlainChecks) -> None:
        """Add plain checks."""
        self._plain.append(part)
        self._number += part.number

    def checks(self) -> Checks:
        """Return them."""
        return Checks(self._detailed, self._before, self._plain)


def changed_checks(checks: Sequence[Check], change: Callable[[Check], Check]) -> Checks:
    """Return checks with each of them changed; the same where none was."""
    each = list(checks)
    changed = list(map(change, each))
    return as_columns(checks) if all(map(is_, each, changed)) else Checks.of(changed)


def changed_details(checks: Sequence[Check], change: Callable[[Check], Check]) -> Checks:
    """Return checks with those of them changed that are not plain; the same where none was."""
    packed = as_columns(checks)
    return packed.with_detailed(list(map(change, packed.detailed)))


def as_columns(checks: Sequence[Check]) -> Checks:
    """Return checks as columns; all are detailed, where they are none yet."""
    return checks if isinstance(checks, Checks) else Checks(checks, [0] * len(checks))


def detailed_of(checks: Sequence[Check]) -> Sequence[Check]:
    """Return those of some checks that are not plain; all, where they are no columns."""
    return checks.detailed if isinstance(checks, Checks) else checks
