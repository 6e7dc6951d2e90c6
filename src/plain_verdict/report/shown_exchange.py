"""What an exchange and an expectation show, decided once for every place they stand in."""

from collections.abc import Sequence

import msgspec

from plain_verdict.http.building import about_chars, header_of
from plain_verdict.http.curl import curl_command
from plain_verdict.model import (
    Body,
    Check,
    Exchange,
    Expectation,
    Fact,
    HttpRequest,
    HttpResponse,
    Timings,
    detailed_of,
    exchanges_of,
)
from plain_verdict.report.evidence_index import EvidenceIndex, ShownEvidence
from plain_verdict.text.formatting import format_duration, format_size, plural

_HEADERS_IN_VIEW = 6
_LINES_IN_VIEW, _CHARS_IN_VIEW = 14, 1_500  # longer bodies are folded: the next exchange stays in view
_SHORT_BODY_CHARS = 80
_NARROWEST = 0.8  # per cent of the timing bar: a short part must still be seen
_LEAST_SHOWN_S = 0.0005  # less would read as 0 ms
_PARTS = (
    ("blocked_s", "blocked"),
    ("lookup_s", "looked up"),
    ("connect_s", "connected"),
    ("tls_s", "secured"),
    ("send_s", "sent"),
    ("wait_s", "waited"),
    ("receive_s", "received"),
)
"""What the time is spent on, in the order in which it happens, in words."""


class ShownExpectation(msgspec.Struct, frozen=True):
    """An expectation; ``side_by_side`` where its values are too long for one line."""

    expectation: Expectation
    side_by_side: bool


class ShownBody(msgspec.Struct, frozen=True):
    """What a message carried: text, a form, or evidence; ``folded`` where it is long."""

    text: str
    folded: bool
    form: tuple[Fact, ...]
    evidence: tuple[ShownEvidence, ...]
    note: str


class ShownMessage(msgspec.Struct, frozen=True):
    """A request or a response: how it is headed, its headers in view and the others, one a line, its body."""

    head: str
    headers: str
    more_headers: str
    more_note: str
    body: ShownBody | None


class TimingPart(msgspec.Struct, frozen=True):
    """A part of the timing bar, in per cent, with what it was spent on."""

    name: str
    start: float
    width: float


class ShownExchange(msgspec.Struct, frozen=True):
    """An exchange with everything that the report shows of it. ``is_open``: it is what a reader looks for."""

    exchange: Exchange
    answer: str
    wrong: bool
    is_open: bool
    circumstances: str
    sent: ShownMessage
    came_back: ShownMessage
    timing: tuple[TimingPart, ...]
    timing_note: str
    curl: str
    curl_note: str


def exchange_chars(checks: Sequence[Check]) -> int:
    """Return about how many characters the exchanges of checks take on a page."""
    parts = (
        attempt for check in detailed_of(checks) for attempt in check.attempts if attempt.exchanges or attempt.steps
    )
    return sum(about_chars(exchange) for part in parts for exchange, _, _ in exchanges_of(part))


def show_expectation(expectation: Expectation) -> ShownExpectation:
    """Return what an expectation shows."""
    both = expectation.expected is not None and expectation.actual is not None
    text = f"{expectation.expected or ''}{expectation.actual or ''}"
    return ShownExpectation(expectation, both and (len(text) > _SHORT_BODY_CHARS or "\n" in text))


def show_exchange(exchange: Exchange, *, wrong: bool, alone: bool, evidence: EvidenceIndex) -> ShownExchange:
    """Return what an exchange shows; ``alone``: its check or step has no other."""
    request, response = exchange.request, exchange.response
    parts, note = _timing(exchange.timings)
    return ShownExchange(
        exchange=exchange,
        answer=f"{response.status} {response.reason}".strip() if response else "no answer",
        wrong=wrong,
        is_open=wrong or alone,
        circumstances=_circumstances(exchange),
        sent=_message(request, _sized("Sent", request), evidence),
        came_back=_came_back(exchange, evidence),
        timing=parts,
        timing_note=note,
        curl=curl_command(exchange),
        curl_note=_on_curl(request.body),
    )


