"""What is kept of a run besides how its checks ended, so that it can be compared with any other run later."""

from plain_verdict.model.facts import Fact, Value
from plain_verdict.model.load import LoadRun
from plain_verdict.model.requirement import RequirementState
from plain_verdict.model.rule import Severity


class FailureDetail(Value, frozen=True, array_like=True):
    """A failed check: its id, the first line of its problem, and its owner or ""."""

    id: str
    message: str
    owner: str = ""


class OperationResult(Value, frozen=True, array_like=True):
    """The calls of an operation: how many, how many of them went wrong, and their 95th percentile if known."""

    name: str
    calls: int
    wrong: int
    p95_s: float | None = None


class RuleSeverity(Value, frozen=True, array_like=True):
    """The severity of a rule that did not pass, by the id of its check."""

    id: str
    severity: Severity


class KeptRequirement(Value, frozen=True, array_like=True):
    """A requirement and its state."""

    id: str
    title: str
    state: RequirementState


class RunDetail(Value, frozen=True, omit_defaults=True):
    """Facts, failures, operations, rules and requirements of a run; ``load`` has no course in time.

    ``incomplete`` are sentences on inputs of which results may be missing.
    """

    facts: tuple[Fact, ...] = ()
    failures: tuple[FailureDetail, ...] = ()
    operations: tuple[OperationResult, ...] = ()
    rules: tuple[RuleSeverity, ...] = ()
    requirements: tuple[KeptRequirement, ...] = ()
    load: LoadRun | None = None
    incomplete: tuple[str, ...] = ()
