"""Finds the rule of a result, and how grave it is."""

from typing import NamedTuple

from plain_verdict.model import Severity
from plain_verdict.readers.sarif.format import Component, Descriptor, DescriptorReference, Result, Run
from plain_verdict.readers.severities import severity_of_score

_LEVELS = {"none": Severity.NONE, "note": Severity.LOW, "warning": Severity.MEDIUM, "error": Severity.HIGH}
_SCORE = "security-severity"  # the property that scanners share; its scale is that of CVSS
_NAMELESS = Descriptor()


class Found(NamedTuple):
    """The rule of a result: its id, what the log says of it, and the component that has it."""

    id: str
    descriptor: Descriptor
    component: Component


class Rules:
    """The rules of one run of a tool."""

    def __init__(self, run: Run) -> None:
        self._tool = run.tool
        self._by_id = {
            descriptor.id: (descriptor, component)
            for component in (*reversed(run.tool.extensions), run.tool.driver)
            for descriptor in component.rules
        }
        self._overrides = [override for call in run.invocations for override in call.rule_configuration_overrides]
        self.out_of_range = 0

    def of(self, result: Result) -> Found:
        """Return the rule of a result (3.27.5 to 3.27.7): by its index, or by its id or the first parts of that."""
        component = self._component(result.rule)
        index = result.rule_index if result.rule_index >= 0 else result.rule.index
        id_ = result.rule_id or result.rule.id
        if index >= 0:
            if index < len(component.rules):
                descriptor = component.rules[index]
                return Found(id_ or descriptor.id, descriptor, component)
            self.out_of_range += 1
        wanted = id_
        while wanted:
            if wanted in self._by_id:
                return Found(id_, *self._by_id[wanted])
            wanted = wanted.rpartition("/")[0]
        return Found(id_, _NAMELESS, component)

    def notification(self, reference: DescriptorReference) -> Found:
        """Return what the log says of a notification (3.58.2)."""
        component = self._component(reference)
        known = component.notifications
        if 0 <= reference.index < len(known):
            return Found(reference.id, known[reference.index], component)
        named = (descriptor for descriptor in known if reference.id and descriptor.id == reference.id)
        return Found(reference.id, next(named, _NAMELESS), component)

    def _component(self, reference: DescriptorReference) -> Component:
        """Return the component that a reference means (3.54): the driver where it says nothing."""
        component_reference = reference.tool_component
        if 0 <= component_reference.index < len(self._tool.extensions):
            return self._tool.extensions[component_reference.index]
        named = [
            extension
            for extension in self._tool.extensions
            if component_reference.name and extension.name == component_reference.name
        ]
        return named[0] if named else self._tool.driver

    def level(self, result: Result, found: Found) -> str:
        """Return the effective level of a result (3.27.10)."""
        if result.kind != "fail":
            return "none"
        if result.level:
            return result.level
        for override in self._overrides:
            of = override.descriptor
            component = self._component(of)
            same_location = 0 <= of.index < len(component.rules) and component.rules[of.index] is found.descriptor
            same_id = of.id and of.id == found.descriptor.id and component is found.component
            if override.configuration.level and (same_location or same_id):
                return override.configuration.level
        return found.descriptor.default_configuration.level or "warning"


def severity_of(level: str, descriptor: Descriptor) -> Severity:
    """Return how grave a result is: by the score that its rule has, or else by its level."""
    score = severity_of_score(str(descriptor.properties.get(_SCORE, "")))
    return score if score is not None else _LEVELS.get(level, Severity.MEDIUM)
