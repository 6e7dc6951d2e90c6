"""A measure for conditions: how many checks took longer than a minute."""

from plain_verdict.extension import COUNT, CheckedScope, Measure

SLOW_S = 60.0


def find(scope: CheckedScope) -> float | None:
    """Return how many checks took longer; None where no check tells how long it took."""
    return sum(took_s > SLOW_S for took_s in scope.times_s) if scope.times_s else None


def describe(_: CheckedScope, number: float) -> str:
    """Return the number in words."""
    return f"{number:,.0f} over {SLOW_S:.0f} s"


SLOW_CHECKS = Measure("slow checks", COUNT, find, describe, missing=lambda _: "no check tells how long it took")
