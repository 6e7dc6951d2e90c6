"""Says a request as a curl command, to try it again by hand."""

import shlex
from collections.abc import Iterator

from plain_verdict.model import Body, Exchange, HttpRequest

_SET_BY_CURL = ("host", "content-length", "connection", "accept-encoding", "transfer-encoding")


def curl_command(exchange: Exchange) -> str:
    """Return the command, quoted for POSIX shells; what was masked or shortened is so here as well.

    Source: POSIX.1-2024, Shell Command Language, section 2.2.2 (single quotes), which shlex.quote follows.
    """
    request = exchange.request
    lines = [" ".join(["curl", *_method(request), shlex.quote(request.url)]), *_headers(request)]
    return " \\\n  ".join((*lines, *_body(request.body)))


def _method(request: HttpRequest) -> list[str]:
    has_body = request.body is not None and bool(request.body.text or request.body.form)
    if request.method == ("POST" if has_body else "GET"):
        return []
    return ["--head"] if request.method == "HEAD" else ["--request", shlex.quote(request.method)]


def _headers(request: HttpRequest) -> Iterator[str]:
    for header in request.headers:
        # Names with a colon before are pseudo-headers of HTTP/2 (RFC 9113, section 8.3).
        if not header.key.startswith(":") and header.key.lower() not in _SET_BY_CURL:
            yield f"--header {shlex.quote(f'{header.key}: {header.value}')}"


def _body(body: Body | None) -> list[str]:
    if body is None:
        return []
    if body.text:
        return [f"--data-raw {shlex.quote(body.text)}"]
    option = "--form" if "multipart" in body.media_type else "--data-urlencode"
    return [f"{option} {shlex.quote(f'{field.key}={field.value}')}" for field in body.form]
