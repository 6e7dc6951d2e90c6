"""Checks, made of a file's items by a mapping, level by level, at any depth."""

from collections.abc import Callable, Iterator, Sequence
from contextlib import suppress
from datetime import datetime, timedelta
from functools import partial
from itertools import chain
from typing import NamedTuple

import msgspec

from plain_verdict.model import BAD, Check, Kind, counting_last, earliest, in_order, latest
from plain_verdict.readers.interface import SUITE_ITSELF
from plain_verdict.readers.mapping.announced import Announced, Sort, announced_in, failed_itself
from plain_verdict.readers.mapping.check_making import CheckMaking, Counts
from plain_verdict.readers.mapping.events import has_ended
from plain_verdict.readers.mapping.given import NOTHING_GIVEN, Give, Given, giver
from plain_verdict.readers.mapping.json_document import JsonDocument, JsonLines
from plain_verdict.readers.mapping.rules import joined_rules
from plain_verdict.readers.mapping.selectors import Batch, Document
from plain_verdict.readers.mapping.table_document import TableDocument
from plain_verdict.readers.mapping.unread_items import UnreadItems, forms_of
from plain_verdict.readers.mapping.values import FindItems, Values, itself, numbered, without_filters
from plain_verdict.readers.mapping.xml_document import XmlDocument
from plain_verdict.settings.mappings import CheckMapping, LevelMapping, ManyTexts, ResultMapping, Value

_At = tuple[int, tuple[int, ...]]
_TOGETHER = 500  # items of which the checks are made at once, where they repeat earlier ones
_DEEPEST_LEVELS = 100
"""Levels nested deeper than this are not looked into: Python's own stack ends soon after."""


class _Level(NamedTuple):
    """A level: what finds its items and those inside, what it gives, and its own outcome as a check."""

    find: FindItems
    inside: FindItems | None
    gives: Give | None
    itself: CheckMaking | None


class _Form(NamedTuple):
    """One list of checks in the innermost level."""

    find: FindItems
    make: CheckMaking


class _Making(NamedTuple):
    """What levels and lists of checks are made with. Raises ValueError for places that are none."""

    values: Values
    kind: Kind
    has_ended: Callable[[object], bool] | None
    left_out: Callable[[object], None]

    def level(self, at: int, level: LevelMapping) -> _Level:
        """Return a level; of the outermost one the document finds the items."""
        key, values = f"level[{at}]", self.values
        found: ManyTexts = level if at else _of_document(level)
        inside = None
        if level.inside:
            nested = LevelMapping(each=level.inside, where=level.where)
            inside = values.each(f"{key}.inside", nested, self.left_out)
            if not level.each and not level.members:
                found = LevelMapping()  # the item around is where the levels begin, whatever it is itself
        return _Level(
            values.each(key, found, self.left_out), inside, giver(values, key, level), self._itself(key, level)
        )

    def _itself(self, key: str, level: LevelMapping) -> CheckMaking | None:
        """Return what makes a check of a level itself; None for one that does not say how it ended."""
        if level.outcome == ():
            return None
        name = level.name or Value(text=SUITE_ITSELF)
        form = CheckMapping(name=name, outcome=level.outcome, problem=level.problem, output=level.output)
        return CheckMaking(self.values, key, form, self.kind, self.has_ended, of_level=True)

    def form(self, key: str, form: CheckMapping, *, is_outermost: bool) -> _Form:
        """Return one list of checks."""
        # First the items: names of columns may be theirs.
        find = self.values.each(key, _of_document(form) if is_outermost else form, self.left_out)
        return _Form(find, CheckMaking(self.values, key, form, self.kind, self.has_ended))


