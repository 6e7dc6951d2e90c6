"""Checks, made of a file's items by a mapping, level by level."""

from collections.abc import Callable, Iterator, Sequence
from datetime import datetime, timedelta
from operator import itemgetter
from typing import NamedTuple

import msgspec

from plain_verdict.model import (
    BAD,
    Attempt,
    Check,
    Fact,
    Kind,
    Outcome,
    Problem,
    SourceLocation,
    counting_last,
    in_order,
)
from plain_verdict.model.ids import check_id
from plain_verdict.readers.interface import NAMELESS
from plain_verdict.readers.mapping.selectors import Document, FindText
from plain_verdict.readers.mapping.steps import ItemResult, ResultOfItem, steps_of
from plain_verdict.readers.mapping.values import Values, cleaned, no_text, whole_number
from plain_verdict.settings.mappings import CheckMapping, LevelMapping, ResultMapping
from plain_verdict.text.cleaning import block, single_line
from plain_verdict.text.moments import LONGEST_S

Pairs = tuple[Fact, ...]
_Outer = tuple[int, ...]


class Given(NamedTuple):
    """What levels give to the checks in them, as it is written; ``suite`` as it is shown."""

    raw: tuple[str, ...] = ()
    suite: tuple[str, ...] = ()
    tags: tuple[str, ...] = ()
    requirements: tuple[str, ...] = ()
    facts: Pairs = ()
    parameters: Pairs = ()
    links: Pairs = ()


NOTHING_GIVEN = Given()
_SUITES_KEPT = 10_000  # paths of suites that are made once; a file with more has other troubles


class Counts:
    """What was odd about the items, counted, each with the place of the first."""

    def __init__(self) -> None:
        self.outer = 0
        """Items of the outermost level that keep its conditions."""
        self.items = 0
        self.bad = 0
        self.nameless = 0
        self.without_outcome = 0
        self.passed_with_problem = 0
        self.first: dict[str, str] = {}


