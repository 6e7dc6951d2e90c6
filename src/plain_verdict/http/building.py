"""Builds exchanges of what files say: names and texts made plain, each kept within its limit."""

from collections.abc import Iterable
from functools import lru_cache

from plain_verdict.model import Exchange, Fact, HttpRequest, HttpResponse
from plain_verdict.settings.limits import Limits
from plain_verdict.text.cleaning import single_line

_LONGEST_CALL_S = 1e9  # 30 years: what takes longer was never measured
_URL_CHARS = 4_000  # longer ones hold data, and are cut where they are shown
_REMEMBERED = 10_000  # headers
_FRAME_CHARS = 1_500  # of an exchange: what stands around its texts
NO_ANSWER = "nothing came back"
"""Why there is no response, where nothing tells more."""


def read_headers(pairs: Iterable[tuple[str, str]], limits: Limits) -> tuple[Fact, ...]:
    """Return headers in their order, each as often as it was sent."""
    kept = [_header(name, value, limits.name_chars, limits.message_chars) for name, value in pairs]
    if len(kept) > limits.headers:
        kept[limits.headers :] = [Fact("…", f"and {len(kept) - limits.headers:,} more headers")]
    return tuple(kept)


@lru_cache(_REMEMBERED)
def _header(name: str, value: str, name_chars: int, value_chars: int) -> Fact:
    """Return a header; most come again with every request, and are one object then."""
    return Fact(single_line(name, name_chars), single_line(value, value_chars))


def about_chars(exchange: Exchange) -> int:
    """Return about how many characters an exchange takes on a page; what was sent is in its curl command, too."""
    request, response = exchange.request, exchange.response
    sent, came_back = len(request.url) + _message_chars(request), _message_chars(response) if response else 0
    return _FRAME_CHARS + 2 * sent + came_back


def _message_chars(message: HttpRequest | HttpResponse) -> int:
    headers = sum(len(header.key) + len(header.value) for header in message.headers)
    return headers + (len(message.body.text) if message.body else 0)


def header_of(headers: Iterable[Fact], name: str) -> str:
    """Return the value of a header by its name in lower case; "" where it is not there."""
    return next((header.value for header in headers if header.key.lower() == name), "")


def read_url(url: str) -> str:
    """Return an address as one line; spaces in one that is none stay visible."""
    return single_line(url, _URL_CHARS)


def read_seconds(seconds: float | None) -> float | None:
    """Return a duration in seconds; None for one that is negative, absurd or not told."""
    if seconds is None or not 0 <= seconds < _LONGEST_CALL_S:
        return None
    return float(seconds)


def read_count(number: object) -> int | None:
    """Return a number of bytes; None for one below 0 or none at all: files write -1 for what is not known."""
    if isinstance(number, bool) or not isinstance(number, int | float) or not 0 <= number < 1e15:
        return None
    return int(number)


def file_name_of(url: str) -> str:
    """Return what a body is called that came from an address: the end of its path."""
    path = url.partition("?")[0].partition("#")[0]
    return path.rstrip("/").rpartition("/")[2][:80] or "body"


def split_url(url: str) -> tuple[str, str]:
    """Return an address's host, with its port where that is given, and its path without query and fragment.

    The host is "" for an address that has none, the path "/" where there is none. Source: RFC 3986, section 3.
    """
    bare = url.partition("#")[0].partition("?")[0]
    before, sign, rest = bare.partition("://")
    if not sign:
        return "", before or "/"
    host, slash, path = rest.partition("/")
    return host.rpartition("@")[2].lower(), f"/{path}" if slash else "/"


def host_of(url: str) -> str:
    """Return the host of an address, as ``split_url``."""
    return split_url(url)[0]


def path_of(url: str) -> str:
    """Return the path of an address, as ``split_url``."""
    return split_url(url)[1]
