"""Turns the lines of a record on exchanges into exchanges."""

from base64 import b64decode
from binascii import Error as Base64Error
from datetime import datetime

import msgspec

from plain_verdict.http.bodies import read_body
from plain_verdict.http.building import (
    NO_ANSWER,
    file_name_of,
    header_of,
    read_count,
    read_headers,
    read_seconds,
    read_url,
)
from plain_verdict.model import Body, Exchange, Expectation, Fact, HttpRequest, HttpResponse, Timings
from plain_verdict.readers.record.lines import ExchangeLine, ExpectationLine, RequestPart, ResponsePart
from plain_verdict.settings.limits import Limits
from plain_verdict.text.cleaning import block, single_line


def read_exchange(line: ExchangeLine, sent: datetime | None, limits: Limits) -> Exchange:
    """Return the exchange that a line tells."""
    request, response = line.request, line.response
    headers = read_headers(request.headers, limits)
    return Exchange(
        request=HttpRequest(
            method=single_line(request.method, limits.name_chars),
            url=read_url(request.url),
            protocol=single_line(request.protocol, limits.name_chars),
            headers=headers,
            body=_body(request, headers, request.url, limits),
            wire_bytes=read_count(request.wire_bytes),
        ),
        response=_response(response, request.url, limits) if response else None,
        no_answer="" if response else single_line(line.no_answer, limits.message_chars) or NO_ANSWER,
        took_s=read_seconds(line.took_s),
        timings=Timings(*map(read_seconds, msgspec.structs.astuple(line.timings))),
        sent=sent,
        address=single_line(line.address, limits.name_chars),
    )


def read_expectation(line: ExpectationLine, before: int, limits: Limits) -> Expectation:
    """Return the expectation that a line tells; ``before`` counts the exchanges of its part until there."""
    return Expectation(
        subject=single_line(line.subject, limits.name_chars),
        outcome=line.outcome,
        expected=None if line.expected is None else block(line.expected, limits.message_chars),
        actual=None if line.actual is None else block(line.actual, limits.message_chars),
        message=block(line.message, limits.message_chars),
        exchange=before - 1 if before else None,
    )


def _response(part: ResponsePart, url: str, limits: Limits) -> HttpResponse:
    headers = read_headers(part.headers, limits)
    body = _body(part, headers, url, limits)
    size_bytes = read_count(part.size_bytes)
    if body is None and size_bytes:
        body = Body(header_of(headers, "content-type"), size_bytes=size_bytes, remark="was not kept")
    return HttpResponse(
        status=part.status,
        reason=single_line(part.reason, limits.name_chars),
        protocol=single_line(part.protocol, limits.name_chars),
        headers=headers,
        body=body,
        wire_bytes=read_count(part.wire_bytes),
    )


def _body(part: RequestPart | ResponsePart, headers: tuple[Fact, ...], url: str, limits: Limits) -> Body | None:
    media_type = header_of(headers, "content-type")
    data: str | bytes = part.body
    if part.base64:
        try:
            data = b64decode(part.base64, validate=True)
        except (Base64Error, ValueError):
            return Body(media_type, remark="has base64 that can't be read")
    return read_body(
        data, media_type, limits, name=file_name_of(url), coding=header_of(headers, "content-encoding")
    )
