"""Makes a check of one item by one form of a mapping, and counts what is odd about items."""

from collections.abc import Callable, Sequence
from operator import itemgetter

from plain_verdict.model import (
    BAD,
    Attempt,
    Check,
    Fact,
    Kind,
    Outcome,
    Problem,
    SourceLocation,
    Step,
    counting_last,
    in_order,
)
from plain_verdict.model.ids import check_id
from plain_verdict.readers.interface import NAMELESS
from plain_verdict.readers.mapping.given import Given, Pairs, giver
from plain_verdict.readers.mapping.outcomes import Judged
from plain_verdict.readers.mapping.repeated_items import RepeatedItems, repeated_items
from plain_verdict.readers.mapping.rules import RuleValues
from plain_verdict.readers.mapping.selectors import FindText
from plain_verdict.readers.mapping.steps import ItemResult, ResultOfItem, steps_of
from plain_verdict.readers.mapping.values import Values, cleaned, no_text, whole_number
from plain_verdict.settings.mappings import CheckMapping, LevelMapping
from plain_verdict.text.cleaning import block, single_line
from plain_verdict.text.moments import LONGEST_S

_NEVER_ENDED = Judged(Outcome.ERRORED)
_FEWEST_TOGETHER = 8  # of fewer items, columns cost more than they save
NEVER_ENDED = "No event ends it: the run may have been stopped."


class Counts:
    """What was odd about the items, counted, each with the place of the first."""

    def __init__(self) -> None:
        self.outer = 0
        """Items of the outermost level that keep its conditions."""
        self.items = 0
        self.attempts = 0
        self.bad = 0
        self.nameless = 0
        self.without_outcome = 0
        self.passed_with_problem = 0
        self.never_ended = 0
        self.too_deep = 0
        self.first: dict[str, str] = {}

    @property
    def odd(self) -> int:
        """Return how many were anything but usual."""
        missing = self.nameless + self.without_outcome + self.never_ended
        return self.bad + missing + self.passed_with_problem + self.too_deep