def _circumstances(exchange: Exchange) -> str:
    """Return when it was sent, how, and who answered."""
    spoken = (exchange.request.protocol, exchange.response.protocol if exchange.response else "")
    protocols = list(dict.fromkeys(filter(None, spoken)))
    parts = (
        f"sent at {exchange.sent.isoformat(timespec='seconds')[11:19]}" if exchange.sent else "",
        f"over {' and '.join(protocols)}" if protocols else "",
        f"answered by {exchange.address}" if exchange.address else "",
        "found beside the check, judges nothing" if exchange.only_shown else "",
    )
    return ", ".join(filter(None, parts))


def _sized(word: str, message: HttpRequest | HttpResponse) -> str:
    """Return how a message is headed: what went over the wire, and the body's size where that is another."""
    size_bytes = message.body.size_bytes if message.body else None
    number_bytes = message.wire_bytes if message.wire_bytes is not None else size_bytes
    unlike = size_bytes is not None and message.wire_bytes is not None and size_bytes > message.wire_bytes
    unpacked = f" ({format_size(size_bytes or 0)} unpacked)" if unlike else ""
    media_type = message.body.media_type if message.body else ""
    named = media_type if not header_of(message.headers, "content-type") else ""
    size = f"{format_size(number_bytes)}{unpacked}" if number_bytes is not None else ""
    return ", ".join(filter(None, (word, size, named)))


def _came_back(exchange: Exchange, evidence: EvidenceIndex) -> ShownMessage:
    after = f" after {format_duration(exchange.took_s)}" if exchange.took_s is not None else ""
    if exchange.response is None:
        return ShownMessage(f"No answer{after}: {exchange.no_answer}", "", "", "", None)
    return _message(exchange.response, _sized(f"Answer{after}", exchange.response), evidence)


def _message(message: HttpRequest | HttpResponse, head: str, evidence: EvidenceIndex) -> ShownMessage:
    lines = [f"{header.key}: {header.value}" for header in message.headers]
    body = _body(message.body, evidence) if message.body else None
    more = lines[_HEADERS_IN_VIEW:]
    note = plural(len(more), "more header") if more else ""
    return ShownMessage(head, "\n".join(lines[:_HEADERS_IN_VIEW]), "\n".join(more), note, body)


def _body(body: Body, evidence: EvidenceIndex) -> ShownBody:
    long = len(body.text) > _CHARS_IN_VIEW or body.text.count("\n") >= _LINES_IN_VIEW
    # What it is stands among the headers; only what is not there to be seen needs words.
    kept = bool(body.text or body.form or body.binary)
    size = f", {format_size(body.size_bytes)}," if body.size_bytes is not None and not kept else ""
    note = f"The body{size} {body.remark}." if body.remark else ""
    shown = tuple(evidence.shown((body.binary,))) if body.binary else ()
    return ShownBody(body.text, long, body.form, shown, note)


def _timing(timings: Timings) -> tuple[tuple[TimingPart, ...], str]:
    """Return the timing bar's parts, and the same in words."""
    known = [(word, getattr(timings, name)) for name, word in _PARTS]
    spent = [(word, seconds) for word, seconds in known if seconds]
    if not spent:
        return (), ""
    total = sum(seconds for _, seconds in spent)
    widths = [max(_NARROWEST, 100 * seconds / total) for _, seconds in spent]
    scale = 100 / sum(widths)
    parts, start = [], 0.0
    for (word, _), width in zip(spent, widths, strict=True):
        parts.append(TimingPart(word, round(start, 2), round(width * scale, 2)))
        start += width * scale
    phases = [(word, seconds) for word, seconds in spent if seconds >= _LEAST_SHOWN_S]
    return tuple(parts), ", ".join(f"{word} {format_duration(seconds)}" for word, seconds in phases)


def _on_curl(body: Body | None) -> str:
    """Return what keeps the command from sending the same."""
    if body is None:
        return ""
    if body.binary or body.remark:
        return "The command is not exact: the body is not text."
    return "The command is not exact: the body was shortened." if "characters left out here" in body.text else ""