class Checks:
    """Makes the checks of one file. Raises ValueError for places that are none in its syntax."""

    def __init__(self, mapping: ResultMapping, document: Document, values: Values, kind: Kind) -> None:
        self.counts = Counts()
        self._document, self._values = document, values
        self.unread: UnreadItems | None = None
        """Set once the places are known, where what is not read is counted."""
        self.of_levels: set[str] = set()
        """Ids of the checks that are levels themselves."""
        self.failed_levels: list[Announced] = []
        """Levels that say they failed, though no check in them did."""
        self.announced: list[Announced] = []
        """Numbers that levels and lines give of their checks."""
        forms, levels = _lists_and_levels(mapping)
        outermost: ManyTexts = (*levels, *forms)[0]
        self._outer = "" if outermost.members else outermost.each
        self._inner_eaches = [level.each for level in (*levels, forms[0])[1:]]
        making = _Making(values, kind, has_ended if mapping.events.end else None, self._left_out)
        self._levels = [making.level(at, level) for at, level in enumerate(levels)]
        keys = [key for key, _ in numbered("check", mapping.check)]
        self._forms = [
            making.form(key, form, is_outermost=not levels) for key, form in zip(keys, forms, strict=True)
        ]
        self._joins_rules = kind is Kind.COMPLIANCE and any(form.rule != "" for form in forms)
        self._at: _At = (0, ())
        self._look_for_unread(keys, forms)

    def _look_for_unread(self, keys: Sequence[str], forms: Sequence[CheckMapping]) -> None:
        """Have what the file holds besides the items that are read looked at, where there can be more."""
        is_flat = not self._levels and not self._outer and len(forms) == 1 and not forms[0].members
        if is_flat and not isinstance(self._document, XmlDocument):
            return
        unread = self.unread = UnreadItems(
            forms_of(self._values.texts.selectors, keys), self._values.outcomes.names
        )

        everything = without_filters(self._outer)
        wide = self._document.select(everything) if everything != self._outer else None

        def on_done(wholes: Sequence[object]) -> None:
            for item in chain.from_iterable(map(wide.all, wholes)) if wide else ():
                unread.reached[id(item)] = item
            unread.look(wholes)
            unread.reached.clear()
            unread.around.clear()

        self._document.on_done = on_done
        if isinstance(self._document, XmlDocument):
            self._document.on_other = unread.take
            self._document.watched = tuple(form.each for form in forms if form.each.isidentifier())

    def _left_out(self, item: object) -> None:
        """Take in an item that a condition leaves out; lines that are no checks may count the checks."""
        if self.unread:
            self.unread.reached[id(item)] = item
        if not self._levels and not self._outer:
            self.announced += [number for number in announced_in(item) if number.sort is not Sort.RUN]

    def __iter__(self) -> Iterator[Check]:
        """Yield a check for each item; those that are attempts at one are together at the end."""
        each = self._each_counted()
        checks = joined_rules(each) if self._joins_rules else each
        if not any(form.make.numbers_attempts for form in self._forms):
            yield from checks
            return
        together: dict[str, list[Check]] = {}
        for check in checks:
            together.setdefault(check.id, []).append(check)
        for executions in together.values():
            numbers = {check.attempts[0].number for check in executions}
            if len(executions) == 1 or 0 in numbers or len(numbers) < len(executions):
                yield from executions  # without numbers nothing says that they are attempts at one check
            else:
                yield _as_attempts(executions)

    def _each_counted(self) -> Iterator[Check]:
        try:
            yield from self._each()
        finally:
            for form in self._forms:
                form.make.count_repeated()

    def _each(self) -> Iterator[Check]:
        if not self._levels:
            yield from self._outermost()
            return
        for number, item in self._document.items(self._outer):
            for node in self._levels[0].find(item):
                self.counts.outer += 1
                if self._outer:
                    self.announced += [number for number in announced_in(node) if number.sort is not Sort.RUN]
                yield from self._in_level(node, NOTHING_GIVEN, 0, (number, ()))

    def _outermost(self) -> Iterator[Check]:
        """Yield the checks of the document's items, where there are no levels."""
        (form,) = self._forms
        for batch in self._batches():
            found = (
                batch
                if form.find is itself
                else [(number, inner) for number, item in batch for inner in form.find(item)]
            )
            self.counts.outer += len(found)
            items = [item for _, item in found]
            yield from self._of_form(form, items, NOTHING_GIVEN, partial(_outermost_at, found))

    def _batches(self) -> Iterator[Batch]:
        """Yield the document's items: several at a time, where no place speaks of the line around its item."""
        document = self._document
        if isinstance(document, JsonDocument | XmlDocument):
            return document.batches(self._outer)
        of_line = self._outer or any(selector.text.startswith("$") for _, selector in self._values.texts.selectors)
        if isinstance(document, JsonLines | TableDocument) and not of_line:
            return document.batches()
        return ([item] for item in document.items(self._outer))

    def _in_level(self, item: object, outer: Given, depth: int, at: _At, nested: int = 0) -> Iterator[Check]:
        """Yield the checks in an item of a level, and what it says itself where none of them failed."""
        level = self._levels[depth]
        if self.unread:
            self.unread.around[id(item)] = item
        given = level.gives(item, outer) if level.gives else outer
        bad_before = self.counts.bad
        if depth == len(self._levels) - 1:
            yield from self._made(item, given, at)
        else:
            for position, inner in enumerate(self._levels[depth + 1].find(item)):
                yield from self._in_level(inner, given, depth + 1, (at[0], (*at[1], position)))
        if level.inside:
            if nested >= _DEEPEST_LEVELS:
                self.counts.too_deep += bool(level.inside(item))
            else:
                for inner in level.inside(item):
                    yield from self._in_level(inner, given, depth, at, nested + 1)
        if self.counts.bad == bad_before:
            if level.itself:
                yield from self._itself(level.itself, item, given, at)
            elif self._outer:
                self.failed_levels += failed_itself(item)

    def _itself(self, make: CheckMaking, item: object, given: Given, at: _At) -> Iterator[Check]:
        """Yield what a level says of itself, where it failed and nothing in it did."""
        before = (self.counts.items, self.counts.without_outcome)
        self._at = at
        check = make(item, given, self.counts, self._odd)
        self.counts.items, self.counts.without_outcome = before
        if check.outcome in BAD:
            self.of_levels.add(check.id)
            yield check

    def _made(self, item: object, given: Given, at: _At) -> Iterator[Check]:
        """Yield the checks that an item of the innermost level holds."""
        for form in self._forms:
            yield from self._of_form(form, form.find(item), given, partial(_inner_at, at))

    def _of_form(
        self, form: _Form, items: Sequence[object], given: Given, at: Callable[[int], _At]
    ) -> Iterator[Check]:
        """Yield the checks of items of one list; ``at`` tells where each stands."""
        if self.unread:
            self.unread.reached.update((id(item), item) for item in items)
        for first in range(0, len(items), _TOGETHER):
            some = items[first : first + _TOGETHER]
            for position, known in enumerate(form.make.repeating(some, given, self.counts), first):
                if known is None:
                    self._at = at(position)
                yield known or form.make(items[position], given, self.counts, self._odd)

    def _odd(self, what: str) -> None:
        """Remember where the first item stands that lacks something."""
        if what not in self.counts.first:
            number, inner = self._at
            counted = list(zip(self._inner_eaches, inner, strict=False))
            self.counts.first[what] = self._document.locate(number, self._outer, counted)


