"""What levels give to the checks in them: suites, tags, facts, machines."""

from collections.abc import Callable
from typing import NamedTuple

from plain_verdict.model import Fact
from plain_verdict.readers.mapping.selectors import FindText
from plain_verdict.readers.mapping.values import Values
from plain_verdict.settings.mappings import CheckMapping, LevelMapping
from plain_verdict.text.cleaning import single_line

Pairs = tuple[Fact, ...]
_SUITES_KEPT = 10_000  # paths of suites that are made once; a file with more has other troubles


class Given(NamedTuple):
    """What levels give to the checks in them, as it is written; ``suite`` as it is shown."""

    raw: tuple[str, ...] = ()
    suite: tuple[str, ...] = ()
    tags: tuple[str, ...] = ()
    requirements: tuple[str, ...] = ()
    facts: Pairs = ()
    parameters: Pairs = ()
    links: Pairs = ()
    worker: str = ""
    file: str = ""
    name: str = ""
    """Of checks that have none of their own."""


NOTHING_GIVEN = Given()
Give = Callable[[object, Given], Given]


def giver(values: Values, key: str, form: LevelMapping | CheckMapping) -> Give | None:
    """Return what adds to what outer levels give; None for a level that gives nothing. Raises ValueError."""
    in_suite = _suites(values.texts.all(f"{key}.suite", form.suite), values.limits.name_chars)
    added: list[_Add | None] = [
        *(_more(part, values.lines(f"{key}.{part}", getattr(form, part))) for part in ("tags", "requirements")),
        *(
            _more(part, values.pairs(f"{key}.{part}", getattr(form, part)))
            for part in ("facts", "parameters", "links")
        ),
    ]
    if isinstance(form, LevelMapping):  # those of a check belong to the attempt
        added += [_other(part, values.line(f"{key}.{part}", getattr(form, part))) for part in ("worker", "file")]
        added.append(_other("name", values.texts.first(f"{key}.name", form.name)))
    adds = list(filter(None, added))
    if not adds:
        return in_suite

    def give(item: object, outer: Given) -> Given:
        given: list[object] = [*(in_suite(item, outer) if in_suite else outer)]
        for add in adds:
            add(item, given)
        return Given._make(given)

    return give


_Add = Callable[[object, list[object]], None]
"""Puts what an item gives into the parts of what is given."""


def _more(part: str, find: Callable[[object], tuple[object, ...]] | None) -> _Add | None:
    """Return what adds the texts or facts of an item to those of the levels around it."""
    at = Given._fields.index(part)

    def add(item: object, given: list[object]) -> None:
        found = find(item) if find else ()
        if found:
            before = given[at]
            given[at] = (*before, *found) if isinstance(before, tuple) else found

    return add if find else None


def _other(part: str, find: FindText | None) -> _Add | None:
    """Return what replaces a text of the levels around an item by its own."""
    at = Given._fields.index(part)

    def add(item: object, given: list[object]) -> None:
        given[at] = (find(item) if find else None) or given[at]

    return add if find else None


def _suites(find: Callable[[object], list[str]] | None, most_chars: int) -> Give | None:
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
