"""The parts of a SARIF log that are read, as they stand in it. Section numbers are those of the standard."""

from collections.abc import Iterator

import msgspec

_KILLED = range(129, 160)
"""Exit codes of processes that a signal ended. Source: POSIX.1-2017, Shell Command Language, section 2.8.2."""


class Part(msgspec.Struct, frozen=True, rename="camel"):
    """What all parts share: keys in camel case; keys that are not known are passed over."""


class Message(Part, frozen=True):
    """Section 3.11."""

    text: str = ""
    markdown: str = ""
    id: str = ""
    arguments: tuple[object, ...] = ()
    """Texts (3.11.11); numbers, which some write, are taken as they stand."""


class ArtifactContent(Part, frozen=True):
    """Section 3.3."""

    text: str = ""
    binary: str = ""


class ArtifactLocation(Part, frozen=True):
    """Section 3.4."""

    uri: str = ""
    uri_base_id: str = ""
    index: int = -1


class Region(Part, frozen=True):
    """Section 3.30."""

    start_line: int | None = None
    start_column: int | None = None
    snippet: ArtifactContent = ArtifactContent()


class PhysicalLocation(Part, frozen=True):
    """Section 3.29."""

    artifact_location: ArtifactLocation = ArtifactLocation()
    region: Region = Region()
    context_region: Region = Region()


class LogicalLocation(Part, frozen=True):
    """Section 3.33."""

    name: str = ""
    fully_qualified_name: str = ""


class Location(Part, frozen=True):
    """Section 3.28."""

    physical_location: PhysicalLocation = PhysicalLocation()
    logical_locations: tuple[LogicalLocation, ...] = ()
    message: Message = Message()


class ThreadFlowLocation(Part, frozen=True):
    """Section 3.38."""

    location: Location = Location()


class ThreadFlow(Part, frozen=True):
    """Section 3.37."""

    locations: tuple[ThreadFlowLocation, ...] = ()


class CodeFlow(Part, frozen=True):
    """Section 3.36."""

    thread_flows: tuple[ThreadFlow, ...] = ()


class Fix(Part, frozen=True):
    """Section 3.55."""

    description: Message = Message()


class Suppression(Part, frozen=True):
    """Section 3.35."""

    kind: str = ""
    status: str = "accepted"
    justification: str = ""
    location: Location = Location()


class ComponentReference(Part, frozen=True):
    """Section 3.54."""

    name: str = ""
    index: int = -1
    guid: str = ""


class DescriptorReference(Part, frozen=True):
    """Section 3.52."""

    id: str = ""
    index: int = -1
    tool_component: ComponentReference = ComponentReference()


class Configuration(Part, frozen=True):
    """Section 3.50."""

    level: str = ""


class Override(Part, frozen=True):
    """Section 3.51."""

    configuration: Configuration = Configuration()
    descriptor: DescriptorReference = DescriptorReference()


class Graph(Part, frozen=True):
    """Section 3.39. It is counted only."""


class GraphTraversal(Part, frozen=True):
    """Section 3.42. It is counted only."""


class Relationship(Part, frozen=True):
    """3.53, of a rule to another descriptor: one of a taxonomy, say."""

    target: DescriptorReference = DescriptorReference()


class Result(Part, frozen=True):
    """Section 3.27."""

    rule_id: str = ""
    rule_index: int = -1
    rule: DescriptorReference = DescriptorReference()
    kind: str = "fail"
    level: str = ""
    message: Message = Message()
    locations: tuple[Location, ...] = ()
    suppressions: tuple[Suppression, ...] | None = None
    baseline_state: str = ""
    code_flows: tuple[CodeFlow, ...] = ()
    fixes: tuple[Fix, ...] = ()
    related_locations: tuple[Location, ...] = ()
    taxa: tuple[DescriptorReference, ...] = ()
    graphs: tuple[Graph, ...] = ()
    graph_traversals: tuple[GraphTraversal, ...] = ()


class Descriptor(Part, frozen=True):
    """3.49, of a rule. ``properties`` has what many producers give as its severity and tags."""

    id: str = ""
    name: str = ""
    short_description: Message = Message()
    full_description: Message = Message()
    help: Message = Message()
    help_uri: str = ""
    message_strings: dict[str, Message] = {}
    default_configuration: Configuration = Configuration()
    properties: dict[str, object] = {}
    relationships: tuple[Relationship, ...] = ()


class Component(Part, frozen=True):
    """3.19, a tool's driver, one of its extensions, or a taxonomy."""

    name: str = ""
    guid: str = ""
    version: str = ""
    semantic_version: str = ""
    rules: tuple[Descriptor, ...] = ()
    taxa: tuple[Descriptor, ...] = ()
    notifications: tuple[Descriptor, ...] = ()
    global_message_strings: dict[str, Message] = {}


class Tool(Part, frozen=True):
    """Section 3.18."""

    driver: Component = Component()
    extensions: tuple[Component, ...] = ()


class Notification(Part, frozen=True):
    """Section 3.58."""

    message: Message = Message()
    level: str = "warning"
    descriptor: DescriptorReference = DescriptorReference()


class Invocation(Part, frozen=True):
    """Section 3.20."""

    execution_successful: bool | None = None
    exit_code: int | None = None
    exit_signal_name: str = ""
    exit_signal_number: int | None = None
    process_start_failure_message: str = ""
    start_time_utc: str = ""
    end_time_utc: str = ""
    rule_configuration_overrides: tuple[Override, ...] = ()
    tool_execution_notifications: tuple[Notification, ...] = ()
    tool_configuration_notifications: tuple[Notification, ...] = ()

    def troubles(self) -> Iterator[Notification]:
        """Yield what says that the tool did not do all of its work.

        That is an error that it notes (3.20.21, 3.20.22), a process that was killed (3.20.10, and 3.20.8 as shells
        have it) or never began (3.20.12), or its own word (3.20.14). Other exit codes say that it found something.
        """
        notes = (*self.tool_execution_notifications, *self.tool_configuration_notifications)
        yield from (note for note in notes if note.level == "error")
        if self.process_start_failure_message:
            yield Notification(Message(self.process_start_failure_message))
        if self.exit_signal_name or self.exit_signal_number:
            yield Notification(
                Message(f"it was ended by signal {self.exit_signal_name or self.exit_signal_number}")
            )
        if self.exit_code in _KILLED:
            yield Notification(Message(f"it ended with exit code {self.exit_code}, like a killed process"))
        if self.execution_successful is False:
            yield Notification()


class Artifact(Part, frozen=True):
    """Section 3.24."""

    location: ArtifactLocation = ArtifactLocation()
    contents: ArtifactContent = ArtifactContent()


class ExternalFiles(Part, frozen=True):
    """3.15. Files of their own that hold parts of a run."""

    results: tuple[dict[str, object], ...] = ()


class Run(Part, frozen=True):
    """3.14. ``results`` is None where the scan did not happen (3.14.23)."""

    tool: Tool = Tool()
    results: tuple[Result, ...] | None = None
    invocations: tuple[Invocation, ...] = ()
    artifacts: tuple[Artifact, ...] = ()
    original_uri_base_ids: dict[str, ArtifactLocation] = {}
    external_property_file_references: ExternalFiles = ExternalFiles()
    taxonomies: tuple[Component, ...] = ()
    graphs: tuple[Graph, ...] = ()


class Log(Part, frozen=True):
    """Section 3.13."""

    version: str
    runs: tuple[Run, ...] | None = None
