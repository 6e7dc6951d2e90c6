"""What a status of HTTP means, in the standard's words: a server's own may repeat what it was sent.

Source: RFC 9110, section 15; the IANA registry of HTTP status codes, as Python has it.
"""

from http import HTTPStatus


def status_line(code: int) -> str:
    """Return a status with its standard phrase: ``403 Forbidden``; only the number where the standard has none."""
    try:
        return f"{code} {HTTPStatus(code).phrase}"
    except ValueError:
        return str(code)
