"""Flaky checks, and incidents: checks that fail in the same builds together. Numbers only.

A check is flaky where its outcome changes by itself: on a retry, on the same code, or in a pattern that random
failures explain better than code that breaks and is fixed. Builds of an incident are left out of that.
"""

import math
from collections import Counter
from collections.abc import Iterable, Iterator, Mapping, Sequence
from functools import lru_cache
from itertools import pairwise

import msgspec

from plain_verdict.model import Past

FLAKINESS_BUILDS = 20
"""The most builds that a statement on flakiness rests on."""
LEAST_RUNS = 5
"""The fewest runs from which a check is called flaky."""
_LIKELIER = math.log(2)
"""How much likelier chance must be than breaking and fixing, as a logarithm."""
_FAILS_BY_CHANCE = (1.5, 5.0)
_BREAKS, _FIXED = (1.0, 30.0), (2.0, 3.0)
"""What is expected before anything is seen, as beta distributions: that a flaky check fails in 20 % of its runs;
that a build breaks a check in 3 %, and that the next build fixes it in 40 %.
"""
_SAME_CODE_TURNS = 1e-3
"""How likely an outcome changes on the same code where the check is not flaky: the machine, or the data,
changed."""
RAN = "pfer"
_GOOD_LETTERS = "pr"
_LEAST_CHECKS, _LEAST_BUILDS = 3, 2
"""Checks and builds of an incident; two checks alone need the builds below."""
_PAIR_BUILDS = 4
_ALIKE_BUILDS = 0.6
"""Of the builds in which either of two checks failed, the share in which both did, from which on they belong
together."""
_MOST_PATTERNS = 1_000
"""Patterns of builds that are compared with each other; of more, only those that are equal are joined."""


class Unsteady(msgspec.Struct, frozen=True):
    """In how many of its runs a check failed or needed a retry, and why that is called flaky."""

    unsteady: int
    runs: int
    retries: int
    turns: int
    """How often its outcome changed."""
    same_code: int
    """How often it did so though the code was the same."""


def find_flakiness(outcomes: Sequence[str], commits: Sequence[str]) -> Unsteady | None:
    """Return how a check is flaky, from its outcomes in the order of time; None where it is not.

    ``commits`` is the code of each run, "" where nothing names it.
    """
    ran = [pair for pair in zip(outcomes, commits, strict=True) if pair[0] in RAN][-FLAKINESS_BUILDS:]
    if len(ran) < LEAST_RUNS:
        return None
    letters = [outcome for outcome, _ in ran]
    retries = letters.count(Past.PASSED_ON_RETRY)
    turns = [(before[1], after[1]) for before, after in pairwise(ran) if _passed(before) != _passed(after)]
    same_code = sum(before == after != "" for before, after in turns)
    if not retries and not _fails_by_chance(tuple(ran), same_code):
        return None
    return Unsteady(len(ran) - letters.count(Past.PASSED), len(ran), retries, len(turns), same_code)


def _fails_by_chance(ran: tuple[tuple[str, str], ...], same_code: int) -> bool:
    failed = sum(not _passed(run) for run in ran)
    return bool(same_code or failed > 1) and _chance_against_code(ran) >= _LIKELIER


def _passed(run: tuple[str, str]) -> bool:
    return run[0] in _GOOD_LETTERS


@lru_cache(maxsize=10_000)
def _chance_against_code(ran: tuple[tuple[str, str], ...]) -> float:
    """Return how much likelier it is that runs fail at random than that code breaks and is fixed.

    The logarithm of a Bayes factor: independent runs against a chain of two states, which keeps its state on the
    same code.
    Source: Kass & Raftery 1995, JASA 90(430), section 3.2 (20 and more is strong evidence).
    """
    failed = sum(not _passed(run) for run in ran)
    chance = _log_beta(_FAILS_BY_CHANCE, failed, len(ran) - failed)
    counts: Counter[tuple[bool, bool]] = Counter()
    turned_by_itself = 0
    for before, after in pairwise(ran):
        if before[1] and before[1] == after[1]:
            turned_by_itself += _passed(before) != _passed(after)
        else:
            counts[_passed(before), _passed(after)] += 1
    code = math.log(0.5) if not _passed(ran[0]) else math.log(0.9)
    code += _log_beta(_BREAKS, counts[True, False], counts[True, True])
    code += _log_beta(_FIXED, counts[False, True], counts[False, False])
    return chance - code - turned_by_itself * math.log(_SAME_CODE_TURNS)


