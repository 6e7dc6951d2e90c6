"""The classes of taxonomies that rules and results belong to: weaknesses, controls. Source: SARIF 2.1.0, 3.19.3."""

from collections.abc import Iterator, Sequence
from itertools import chain

from plain_verdict.http.building import read_url
from plain_verdict.model import Fact
from plain_verdict.readers.sarif.format import Component, Descriptor, DescriptorReference, Result, Run
from plain_verdict.readers.sarif.rules import Found
from plain_verdict.text.cleaning import single_line
from plain_verdict.text.formatting import join_list

_MOST_CLASSES = 10
"""Of one rule that are named."""
_CLASS_CHARS = 120


class Taxonomies:
    """The taxonomies of one run of a tool (3.14.8), and classes that the tool defines itself (3.19.24)."""

    def __init__(self, run: Run) -> None:
        self._run = run

    def facts_of(self, found: Found, results: Sequence[Result]) -> Iterator[Fact]:
        """Yield the classes of a rule (3.49.15) and of its results (3.27.8), a fact for each taxonomy."""
        by_taxonomy: dict[str, dict[str, None]] = {}
        for component, descriptor in self._classes(found, results):
            title = descriptor.name or descriptor.short_description.text
            words = ": ".join(filter(None, (descriptor.id, title if title != descriptor.id else "")))
            if words:
                by_taxonomy.setdefault(component.name or "class", {})[single_line(words, _CLASS_CHARS)] = None
        for name, classes in by_taxonomy.items():
            yield Fact(single_line(name, _CLASS_CHARS), join_list(list(classes), _MOST_CLASSES))

    def links_of(self, found: Found, results: Sequence[Result]) -> Iterator[Fact]:
        """Yield where taxonomies explain those classes."""
        links = {
            read_url(descriptor.help_uri): single_line(descriptor.id or descriptor.name, _CLASS_CHARS)
            for _, descriptor in self._classes(found, results)
            if descriptor.help_uri
        }
        yield from (Fact(name, link) for link, name in list(links.items())[:_MOST_CLASSES])

    def _classes(self, found: Found, results: Sequence[Result]) -> Iterator[tuple[Component, Descriptor]]:
        of_rule = (relationship.target for relationship in found.descriptor.relationships)
        for reference in chain(of_rule, *(result.taxa for result in results)):
            component = self._component(reference)
            if component is None:
                continue
            classes = component.taxa
            if 0 <= reference.index < len(classes):
                yield component, classes[reference.index]
            elif reference.id:
                named = (descriptor for descriptor in classes if descriptor.id == reference.id)
                yield component, next(named, Descriptor(id=reference.id))

    def _component(self, reference: DescriptorReference) -> Component | None:
        """Return the taxonomy that a reference means (3.54); None for a reference to another rule."""
        of = reference.tool_component
        taxonomies = self._run.taxonomies
        for component in taxonomies:
            if (of.guid and component.guid == of.guid) or (of.name and component.name == of.name):
                return component
        if of.name:
            return Component(name=of.name) if reference.id and not self._is_of_tool(of.name) else None
        if 0 <= of.index < len(taxonomies):
            return taxonomies[of.index]
        return self._run.tool.driver

    def _is_of_tool(self, name: str) -> bool:
        return name in (component.name for component in (self._run.tool.driver, *self._run.tool.extensions))
