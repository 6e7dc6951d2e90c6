"""An exchange with a service: what was sent, what came back, how long it took; and expectations of a check."""

from datetime import datetime

from plain_verdict.model.evidence import Evidence
from plain_verdict.model.facts import Fact, Value
from plain_verdict.model.outcome import Outcome


class Expectation(Value, frozen=True, omit_defaults=True):
    """One assertion of a check: what was looked at, what was expected and what was there.

    ``expected`` and ``actual`` are None where they can't be told. ``exchange`` is the place, from 0, of the
    exchange it is about among those of its attempt or step; None where that can't be told.
    """

    subject: str
    outcome: Outcome
    expected: str | None = None
    actual: str | None = None
    message: str = ""
    exchange: int | None = None


class Body(Value, frozen=True, omit_defaults=True):
    """What a request or a response carries.

    ``text`` is laid out for reading and may be shortened; ``form`` are the fields of a form, ``binary`` holds what
    is not text. ``size_bytes`` is that of the body once decoded, None where it can't be told. ``remark`` says what
    was done to it or why it is not here.
    """

    media_type: str = ""
    text: str = ""
    form: tuple[Fact, ...] = ()
    binary: Evidence | None = None
    size_bytes: int | None = None
    remark: str = ""


class HttpRequest(Value, frozen=True, omit_defaults=True):
    """What was sent. ``wire_bytes`` went over the wire, headers included where they were counted; None: unknown."""

    method: str
    url: str
    protocol: str = ""
    headers: tuple[Fact, ...] = ()
    body: Body | None = None
    wire_bytes: int | None = None


class HttpResponse(Value, frozen=True, omit_defaults=True):
    """What came back. ``wire_bytes`` as for a request."""

    status: int
    reason: str = ""
    protocol: str = ""
    headers: tuple[Fact, ...] = ()
    body: Body | None = None
    wire_bytes: int | None = None


class Timings(Value, frozen=True):
    """What an exchange spent its time on, in seconds; None where it is not known.

    Source: HAR 1.2, section "timings". ``connect_s`` is without TLS here, whatever a file adds up.
    """

    blocked_s: float | None = None
    lookup_s: float | None = None
    connect_s: float | None = None
    tls_s: float | None = None
    send_s: float | None = None
    wait_s: float | None = None
    receive_s: float | None = None


class Exchange(Value, frozen=True, omit_defaults=True):
    """A request to a service and what came back: a redirect and a retry are exchanges of their own.

    ``response`` is None where nothing came back, and ``no_answer`` says why. ``address`` answered.
    ``only_shown``: it was found beside a check and judges nothing.
    """

    request: HttpRequest
    response: HttpResponse | None = None
    no_answer: str = ""
    took_s: float | None = None
    timings: Timings = Timings()
    sent: datetime | None = None
    address: str = ""
    only_shown: bool = False
