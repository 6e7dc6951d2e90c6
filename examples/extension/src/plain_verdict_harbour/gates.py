"""A section of the page: each gate with its checks and the slowest of them."""

from plain_verdict.extension import Block, Cell, Check, Report, Section, Table, Text


def build(report: Report) -> list[Block] | None:
    """Return a table of the gates; None for a run without any."""
    gates: dict[str, list[Check]] = {}
    for check in report.run.checks:
        if check.suite and check.suite[0].endswith(" gate"):
            gates.setdefault(check.suite[0], []).append(check)
    if not gates:
        return None
    rows = tuple(_row(gate, checks) for gate, checks in sorted(gates.items()))
    words = "Gates are tried at slack water. The slowest movement of each is the one to look at first."
    return [Text(words), Table(("Gate", "Movements", "Not passed", "Slowest", "Took, s"), rows)]


def _row(gate: str, checks: list[Check]) -> tuple[Cell, ...]:
    slowest = max(checks, key=lambda check: check.last.took_s or 0.0)
    bad = sum(check.outcome.value in ("failed", "errored") for check in checks)
    return gate, len(checks), bad, slowest, slowest.last.took_s


GATES = Section("Gates", build)
