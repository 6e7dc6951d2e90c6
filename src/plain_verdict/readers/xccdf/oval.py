"""Why a machine does not keep a rule, from the OVAL results that stand beside those of the rules in one file.

Source: OVAL 5.11, oval-results-schema, oval-definitions-schema and oval-system-characteristics-schema.
"""

from collections.abc import Iterator
from itertools import islice

from plain_verdict.readers.xccdf.parts import Element, children, first_text, local, text_of
from plain_verdict.text.formatting import plural

_FINDS_FAULTS = ("vulnerability", "patch")  # a definition of these classes is true where something is wrong
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


class OvalResults:
    """What one set of OVAL results says of its definitions."""

    def __init__(self, element: Element) -> None:
        self._classes: dict[str, str] = {}
        self._results: dict[str, Element] = {}  # tests and states as they are defined, by id
        self._tests: dict[str, Element] = {}
        self._items: dict[str, Element] = {}
        self._found: dict[str, Element] = {}
        for part in element.iterchildren("{*}oval_definitions"):
            self._classes = {
                definition.get("id", ""): definition.get("class", "")
                for definition in _grandchildren(part, "definitions")
            }
            for name in ("tests", "states"):
                self._results.update(
                    (definition.get("id", ""), definition) for definition in _grandchildren(part, name)
                )
        for system in _grandchildren(element, "results"):
            self._tests.update(
                (definition.get("test_id", ""), definition) for definition in _grandchildren(system, "tests")
            )
            self._found.update(
                (definition.get("definition_id", ""), definition)
                for definition in _grandchildren(system, "definitions")
            )
            for known in children(system, "oval_system_characteristics"):
                self._items.update(
                    (definition.get("id", ""), definition) for definition in _grandchildren(known, "system_data")
                )

    def whys(self) -> dict[str, tuple[str, ...]]:
        """Return for each definition that is not as it should be what is wrong, a line each."""
        found = {}
        for id_ in self._found:
            lines = list(islice(self._why(id_, 0), _LINES + 1))
            if lines:
                found[id_] = (*lines[:_LINES], *(["and more"] if len(lines) > _LINES else []))
        return found

    def _why(self, id_: str, depth: int) -> Iterator[str]:
        wanted = self._classes.get(id_) not in _FINDS_FAULTS
        for criteria in children(self._found[id_], "criteria"):
            yield from self._criteria(criteria, depth, wanted=wanted)

    def _criteria(self, element: Element, depth: int, *, wanted: bool) -> Iterator[str]:
        """Yield what keeps a part of a definition from what is wanted of it."""
        if element.get("result") == str(wanted).lower() or depth > _DEPTH:
            return
        below = wanted != (element.get("negate") == "true")
        if local(element) == "criteria":
            for child in element.iterchildren("{*}criteria", "{*}criterion", "{*}extend_definition"):
                yield from self._criteria(child, depth + 1, wanted=below)
        elif local(element) == "extend_definition":
            other = self._found.get(element.get("definition_ref", ""))
            for criteria in children(other, "criteria") if other is not None else ():
                yield from self._criteria(criteria, depth + 1, wanted=below)
        else:
            yield from self._test(element.get("test_ref", ""), wanted=below)

    def _test(self, id_: str, *, wanted: bool) -> Iterator[str]:
        """Yield what a test was about, and what it found."""
        result, test = self._results.get(id_), self._tests.get(id_)
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
        states = (self._results.get(state.get("state_ref", "")) for state in children(result, "state"))
        return [state for state in states if state is not None]


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