def _log_beta(expected: tuple[float, float], happened: int, did_not: int) -> float:
    """Return the logarithm of the probability of so many events in one order; their share is beta-distributed."""
    yes, no = expected

    def log_of(a: float, b: float) -> float:
        return math.lgamma(a) + math.lgamma(b) - math.lgamma(a + b)

    return log_of(yes + happened, no + did_not) - log_of(yes, no)


class CommonFailure(msgspec.Struct, frozen=True):
    """Checks, by position, that fail in the same builds together; ``builds`` are numbers of columns, in order."""

    positions: tuple[int, ...]
    builds: tuple[int, ...]


def find_common_failures(failed: Mapping[int, int]) -> list[CommonFailure]:
    """Return which checks fail together, the largest groups first.

    ``failed`` has a bit for each build in which a check failed, by position, of checks that passed in others.
    """
    by_pattern: dict[int, list[int]] = {}
    for position, pattern in failed.items():
        if pattern.bit_count() >= _LEAST_BUILDS:
            by_pattern.setdefault(pattern, []).append(position)
    groups = (_common_failure(joined, by_pattern) for joined in _alike(by_pattern))
    found = [group for group in groups if group]
    return sorted(found, key=lambda group: (-len(group.positions) * len(group.builds), group.positions))


def _alike(by_pattern: Mapping[int, Sequence[int]]) -> Iterator[list[int]]:
    """Yield patterns that belong together: what most checks share leads, and what is alike joins it."""
    left = sorted(by_pattern, key=lambda pattern: -len(by_pattern[pattern]))
    # Comparing all with each other would take long in a run of which most fails.
    if len(left) > _MOST_PATTERNS:
        yield from ([pattern] for pattern in left)
        return
    while left:
        joined = [other for other in left if _likeness(left[0], other) >= _ALIKE_BUILDS]
        yield joined
        gone = frozenset(joined)
        left = [other for other in left if other not in gone]


def _common_failure(joined: Sequence[int], by_pattern: Mapping[int, Sequence[int]]) -> CommonFailure | None:
    """Return the checks of some patterns as a group; None where so few may be alike at random."""
    positions = sorted(position for pattern in joined for position in by_pattern[pattern])
    builds = _bits(_most_common([pattern for pattern in joined for _ in by_pattern[pattern]]))
    if len(positions) >= _LEAST_CHECKS:
        is_group = len(builds) >= _LEAST_BUILDS
    else:
        is_group = len(positions) > 1 and len(joined) == 1 and len(builds) >= _PAIR_BUILDS
    return CommonFailure(tuple(positions), builds) if is_group else None


def _likeness(pattern: int, other: int) -> float:
    """Return the share of the builds of either that both have. Source: Jaccard 1912, New Phytologist 11(2)."""
    return (pattern & other).bit_count() / (pattern | other).bit_count()


def _most_common(patterns: Sequence[int]) -> int:
    """Return the builds that most of some patterns have."""
    counts = Counter(bit for pattern in patterns for bit in _bits(pattern))
    return sum(1 << bit for bit, count in counts.items() if 2 * count > len(patterns))


def _bits(pattern: int) -> tuple[int, ...]:
    return tuple(bit for bit in range(pattern.bit_length()) if pattern >> bit & 1)


def without_incidents(letters: str, builds: Iterable[int]) -> str:
    """Return outcomes with those in the builds of an incident taken for ones that did not happen."""
    found = list(letters)
    for build in builds:
        found[build] = Past.ABSENT
    return "".join(found)
