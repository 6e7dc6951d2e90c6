"""What OVAL results say of definitions: how each ended, and why a machine is not as it should be.

Source: OVAL 5.11, oval-results-schema, oval-definitions-schema and oval-system-characteristics-schema.
"""

from collections.abc import Iterator
from functools import cached_property
from itertools import chain, islice
from typing import NamedTuple

from plain_verdict.readers.xccdf.parts import Element, children, first_text, local, text_of
from plain_verdict.text.formatting import plural

FINDS_FAULTS = ("vulnerability", "patch")  # a definition of these classes is true where something is wrong
_LINES, _ITEMS, _VALUES, _DEPTH = 12, 5, 3, 20  # of one rule: what is found first is what is missing most often
_OPERATIONS = {
    "equals": "must be",
    "not equal": "must not be",
    "greater than": "must be over",
    "less than": "must be under",
    "greater than or equal": "must be at least",
    "less than or equal": "must be at most",
    "pattern match": "must match",
}


class DefinitionResult(NamedTuple):
    """How a definition ended on one machine, with what it says of itself."""

    id: str
    sort: str
    """Its class."""
    result: str
    title: str
    description: str
    references: tuple[tuple[str, str], ...]
    """Words and address of each."""
    whys: tuple[str, ...]


def oval_systems(element: Element) -> Iterator["OvalSystem"]:
    """Yield what a set of OVAL results says of each system that was looked at; also one that is cut off."""
    defined: dict[str, Element] = {}
    tests: dict[str, Element] = {}
    for part in element.iterchildren("{*}oval_definitions"):
        defined |= _by_id(part, "definitions", "id")
        tests |= _by_id(part, "tests", "id") | _by_id(part, "states", "id")
    for system in _grandchildren(element, "results"):
        yield OvalSystem(defined, tests, system)