def _lists_and_levels(mapping: ResultMapping) -> tuple[tuple[CheckMapping, ...], tuple[LevelMapping, ...]]:
    """Return the lists of checks, and the levels around them; several lists are looked for in the whole file."""
    forms = mapping.check if isinstance(mapping.check, tuple) else (mapping.check,)
    return forms, mapping.level or ((LevelMapping(),) if len(forms) > 1 else ())


def _outermost_at(found: Batch, position: int) -> _At:
    return found[position][0], ()


def _inner_at(at: _At, position: int) -> _At:
    return at[0], (*at[1], position)


def _of_document(form: ManyTexts) -> ManyTexts:
    """Return what is looked for in the items that the document finds: only conditions, or members."""
    return form if form.members else msgspec.structs.replace(form, each="")


def _as_attempts(executions: list[Check]) -> Check:
    """Return one check of several executions that their file numbers."""
    executions.sort(key=lambda check: check.attempts[0].number)
    attempts = counting_last([check.attempts[0] for check in executions])
    return msgspec.structs.replace(executions[-1], attempts=attempts)


def span_of(checks: Sequence[Check]) -> tuple[datetime | None, datetime | None]:
    """Return when the first attempt began and when the last one ended."""
    attempts = chain.from_iterable(check.attempts for check in checks)
    begun = [(attempt.started, attempt.took_s or 0.0) for attempt in attempts if attempt.started]
    if not begun:
        return None, None
    starts, times = zip(*begun, strict=True)
    last, longest = max(starts, key=in_order), timedelta(seconds=max(times))
    # What ended last began no longer before the last start than the longest took: few have to be added up.
    with suppress(TypeError):  # some have a zone, and some none
        begun = [(started, took_s) for started, took_s in begun if last - started <= longest]
    return earliest(starts), latest([started + timedelta(seconds=took_s) for started, took_s in begun])
