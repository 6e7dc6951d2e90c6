"""The calls of a run: exchanges that count, grouped by operation, and what a document says of them."""

from enum import StrEnum

import msgspec

from plain_verdict.model.check import Check
from plain_verdict.model.exchange import Exchange
from plain_verdict.model.facts import Value


class Operation(Value, frozen=True):
    """A method and a path template of an API. ``host`` is "" where the run has one host only.

    ``title`` is what the document calls it; ``documented`` is None where there is no document.
    """

    method: str
    path: str
    host: str = ""
    title: str = ""
    documented: bool | None = None

    @property
    def name(self) -> str:
        """Return the operation as scopes of conditions name it: ``POST /bookings``."""
        return f"{self.method} {self.host}{self.path}"


class CallState(StrEnum):
    """Whether a call came back as its check expected."""

    EXPECTED = "as expected"
    WRONG = "wrong"


class Call(Value, frozen=True):
    """An exchange of the attempt that counts, with its check and its operation."""

    exchange: Exchange
    check: Check
    operation: Operation
    state: CallState
    documented_status: bool | None = None
    """Whether the document knows the operation and this answer of it; None without a document, or an answer."""

    @property
    def status(self) -> str:
        """Return the status as a text, ``no answer`` where nothing came back."""
        return str(self.exchange.response.status) if self.exchange.response else "no answer"


class Coverage(Value, frozen=True):
    """What a document describes and the run did not touch: operations, and (operation, status) pairs."""

    title: str
    described: int
    not_called: tuple[Operation, ...] = ()
    not_seen: tuple[tuple[Operation, str], ...] = ()


class ApiCalls(msgspec.Struct, frozen=True):
    """Every call of a run. ``coverage`` is None without a document; ``notes`` are on reading that."""

    calls: tuple[Call, ...] = ()
    coverage: Coverage | None = None
    notes: tuple[str, ...] = ()
