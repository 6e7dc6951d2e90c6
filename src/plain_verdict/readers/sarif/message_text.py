"""The words and places of a SARIF log: messages with their arguments (3.11), files with their bases (3.4)."""

import re
from collections.abc import Sequence
from urllib.parse import unquote

from plain_verdict.readers.sarif.format import ArtifactLocation, Location, Message, Run
from plain_verdict.readers.sarif.rules import Found

_PLACEHOLDER = re.compile(r"\{(\d{1,3})\}|\{\{|\}\}")
_LINK = re.compile(r"\[((?:\\.|[^\]\\])*)\]\((?:\\.|[^)\\])*\)")
_MOST_BASES = 10  # uriBaseId chains (SARIF 2.1.0, section 3.14.14): longer ones are loops


class Messages:
    """Says what messages of one run mean; counts those that lack arguments, and those whose id nothing knows."""

    def __init__(self) -> None:
        self.lacking = 0
        self.unknown_ids = 0

    def text(self, message: Message, found: Found | None = None) -> str:
        """Return a message as text: its own, or its rule's by its id (3.11.7), with its arguments (3.11.5)."""
        text = message.text or message.markdown
        if not text and message.id:
            named = _named(message.id, found)
            self.unknown_ids += named is None
            text = (named.text or named.markdown) if named else ""
        # A text without arguments may have braces that are none of the standard's.
        if message.arguments or "{{" in text or (message.id and "{" in text):
            text = self._filled(text, message.arguments)
        # Links in plain text (3.11.6) lead to places in the log; their words are enough.
        return _LINK.sub(lambda match: match[1].replace("\\", ""), text) if "](" in text else text

    def _filled(self, text: str, arguments: Sequence[object]) -> str:
        numbers = [int(match[1]) for match in _PLACEHOLDER.finditer(text) if match[1]]
        self.lacking += any(number >= len(arguments) for number in numbers)
        return _PLACEHOLDER.sub(lambda match: _argument(match, arguments), text)


def _named(id_: str, found: Found | None) -> Message | None:
    """Return the message of an id: the rule's, else its component's (3.11.7)."""
    if found is None:
        return None
    return found.descriptor.message_strings.get(id_) or found.component.global_message_strings.get(id_)


def _argument(match: re.Match[str], arguments: Sequence[object]) -> str:
    """Return what a place of a message holds; one without an argument stays, so that it is seen."""
    if match[1] is None:
        return match[0][0]
    number = int(match[1])
    return str(arguments[number]) if number < len(arguments) else match[0]


class Locations:
    """Says where things are in one run."""

    def __init__(self, run: Run) -> None:
        self._run = run

    def file(self, location: ArtifactLocation) -> str:
        """Return a file as a path or an address (3.4), with what its base says before it."""
        if not location.uri and 0 <= location.index < len(self._run.artifacts):
            location = self._run.artifacts[location.index].location
        uri, base, seen = location.uri, location.uri_base_id, 0
        while base and ":" not in uri.partition("/")[0] and seen < _MOST_BASES:
            artifact_location = self._run.original_uri_base_ids.get(base)
            if artifact_location is None:
                break
            if not artifact_location.uri.startswith(
                "file:"
            ):  # where it stood on the machine that scanned tells nobody anything
                uri = artifact_location.uri.rstrip("/") + "/" + uri if artifact_location.uri else uri
            base, seen = artifact_location.uri_base_id, seen + 1
        return unquote(uri.removeprefix("file://"))

    def where(self, location: Location) -> str:
        """Return the place of a finding, shortened."""
        physical = location.physical_location
        file, region = self.file(physical.artifact_location), physical.region
        if file:
            line = f":{region.start_line}" if region.start_line else ""
            column = f":{region.start_column}" if line and region.start_column else ""
            return f"{file}{line}{column}"
        logical = next(iter(location.logical_locations), None)
        return (logical.fully_qualified_name or logical.name) if logical else ""

    @staticmethod
    def snippet(location: Location) -> str:
        """Return the lines that the log gives of a place."""
        physical = location.physical_location
        return physical.region.snippet.text or physical.context_region.snippet.text