class OvalSystem:
    """What OVAL results say of one system. ``defined`` are definitions, ``described`` tests and states, by id."""

    def __init__(self, defined: dict[str, Element], described: dict[str, Element], system: Element) -> None:
        self._system = system
        self._defined = defined
        self._described = described
        self._tests = _by_id(system, "tests", "test_id")
        # One definition may stand there several times, each with other values of its variables.
        self._found = list(_grandchildren(system, "definitions"))
        self._items: dict[str, Element] = {}
        for known in children(system, "oval_system_characteristics"):
            self._items |= _by_id(known, "system_data", "id")

    @cached_property
    def _by_id(self) -> dict[str, Element]:
        return {found.get("definition_id", ""): found for found in self._found}

    @property
    def host(self) -> str:
        """Return the name of the machine; "" where the results name none."""
        return text_of(self._system.find(".//{*}system_info/{*}primary_host_name"))

    def results(self) -> Iterator[DefinitionResult]:
        """Yield each result of a definition, in the order of the definitions."""
        order = {id_: number for number, id_ in enumerate(self._defined)}
        for found in sorted(self._found, key=lambda each: order.get(each.get("definition_id", ""), len(order))):
            id_ = found.get("definition_id", "")
            defined = self._defined.get(id_)
            metadata = next(children(defined, "metadata"), None) if defined is not None else None
            yield DefinitionResult(
                id=id_,
                sort=self._class(id_) or str(found.get("class") or ""),
                result=found.get("result", ""),
                title=first_text(metadata, "title") if metadata is not None else "",
                description=first_text(metadata, "description") if metadata is not None else "",
                references=tuple(_references(metadata)) if metadata is not None else (),
                whys=self._whys_of(found),
            )

    def whys(self) -> dict[str, tuple[str, ...]]:
        """Return for each definition that is not as it should be what is wrong, a line each."""
        lines: dict[str, tuple[str, ...]] = {}
        for found in self._found:
            of_instance = self._whys_of(found)
            if of_instance:
                id_ = found.get("definition_id", "")
                lines[id_] = (*lines.get(id_, ()), *of_instance)
        return lines

    def _class(self, id_: str) -> str:
        defined = self._defined.get(id_)
        return defined.get("class", "") if defined is not None else ""

    def _whys_of(self, found: Element) -> tuple[str, ...]:
        wanted = self._class(found.get("definition_id", "")) not in FINDS_FAULTS
        every = (self._criteria(criteria, 0, wanted=wanted) for criteria in children(found, "criteria"))
        lines = list(islice(chain.from_iterable(every), _LINES + 1))
        return (*lines[:_LINES], "and more") if len(lines) > _LINES else tuple(lines)

    def _criteria(self, element: Element, depth: int, *, wanted: bool) -> Iterator[str]:
        """Yield what keeps a part of a definition from what is wanted of it."""
        if element.get("result") == str(wanted).lower() or depth > _DEPTH:
            return
        below = wanted != (element.get("negate") == "true")
        if local(element) == "criteria":
            for child in element.iterchildren("{*}criteria", "{*}criterion", "{*}extend_definition"):
                yield from self._criteria(child, depth + 1, wanted=below)
        elif local(element) == "extend_definition":
            other = self._by_id.get(element.get("definition_ref", ""))
            for criteria in children(other, "criteria") if other is not None else ():
                yield from self._criteria(criteria, depth + 1, wanted=below)
        else:
            yield from self._test(element.get("test_ref", ""), wanted=below)

    def _test(self, id_: str, *, wanted: bool) -> Iterator[str]:
        """Yield what a test was about, and what it found."""
        result, test = self._described.get(id_), self._tests.get(id_)
        what = result.get("comment", "") if result is not None else ""
        yield f"{'not so' if wanted else 'so, and must not be'}: {what or id_}"
        if test is None:
            return
        tested = [item for item in children(test, "tested_item") if item.get("result") != str(wanted).lower()]
        yield from self._items_of(tested, [] if result is None else self._states_of(result))
        if not tested and wanted:
            yield "  found: nothing of the kind"

    def _items_of(self, tested: list[Element], states: list[Element]) -> Iterator[str]:
        for element in tested[:_ITEMS]:
            item = self._items.get(element.get("item_id", ""))
            if item is not None:
                yield f"  found: {_item(item, states)}"
        if len(tested) > _ITEMS:
            yield f"  and {plural(len(tested) - _ITEMS, 'more item')}"

    def _states_of(self, result: Element) -> list[Element]:
        states = (self._described.get(state.get("state_ref", "")) for state in children(result, "state"))
        return [state for state in states if state is not None]


def _references(metadata: Element) -> Iterator[tuple[str, str]]:
    for reference in children(metadata, "reference"):
        yield reference.get("ref_id", "") or reference.get("source", ""), reference.get("ref_url", "")


def _by_id(element: Element, name: str, key: str) -> dict[str, Element]:
    """Return what stands in the parts of a name, by an attribute."""
    return {part.get(key, ""): part for part in _grandchildren(element, name)}


def _grandchildren(element: Element, name: str) -> Iterator[Element]:
    """Yield what stands in the parts of a name."""
    for part in children(element, name):
        yield from (child for child in part if isinstance(child.tag, str))


def _item(item: Element, states: list[Element]) -> str:
    """Return an item of a machine as words: what it is called, then what a state asks of it."""
    wanted_names = {local(part) for state in states for part in state}
    names = [
        part for part in item if isinstance(part.tag, str) and local(part) not in wanted_names and text_of(part)
    ]
    words = [f"{_name(part)} {text_of(part)}" for part in names[:_VALUES]]
    words += filter(None, (_difference(item, element) for state in states for element in state))
    return "; ".join(words)


def _difference(item: Element, wanted: Element) -> str:
    """Return what an item holds and what is asked of it, "" where it holds just that or nothing."""
    value = first_text(item, local(wanted)) if isinstance(wanted.tag, str) else ""
    operation, bound = wanted.get("operation", "equals"), text_of(wanted)
    if not value or (operation == "equals" and value == bound):
        return ""
    bound = bound or f"what the variable {wanted.get('var_ref', '')} holds"
    return f"{_name(wanted)} is {value}, {_OPERATIONS.get(operation, operation)} {bound}"


def _name(element: Element) -> str:
    return local(element).replace("_", " ")
