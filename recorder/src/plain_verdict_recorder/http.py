"""Makes the line of an exchange from the response of an HTTP client, by its mapping: no client is imported."""

import time
from contextlib import suppress
from datetime import timedelta

TYPE_CHECKING = False  # the typing module takes longer to import than all of this
if TYPE_CHECKING:
    from collections.abc import Iterable, Mapping

    from plain_verdict_recorder.lines import Line

    Headers = Mapping[str, str] | Iterable[tuple[str, str]]

_VERSIONS = {9: "HTTP/0.9", 10: "HTTP/1.0", 11: "HTTP/1.1", 20: "HTTP/2"}
_MOST_BODY_BYTES = 2_000_000
"""Of a body that is kept: what is larger is only counted."""


def exchange_of_response(response: object) -> "Line":
    """Return what a response tells, with its request."""
    took_s = _elapsed(response)
    line: Line = {
        "request": request_part(getattr(response, "request", None)),
        "response": _response_part(response),
    }
    if took_s is not None:
        line["took_s"] = took_s
        line["at"] = time.time() - took_s
    address = _address(response)
    if address:
        line["address"] = address
    return line


def exchange_without_answer(request: object, error: "BaseException | None", why: str = "") -> "Line":
    """Return what is known of a request that nothing answered."""
    reason = f"{type(error).__name__}: {error}" if error else why
    return {"request": request_part(request), "no_answer": reason.rstrip(": ")}


def request_part(request: object) -> "Line":
    """Return what was sent."""
    part: Line = {
        "method": str(getattr(request, "method", "") or "GET"),
        "url": str(getattr(request, "url", "")),
        "headers": header_pairs(getattr(request, "headers", None) or {}),
    }
    try:
        body = getattr(request, "content", None)
        body = getattr(request, "body", None) if body is None else body
    except Exception:  # noqa: BLE001  a body that is streamed can't be read again
        body = None
    part.update(body_part(body))
    return part


def header_pairs(headers: "Headers") -> list[list[str]]:
    """Return headers as pairs, those that came several times as often."""
    raw = getattr(headers, "raw", None)
    if isinstance(raw, list):  # as bytes, which is much faster than one by one
        return [[name.decode("latin-1"), value.decode("latin-1")] for name, value in raw]
    read_pairs = getattr(headers, "multi_items", None) or getattr(headers, "items", None)
    pairs = read_pairs() if callable(read_pairs) else headers
    return [[str(pair[0]), str(pair[1])] for pair in pairs]


def body_part(body: object) -> "Line":
    """Return a body as text, or in base64 where it is none."""
    if not isinstance(body, (bytes, bytearray, str)) or not body:
        return {}
    if len(body) > _MOST_BODY_BYTES:
        return {"size_bytes": len(body)}
    if isinstance(body, str):
        return {"body": body}
    try:
        return {"body": body.decode()}
    except UnicodeDecodeError:
        from base64 import b64encode  # for bodies that are not text

        return {"base64": b64encode(body).decode()}


def _response_part(response: object) -> "Line":
    raw = getattr(response, "raw", None)
    protocol = getattr(response, "http_version", "") or _VERSIONS.get(getattr(raw, "version", 0) or 0, "")
    part: Line = {
        "status": int(getattr(response, "status_code", 0)),
        "reason": str(getattr(response, "reason_phrase", "") or getattr(response, "reason", "") or ""),
        "protocol": str(protocol),
        "headers": header_pairs(getattr(response, "headers", None) or {}),
    }
    with suppress(Exception):  # a body that was not read, or is gone, is not there
        part.update(body_part(getattr(response, "content", None)))
    wire = getattr(response, "num_bytes_downloaded", None)
    if isinstance(wire, int) and wire:
        part["wire_bytes"] = wire
    return part


def _elapsed(response: object) -> "float | None":
    try:
        elapsed = getattr(response, "elapsed", None)
    except RuntimeError:  # one client tells it only once the response is closed
        return None
    return elapsed.total_seconds() if isinstance(elapsed, timedelta) else None


def _address(response: object) -> str:
    """Return which address answered, where the client tells it."""
    stream = (getattr(response, "extensions", None) or {}).get("network_stream")
    try:
        found = stream.get_extra_info("server_addr") if stream is not None else None
    except Exception:  # noqa: BLE001  a connection that is closed by now
        found = None
    return str(found[0]) if isinstance(found, tuple) and found else ""


def request_of(error: BaseException) -> object:
    """Return the request that an exception of a client carries and that nothing answered; None for others."""
    try:
        request = getattr(error, "request", None)
        answered = getattr(error, "response", None) is not None
    except Exception:  # noqa: BLE001  some raise where they have none
        return None
    return None if answered or not getattr(request, "url", None) else request


# What "curl --write-out %{json}" tells. Source: curl(1), --write-out. Times count from the beginning.
def exchange_of_curl(fields: "Mapping[str, object]") -> "Line":
    """Return the line of what curl tells of a transfer."""

    def number(key: str) -> float:
        value = fields.get(key)
        return float(value) if isinstance(value, (int, float)) else 0.0

    def text(key: str) -> str:
        value = fields.get(key)
        return value if isinstance(value, str) else ""

    status = int(number("response_code") or number("http_code"))
    total = number("time_total")
    lookup, connect, secured = number("time_namelookup"), number("time_connect"), number("time_appconnect")
    ready, first = number("time_pretransfer"), number("time_starttransfer")
    spent = {
        "lookup_s": lookup,
        "connect_s": connect - lookup,
        "tls_s": secured - connect,
        "send_s": ready - max(connect, secured),
        "wait_s": first - ready,
        "receive_s": total - first,
    }
    version = text("http_version")
    line: Line = {
        "request": {
            "method": text("method") or "GET",
            "url": text("url_effective") or text("url"),
            "wire_bytes": int(number("size_request") + number("size_upload")),
        },
        "took_s": total,
        "timings": {name: round(seconds, 6) for name, seconds in spent.items() if seconds > 0},
        "address": text("remote_ip"),
        "at": time.time() - total,
    }
    if status:
        media_type = text("content_type")
        line["response"] = {
            "status": status,
            "protocol": f"HTTP/{version}" if version else "",
            "headers": [["content-type", media_type]] if media_type else [],
            "size_bytes": int(number("size_download")),
            "wire_bytes": int(number("size_header") + number("size_download")),
        }
    else:
        line["no_answer"] = text("errormsg") or f"curl ended with {int(number('exitcode'))}"
    return line