class CheckMaking:
    """Makes checks by one form. Raises ValueError for places that are none in the file's syntax.

    ``has_ended`` tells whether an item of events has. ``of_level``: the items are levels, which seldom repeat.
    """

    def __init__(
        self,
        values: Values,
        key: str,
        form: CheckMapping,
        kind: Kind,
        has_ended: Callable[[object], bool] | None = None,
        *,
        of_level: bool = False,
    ) -> None:
        first = len(values.texts.selectors)
        self._kind, self._limits = kind, values.limits
        self._has_ended = has_ended
        self._gives = giver(values, key, form)
        # In the order in which the places are listed for people.
        self._name = values.texts.first(f"{key}.name", form.name) or no_text
        self._attempts = values.each(f"{key}.attempts", LevelMapping(each=form.attempts)) if form.attempts else None
        self._result_of = ResultOfItem(values, key, form, values.outcomes)
        self._steps = steps_of(values, f"{key}.step", form.step)
        self._number = values.texts.first(f"{key}.attempt", form.attempt)
        line, text = values.line, values.texts.first
        self._reason, self._description, self._line = (
            text(f"{key}.{part}", getattr(form, part)) or no_text for part in ("reason", "description", "line")
        )
        self._worker, self._cause, self._file = (
            line(f"{key}.{part}", getattr(form, part)) or no_text for part in ("worker", "cause", "file")
        )
        self._severity: FindText = no_text
        self._rule: RuleValues | None = None
        if kind is Kind.COMPLIANCE:
            self._rule = RuleValues(values, key, form)
        else:
            self._severity = values.line(f"{key}.severity", form.severity) or no_text
        self._repeated = None if of_level else self._repeated_items(values, key, form, first)

    def _repeated_items(self, values: Values, key: str, form: CheckMapping, first: int) -> RepeatedItems | None:
        """Return what makes checks of items that repeat others; None for items that are more than themselves."""
        if any((self._has_ended, self._attempts, self._number, self._rule)):
            return None
        selectors = [selector for _, selector in values.texts.selectors[first:]]
        return repeated_items(values, key, form, selectors, self._result_of)

    @property
    def numbers_attempts(self) -> bool:
        """Return whether items are attempts, each with its number."""
        return self._number is not None

    def __call__(self, item: object, outer: Given, counts: Counts, odd: Callable[[str], None]) -> Check:
        """Return the check of an item; ``odd`` remembers where the first item stands that lacks something."""
        repeated = self._repeated
        if repeated is None:
            return self._check(item, self._given(item, outer), counts, odd)
        found = repeated.check_of(item, outer, counts.odd)
        if isinstance(found, Check):
            counts.items += 1
            counts.attempts += 1
            counts.bad += found.outcome in BAD
            return found
        given = self._given(item, outer)
        check = self._check(item, given, counts, odd)
        if found:
            repeated.keep(found, check, given, counts.odd)
        if not repeated.is_worth_it:
            self.count_repeated()
            self._repeated = None
        return check

    def repeating(self, items: Sequence[object], outer: Given, counts: Counts) -> list[Check | None]:
        """Return the checks of the items that repeat earlier ones, which saves a call for each; None for others."""
        if self._repeated is None or len(items) < _FEWEST_TOGETHER:
            return [None] * len(items)
        checks = self._repeated.checks_of(items, outer)
        made = len(items) - checks.count(None)
        counts.items += made
        counts.attempts += made
        counts.bad += sum([check is not None and check.outcome in BAD for check in checks])
        return checks

    def count_repeated(self) -> None:
        """Count what stood in items that repeated others, once all are made."""
        if self._repeated:
            self._repeated.count()

    def _given(self, item: object, outer: Given) -> Given:
        return self._gives(item, outer) if self._gives else outer

    def _check(self, item: object, given: Given, counts: Counts, odd: Callable[[str], None]) -> Check:
        counts.items += 1
        raw = self._name(item) or given.name
        name = single_line(raw, self._limits.name_chars)
        if not name:
            counts.nameless += 1
            odd("name")
            raw, name = NAMELESS, NAMELESS
        check = Check(
            check_id(self._kind, given.raw, raw, given.parameters),
            self._kind,
            given.suite,
            name,
            self._all_attempts(item, given, counts, odd),
            self._shown(given.parameters),
            self._location(item, given),
            self._shown(self._with_severity(item, given.facts)),
            given.tags,
            self._about(item),
            given.requirements,
            self._shown(given.links),
        )
        return self._rule.as_rule(item, check) if self._rule else check

    def _about(self, item: object) -> str:
        text = self._description(item)
        return block(text, self._limits.message_chars) if text else ""

    def _with_severity(self, item: object, facts: Pairs) -> Pairs:
        severity = self._severity(item)
        return (*facts, Fact("severity", severity)) if severity else facts

    def _shown(self, facts: Pairs) -> Pairs:
        return cleaned(facts, self._limits.name_chars) if facts else facts

    def _count(self, item_result: ItemResult, counts: Counts, odd: Callable[[str], None]) -> None:
        """Count what must not pass unseen."""
        counts.attempts += 1
        if item_result.outcome in BAD:
            counts.bad += 1
        elif item_result.outcome is Outcome.UNDECIDED and item_result.unsaid:
            counts.without_outcome += 1
            odd("outcome")
        elif item_result.outcome is Outcome.PASSED and item_result.remarked:
            counts.passed_with_problem += 1
            odd("problem")

    def _all_attempts(
        self, item: object, given: Given, counts: Counts, odd: Callable[[str], None]
    ) -> tuple[Attempt, ...]:
        if self._attempts is None:
            return (self._attempt(item, item, given, counts, odd),)
        attempts = [self._attempt(part, item, given, counts, odd) for part in self._attempts(item)]
        starts = [in_order(attempt.started) for attempt in attempts if attempt.started]
        if len(starts) == len(attempts):  # as each says when it began, whatever order they stand in
            attempts = [attempt for _, attempt in sorted(zip(starts, attempts, strict=True), key=itemgetter(0))]
        return counting_last(attempts or [self._attempt(item, item, given, counts, odd)])

    def _attempt(
        self, item: object, around: object, given: Given, counts: Counts, odd: Callable[[str], None]
    ) -> Attempt:
        """Return an attempt; ``around`` is the item that is the check, where attempts stand in it."""
        steps = self._steps(item) if self._steps else ()
        result = self._result(item, steps, counts)
        self._count(result, counts, odd)
        outcome, reason, problems = result.outcome, result.reason, result.problems
        if outcome is not Outcome.PASSED:
            reason = self._with_reason(item, result)
        if outcome in BAD and not problems:
            problems = (Problem(outcome, message=reason),)
        return Attempt(
            outcome,
            None if result.took_s is not None and result.took_s >= LONGEST_S else result.took_s,
            result.started,
            reason,
            problems,
            result.outputs,
            steps,
            result.evidence,
            (),
            result.expectations,
            result.exchanges,
            self._worker(item) or self._worker(around) or given.worker,
            self._number_of(around),
            self._cause(around) or "",
        )

    def _result(self, item: object, steps: tuple[Step, ...], counts: Counts) -> ItemResult:
        """Return how an item ended; one of events that has no last one is errored, whatever else it has."""
        if self._has_ended is None or self._has_ended(item):
            return self._result_of(item, steps)
        counts.never_ended += 1
        result = self._result_of(item, steps, _NEVER_ENDED)
        return result._replace(problems=result.problems or (Problem(Outcome.ERRORED, message=NEVER_ENDED),))

    def _number_of(self, item: object) -> int:
        return (whole_number(self._number(item)) if self._number else None) or 0

    def _with_reason(self, item: object, item_result: ItemResult) -> str:
        """Return why an item did not pass, without what its problems say already."""
        reason = self._reason(item)
        if not reason or reason in (item_result.reason, *(problem.message for problem in item_result.problems)):
            return item_result.reason
        return " ".join(filter(None, (single_line(reason, self._limits.message_chars), item_result.reason)))

    def _location(self, item: object, given: Given) -> SourceLocation | None:
        file = self._file(item) or given.file
        return SourceLocation(file, whole_number(self._line(item))) if file else None
