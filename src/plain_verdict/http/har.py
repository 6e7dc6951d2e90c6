"""Turns the entries of an HTTP archive into exchanges; real ones are untidy, and nothing in them is trusted.

Source: HAR 1.2 (HTTP Archive), section "HAR Data Structure".
"""

from base64 import b64decode
from binascii import Error as Base64Error
from collections.abc import Iterator

from plain_verdict.http.bodies import form_of, read_body
from plain_verdict.http.building import (
    NO_ANSWER,
    file_name_of,
    header_of,
    read_count,
    read_headers,
    read_seconds,
    read_url,
)
from plain_verdict.model import Body, Exchange, Fact, HttpRequest, HttpResponse, Timings
from plain_verdict.settings.limits import Limits
from plain_verdict.text.cleaning import single_line
from plain_verdict.text.moments import read_moment

_MILLISECONDS = 1000.0
_METHOD_CHARS = 40  # methods are tokens (RFC 9110, section 9.1); the longest registered has 17


def exchange_of(entry: object, limits: Limits) -> Exchange | None:
    """Return the exchange of an entry; None for one without a request that could be made."""
    fields = _object(entry)
    request = _object(fields.get("request"))
    method, url = _text(request, "method"), _text(request, "url")
    if not url:
        return None
    response = _object(fields.get("response"))
    status = read_count(response.get("status")) or 0
    total = _ms(fields.get("time"))
    timings = _timings(_object(fields.get("timings")))
    return Exchange(
        request=HttpRequest(
            method=single_line(method or "GET", _METHOD_CHARS),
            url=read_url(url),
            protocol=_protocol(request),
            headers=_headers(request, limits),
            body=_sent(_object(request.get("postData")), limits),
            wire_bytes=_on_wire(request),
        ),
        response=_response(response, status, url, limits) if status else None,
        no_answer="" if status else _why_none(fields, response, limits),
        took_s=total if total is not None else _sum(timings),
        timings=timings,
        sent=read_moment(_text(fields, "startedDateTime")),
        address=single_line(_text(fields, "serverIPAddress"), limits.name_chars),
    )


def has_odd_time(entry: object) -> bool:
    """Return whether an entry tells a time that can't be; it counts as unknown.

    That is one below zero, but for the -1 of what does not apply, or one of thirty years and more.
    """
    fields = _object(entry)
    times = {"time": fields.get("time"), **_object(fields.get("timings"))}
    return any(
        isinstance(value, int | float) and value != -1 and _ms(value) is None
        for key, value in times.items()
        if not key.startswith("_")
    )


def page_titles(pages: list[object], limits: Limits) -> dict[str, str]:
    """Return the titles of an archive's pages by their ids."""
    titles = {}
    for page in map(_object, pages):
        title = single_line(_text(page, "title"), limits.name_chars)
        if _text(page, "id") and title:
            titles[_text(page, "id")] = title
    return titles


def page_of(entry: object) -> str:
    """Return the id of the page that an entry belongs to, "" where it names none."""
    return _text(_object(entry), "pageref")


def _object(value: object) -> dict[str, object]:
    return value if isinstance(value, dict) else {}


def _text(fields: dict[str, object], key: str) -> str:
    value = fields.get(key)
    return value if isinstance(value, str) else ""


def _ms(value: object) -> float | None:
    """Return milliseconds as seconds; None for -1, which stands for what does not apply."""
    if isinstance(value, bool) or not isinstance(value, int | float):
        return None
    return read_seconds(value / _MILLISECONDS)


def _protocol(fields: dict[str, object]) -> str:
    version = single_line(_text(fields, "httpVersion"), _METHOD_CHARS)
    return "" if version.lower() in ("unknown", "http/0") else version


def _headers(fields: dict[str, object], limits: Limits) -> tuple[Fact, ...]:
    found = fields.get("headers")
    headers = [_object(header) for header in found] if isinstance(found, list) else []
    pairs = [(_text(header, "name"), _text(header, "value")) for header in headers]
    return read_headers(((name, value) for name, value in pairs if name), limits)