class Checks:
    """Makes the checks of one file. Raises ValueError for places that are none in its syntax."""

    def __init__(self, mapping: ResultMapping, document: Document, values: Values, kind: Kind) -> None:
        form = mapping.check
        self.counts = Counts()
        self._document = document
        self._kind = kind
        self._limits = values.limits
        outer, *inner = (*mapping.level, form)
        self._outer = outer.each
        self._inner_eaches = [level.each for level in inner]
        self._outer_fits = values.where("level[0]" if mapping.level else "check", outer.where)
        self._levels = [self._giver(values, f"level[{at}]", level) for at, level in enumerate(mapping.level)]
        self._inner = [
            values.each("check" if level is form else f"level[{at}]", level) for at, level in enumerate(inner, 1)
        ]
        self._gives = self._giver(values, "check", form)
        # In the order in which the places are listed for people.
        self._name = _or_nothing(values.texts.first("check.name", form.name))
        self._attempts = values.each("check.attempts", LevelMapping(each=form.attempts)) if form.attempts else None
        self._result_of = ResultOfItem(values, "check", form, values.outcomes)
        self._steps = steps_of(values, "check.step", form.step)
        self._number = values.texts.first("check.attempt", form.attempt)
        self._reason = _or_nothing(values.texts.first("check.reason", form.reason))
        self._worker = _or_nothing(values.line("check.worker", form.worker))
        self._cause = _or_nothing(values.line("check.cause", form.cause))
        self._description = _or_nothing(values.texts.first("check.description", form.description))
        self._file = _or_nothing(values.line("check.file", form.file))
        self._line = _or_nothing(values.texts.first("check.line", form.line))
        self._severity = _or_nothing(values.line("check.severity", form.severity))
        self._at: tuple[int, _Outer] = (0, ())

    def _giver(
        self, values: Values, key: str, form: LevelMapping | CheckMapping
    ) -> Callable[[object, Given], Given] | None:
        """Return what adds to what outer levels give; None for a level that gives nothing."""
        in_suite = _suites(values.texts.all(f"{key}.suite", form.suite), values.limits.name_chars)
        tags = values.lines(f"{key}.tags", form.tags)
        requirements = values.lines(f"{key}.requirements", form.requirements)
        facts, links = values.pairs(f"{key}.facts", form.facts), values.pairs(f"{key}.links", form.links)
        parameters = values.pairs(f"{key}.parameters", form.parameters)
        if not any((tags, requirements, facts, parameters, links)):
            return in_suite

        def give(item: object, outer: Given) -> Given:
            inner = in_suite(item, outer) if in_suite else outer
            return Given(
                inner.raw,
                inner.suite,
                outer.tags + tags(item) if tags else outer.tags,
                outer.requirements + requirements(item) if requirements else outer.requirements,
                outer.facts + facts(item) if facts else outer.facts,
                outer.parameters + parameters(item) if parameters else outer.parameters,
                outer.links + links(item) if links else outer.links,
            )

        return give

    def __iter__(self) -> Iterator[Check]:
        """Yield a check for each item; those that are attempts at one are together at the end."""
        if self._number is None:
            yield from self._each()
            return
        together: dict[str, list[Check]] = {}
        for check in self._each():
            together.setdefault(check.id, []).append(check)
        for executions in together.values():
            numbers = {check.attempts[0].number for check in executions}
            if len(executions) == 1 or 0 in numbers or len(numbers) < len(executions):
                yield from executions  # without numbers nothing says that they are attempts at one check
            else:
                yield _as_attempts(executions)

    def _each(self) -> Iterator[Check]:
        gives = self._levels[0] if self._levels else None
        for number, item in self._document.items(self._outer):
            if self._outer_fits is not None and not self._outer_fits(item):
                continue
            self.counts.outer += 1
            if not self._inner:
                self._at = (number, ())
                yield self._check(item, NOTHING_GIVEN)
            else:
                given = gives(item, NOTHING_GIVEN) if gives else NOTHING_GIVEN
                yield from self._below(item, given, 0, (number, ()))

    def _below(self, item: object, given: Given, depth: int, at: tuple[int, _Outer]) -> Iterator[Check]:
        """Yield the checks in an item of a level."""
        innermost = depth == len(self._inner) - 1
        gives = None if innermost else self._levels[depth + 1]
        for position, inner in enumerate(self._inner[depth](item)):
            located = (at[0], (*at[1], position))
            if innermost:
                self._at = located
                yield self._check(inner, given)
            else:
                yield from self._below(inner, gives(inner, given) if gives else given, depth + 1, located)

    def _odd(self, what: str) -> None:
        """Remember where the first item stands that lacks something."""
        if what not in self.counts.first:
            number, inner = self._at
            counted = list(zip(self._inner_eaches, inner, strict=True))
            self.counts.first[what] = self._document.locate(number, self._outer, counted)

    def _check(self, item: object, outer: Given) -> Check:
        counts, limits = self.counts, self._limits
        counts.items += 1
        given = self._gives(item, outer) if self._gives else outer
        raw = self._name(item) or ""
        name = single_line(raw, limits.name_chars)
        if not name:
            counts.nameless += 1
            self._odd("name")
            raw, name = NAMELESS, NAMELESS
        facts, parameters, links = given.facts, given.parameters, given.links
        severity = self._severity(item)
        if severity:
            facts = (*facts, Fact("severity", severity))
        if facts or parameters or links:
            facts, parameters, links = (cleaned(pairs, limits.name_chars) for pairs in (facts, parameters, links))
        return Check(
            check_id(self._kind, given.raw, raw, given.parameters),
            self._kind,
            given.suite,
            name,
            self._all_attempts(item),
            parameters,
            self._location(item),
            facts,
            given.tags,
            block(self._description(item) or "", limits.message_chars),
            given.requirements,
            links,
        )

    def _count(self, item_result: ItemResult) -> None:
        """Count what must not pass unseen."""
        if item_result.outcome in BAD:
            self.counts.bad += 1
        elif item_result.outcome is Outcome.UNDECIDED and item_result.unsaid:
            self.counts.without_outcome += 1
            self._odd("outcome")
        elif item_result.outcome is Outcome.PASSED and item_result.remarked:
            self.counts.passed_with_problem += 1
            self._odd("problem")

    def _all_attempts(self, item: object) -> tuple[Attempt, ...]:
        if self._attempts is None:
            return (self._attempt(item, item),)
        attempts = [self._attempt(part, item) for part in self._attempts(item)]
        starts = [in_order(attempt.started) for attempt in attempts if attempt.started]
        if len(starts) == len(attempts):  # as each says when it began, whatever order they stand in
            attempts = [attempt for _, attempt in sorted(zip(starts, attempts, strict=True), key=itemgetter(0))]
        return counting_last(attempts or [self._attempt(item, item)])

    def _attempt(self, item: object, around: object) -> Attempt:
        """Return an attempt; ``around`` is the item that is the check, where attempts stand in it."""
        steps = self._steps(item) if self._steps else ()
        item_result = self._result_of(item, steps)
        outcome, reason, problems = item_result.outcome, item_result.reason, item_result.problems
        self._count(item_result)
        if outcome is not Outcome.PASSED:
            reason = self._with_reason(item, item_result)
            if outcome in BAD:
                problems = problems or (Problem(outcome, message=reason),)
        took_s = item_result.took_s
        return Attempt(
            outcome,
            took_s if took_s is None or took_s < LONGEST_S else None,
            item_result.started,
            reason,
            problems,
            item_result.outputs,
            steps,
            item_result.evidence,
            (),
            item_result.expectations,
            item_result.exchanges,
            self._worker(around) or "",
            (whole_number(self._number(around)) or 0) if self._number else 0,
            self._cause(around) or "",
        )

    def _with_reason(self, item: object, item_result: ItemResult) -> str:
        """Return why an item did not pass, without what its problems say already."""
        reason = self._reason(item)
        if not reason or reason in (item_result.reason, *(problem.message for problem in item_result.problems)):
            return item_result.reason
        return " ".join(filter(None, (single_line(reason, self._limits.message_chars), item_result.reason)))

    def _location(self, item: object) -> SourceLocation | None:
        file = self._file(item)
        return SourceLocation(file, whole_number(self._line(item))) if file else None


