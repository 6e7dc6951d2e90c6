"""What stands under the message of a SARIF result: its lines, other places, the way there, suppressions."""

from collections.abc import Iterator

from plain_verdict.readers.sarif.format import CodeFlow, Location, Result, Suppression
from plain_verdict.readers.sarif.message_text import Locations, Messages
from plain_verdict.readers.sarif.rules import Found
from plain_verdict.text.formatting import plural

_SUPPRESSED_IN = {"inSource": "in the source", "external": "outside the source"}  # 3.35.2
_SUPPRESSION_STATES = {"underReview": "under review"}  # 3.35.3
_FLOW_STEPS = 20  # of a code flow: a reader follows no more


class Details:
    """Says what one run of a tool has on its results."""

    def __init__(self, locations: Locations, messages: Messages) -> None:
        self._locations = locations
        self._messages = messages

    def of(self, result: Result, found: Found) -> Iterator[str]:
        """Yield the lines at the place, other places, the way there, what would mend it, and suppressions."""
        for number, location in enumerate(result.locations):
            if number:
                yield self._line("also at", location, found)
            yield from filter(None, (self._locations.snippet(location).strip("\n"),))
        yield from (self._line("see", location, found) for location in result.related_locations[:_FLOW_STEPS])
        for flow in result.code_flows[:1]:
            yield from self._steps(flow, found)
        fixes = (self._messages.text(fix.description, found) for fix in result.fixes)
        yield from (f"Fix: {words}" for words in fixes if words)
        yield from map(self._suppression, result.suppressions or ())

    def _steps(self, flow: CodeFlow, found: Found) -> Iterator[str]:
        """Yield the steps of a code flow (3.36) in their order."""
        steps = [step.location for thread in flow.thread_flows for step in thread.locations]
        for number, step in enumerate(steps[:_FLOW_STEPS], 1):
            yield f"{number}. {self._locations.where(step)} {self._messages.text(step.message, found)}".rstrip()
        if len(steps) > _FLOW_STEPS:
            yield f"and {plural(len(steps) - _FLOW_STEPS, 'more step')}"

    def _line(self, before: str, location: Location, found: Found) -> str:
        words = self._messages.text(location.message, found)
        return " ".join(filter(None, (before, self._locations.where(location), words)))

    def _suppression(self, suppression: Suppression) -> str:
        """Return where a finding is suppressed, whether that is accepted, and why (3.35)."""
        where = _SUPPRESSED_IN.get(suppression.kind, suppression.kind)
        at = self._locations.where(suppression.location)
        state = _SUPPRESSION_STATES.get(suppression.status, suppression.status)
        words = " ".join(filter(None, ("suppressed", where, f"at {at}" if at else "")))
        return f"{words} ({state}){f': {suppression.justification}' if suppression.justification else ''}"
