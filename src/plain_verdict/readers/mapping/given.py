"""What levels give to the checks in them: suites, tags, facts, machines."""

from collections.abc import Callable
from typing import NamedTuple, TypeVar

from plain_verdict.model import Fact
from plain_verdict.readers.mapping.selectors import FindText
from plain_verdict.readers.mapping.values import Values
from plain_verdict.settings.mappings import CheckMapping, LevelMapping
from plain_verdict.text.cleaning import single_line

Pairs = tuple[Fact, ...]
Part = TypeVar("Part")
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
    tags, requirements = (values.lines(f"{key}.{part}", getattr(form, part)) for part in ("tags", "requirements"))
    facts, parameters, links = (
        values.pairs(f"{key}.{part}", getattr(form, part)) for part in ("facts", "parameters", "links")
    )
    worker = file = name = None
    if isinstance(form, LevelMapping):  # those of a check belong to the attempt
        worker, file = values.line(f"{key}.worker", form.worker), values.line(f"{key}.file", form.file)
        name = values.texts.first(f"{key}.name", form.name)
    if not any((tags, requirements, facts, parameters, links, worker, file, name)):
        return in_suite

    def give(item: object, outer: Given) -> Given:
        inner = in_suite(item, outer) if in_suite else outer
        return Given(
            inner.raw,
            inner.suite,
            _more(outer.tags, tags, item),
            _more(outer.requirements, requirements, item),
            _more(outer.facts, facts, item),
            _more(outer.parameters, parameters, item),
            _more(outer.links, links, item),
            _other(outer.worker, worker, item),
            _other(outer.file, file, item),
            _other(outer.name, name, item),
        )

    return give


def _more(
    outer: tuple[Part, ...], find: Callable[[object], tuple[Part, ...]] | None, item: object
) -> tuple[Part, ...]:
    return outer + find(item) if find else outer


def _other(outer: str, find: FindText | None, item: object) -> str:
    return (find(item) if find else None) or outer


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