def _on_wire(fields: dict[str, object]) -> int | None:
    """Return what went over the wire: the body, and the headers where they were counted."""
    body = read_count(fields.get("bodySize"))
    headers = read_count(fields.get("headersSize"))
    return body if headers is None or body is None else headers + body


def _sent(data: dict[str, object], limits: Limits) -> Body | None:
    """Return what a request carried: a text, or the fields of a form."""
    media_type = single_line(_text(data, "mimeType"), limits.name_chars)
    text = _text(data, "text")
    if text:
        is_multipart = media_type.lower().startswith("multipart/form-data")
        # A form in parts is bytes; recorders write each as one character.
        return read_body(text.encode("latin-1", "replace") if is_multipart else text, media_type, limits)
    parameters = data.get("params")
    fields = [_object(field) for field in parameters] if isinstance(parameters, list) else []
    pairs = [(_text(field, "name"), _text(field, "value") or _text(field, "fileName")) for field in fields]
    return Body(media_type, form=form_of(pairs, limits)) if pairs else None


def _response(fields: dict[str, object], status: int, url: str, limits: Limits) -> HttpResponse:
    headers = _headers(fields, limits)
    return HttpResponse(
        status=status,
        reason=single_line(_text(fields, "statusText"), limits.name_chars),
        protocol=_protocol(fields),
        headers=headers,
        body=_came_back(_object(fields.get("content")), headers, url, limits),
        wire_bytes=read_count(fields.get("_transferSize")) or _on_wire(fields),
    )


def _came_back(content: dict[str, object], headers: tuple[Fact, ...], url: str, limits: Limits) -> Body | None:
    media_type = _text(content, "mimeType")
    text = _text(content, "text")
    data: str | bytes = text
    if _text(content, "encoding").lower() == "base64":
        try:
            data = b64decode(text, validate=False)
        except (Base64Error, ValueError):
            return Body(single_line(media_type, limits.name_chars), remark="has base64 that can't be read")
    coding = header_of(headers, "content-encoding")
    body = read_body(data, media_type, limits, name=file_name_of(url), coding=coding)
    size_bytes = read_count(content.get("size"))
    if body is None and size_bytes:
        kind = single_line(media_type, limits.name_chars)
        return Body(kind, size_bytes=size_bytes, remark="was not kept by what recorded it")
    return body


def _timings(fields: dict[str, object]) -> Timings:
    """Return the timings; what a file counts as connecting holds TLS, too (HAR 1.2, "timings": ssl)."""
    connect, tls = _ms(fields.get("connect")), _ms(fields.get("ssl"))
    if connect is not None and tls is not None:
        connect = max(0.0, connect - tls)
    return Timings(
        blocked_s=_ms(fields.get("blocked")),
        lookup_s=_ms(fields.get("dns")),
        connect_s=connect,
        tls_s=tls,
        send_s=_ms(fields.get("send")),
        wait_s=_ms(fields.get("wait")),
        receive_s=_ms(fields.get("receive")),
    )


def _sum(timings: Timings) -> float | None:
    known = [getattr(timings, name) for name in Timings.__struct_fields__]
    phases_s = [seconds for seconds in known if seconds is not None]
    return sum(phases_s) if phases_s else None


def _why_none(entry: dict[str, object], response: dict[str, object], limits: Limits) -> str:
    """Return why nothing came back, as far as the file tells: recorders put it under keys of their own."""
    return next(_notes_of_entry(entry, response, limits), NO_ANSWER)


def _notes_of_entry(entry: dict[str, object], response: dict[str, object], limits: Limits) -> Iterator[str]:
    for fields in (response, entry):
        for key, value in fields.items():
            if key.startswith("_") and "error" in key.lower() and isinstance(value, str) and value:
                yield single_line(value, limits.message_chars)
    for fields in (response, entry):
        comment = single_line(_text(fields, "comment"), limits.message_chars)
        if comment:
            yield comment
