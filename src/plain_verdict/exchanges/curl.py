"""Says a request as a curl command, to try it again by hand."""

import shlex

from plain_verdict.model import Exchange

_SET_BY_CURL = ("host", "content-length", "connection", "accept-encoding", "transfer-encoding")


def curl_command(exchange: Exchange) -> str:
    """Return the command, quoted for POSIX shells; what was masked or shortened is so here as well.

    Source: POSIX.1-2024, Shell Command Language, section 2.2.2 (single quotes), which shlex.quote follows.
    """
    request = exchange.request
    parts = ["curl"]
    has_body = request.body is not None and (request.body.text or request.body.form)
    if request.method != ("POST" if has_body else "GET"):
        parts += ["--head"] if request.method == "HEAD" else ["--request", shlex.quote(request.method)]
    parts.append(shlex.quote(request.url))
    # Names with a colon before are pseudo-headers of HTTP/2 (RFC 9113, section 8.3).
    own = (f"{header.key}: {header.value}" for header in request.headers if not header.key.startswith(":"))
    kept = (header for header in own if header.partition(":")[0].lower() not in _SET_BY_CURL)
    lines = [" ".join(parts), *(f"--header {shlex.quote(header)}" for header in kept)]
    body = request.body
    if body is not None and body.text:
        lines.append(f"--data-raw {shlex.quote(body.text)}")
    elif body is not None and body.form:
        option = "--form" if "multipart" in body.media_type else "--data-urlencode"
        lines += [f"{option} {shlex.quote(f'{field.key}={field.value}')}" for field in body.form]
    return " \\\n  ".join(lines)