def _suites(find: Callable[[object], list[str]] | None, most_chars: int) -> Callable[[object, Given], Given] | None:
    """Return what gives the same, one or several suites deeper. Suites come again and again, so they are kept."""
    if find is None:
        return None
    last = NOTHING_GIVEN
    known: dict[tuple[str, ...], Given] = {}

    def in_suite(item: object, outer: Given) -> Given:
        nonlocal last
        names = tuple(find(item))
        if outer is not last or len(known) > _SUITES_KEPT:
            last = outer
            known.clear()
        given = known.get(names)
        if given is None:
            shown = tuple(line for name in names if (line := single_line(name, most_chars)))
            given = known[names] = outer._replace(raw=(*outer.raw, *names), suite=(*outer.suite, *shown))
        return given

    return in_suite


def _as_attempts(executions: list[Check]) -> Check:
    """Return one check of several executions that their file numbers."""
    executions.sort(key=lambda check: check.attempts[0].number)
    attempts = counting_last([check.attempts[0] for check in executions])
    return msgspec.structs.replace(executions[-1], attempts=attempts)


def times_of(checks: Sequence[Check]) -> tuple[list[datetime], list[datetime]]:
    """Return when attempts began, and when they ended where that is known."""
    starts = [attempt.started for check in checks for attempt in check.attempts if attempt.started]
    ends = [
        attempt.started + timedelta(seconds=attempt.took_s or 0)
        for check in checks
        for attempt in check.attempts
        if attempt.started
    ]
    return starts, ends


def _or_nothing(find: FindText | None) -> FindText:
    return find or no_text
