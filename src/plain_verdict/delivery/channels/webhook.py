"""Tells a web service of a report: a small JSON, or a template of the team's own, by HTTP POST."""

import time
from collections.abc import Mapping
from typing import TYPE_CHECKING
from urllib.parse import urljoin, urlsplit

import msgspec
from jinja2 import StrictUndefined, TemplateError
from jinja2.sandbox import ImmutableSandboxedEnvironment

from plain_verdict.runtime.errors import DeliveryError, UsageError
from plain_verdict.text.http_status import status_line
from plain_verdict.text.packages import require

if TYPE_CHECKING:
    from requests import Response, Session

_POST_TIMEOUT_S = (5.0, 20.0)
"""To connect, and between bytes."""
_POST_PAUSES_S = (1.0, 3.0)  # two more tries: services that are busy recover in seconds
_LONGEST_PAUSE_S = 10.0  # whatever a service asks for in Retry-After (RFC 9110, section 10.2.3)
_TEMPORARY_STATUS = (429, 502, 503, 504)  # RFC 6585, section 4 (429), and RFC 9110, sections 15.6.3 to 15.6.5
_MOST_REDIRECTS = 3  # more are a loop
_MOST_NOTICE_BYTES = 256_000  # services take no longer message
_TYPES = {".json": "application/json", ".xml": "application/xml", ".txt": "text/plain; charset=utf-8"}


class Notice(msgspec.Struct, frozen=True):
    """What is posted, and as what."""

    body: bytes
    media_type: str = "application/json"


def check_notices() -> None:
    """Make sure that what posts notices is installed. Raises UsageError."""
    require("requests", "[[notify]]", "remote")


def media_type_of(template: str) -> str:
    """Return as what a template of this name is posted. Raises UsageError."""
    for suffix, media_type in _TYPES.items():
        if template.endswith(suffix):
            return media_type
    raise UsageError("is not a template for a notice", path=template, hint=f"end its name in {', '.join(_TYPES)}")


def fill_template(source: str, name: str, values: Mapping[str, object]) -> Notice:
    """Return the notice that a template makes of the values. Raises UsageError, also where JSON is none."""
    environment = ImmutableSandboxedEnvironment(undefined=StrictUndefined)
    try:
        body = environment.from_string(source).render(values).encode("utf-8", "replace")
    except (TemplateError, TypeError, ValueError) as error:
        hint = f"known here: {', '.join(values)}"
        raise UsageError(f"can't be filled in ({error})", path=name, hint=hint) from error
    media_type = media_type_of(name)
    if media_type == "application/json":
        try:
            msgspec.json.decode(body)
        except msgspec.MsgspecError as error:
            hint = "write texts as {{ sentence | tojson }}, without quotes around them"
            raise UsageError(f"makes no JSON ({error})", path=name, hint=hint) from error
    if len(body) > _MOST_NOTICE_BYTES:
        raise UsageError("makes more than 256 kB", path=name, hint="shorten the template")
    return Notice(body, media_type)


def post_notice(url: str, name: str, notice: Notice) -> None:
    """Post a notice; ``name`` stands for the address, which is a secret and never shown. Raises DeliveryError."""
    import requests  # an extra, for web services only

    headers = {"Content-Type": notice.media_type, "User-Agent": "plain-verdict"}
    what = ""
    with requests.Session() as session:
        for pause_s in (*_POST_PAUSES_S, None):
            wait_s = pause_s
            try:
                answer = _post(session, url, notice.body, headers)
            except requests.RequestException as error:
                what = _explained(error)
                if isinstance(error, requests.exceptions.SSLError):
                    break
            else:
                if answer.status_code // 100 == 2:
                    return
                what = _refusal(answer)
                if answer.status_code not in _TEMPORARY_STATUS:
                    break
                retry_after = answer.headers.get("Retry-After", "")
                if pause_s is not None and retry_after.isdecimal():
                    wait_s = min(float(retry_after), _LONGEST_PAUSE_S)
            if wait_s is not None:
                time.sleep(wait_s)
    raise DeliveryError(f"the notice was not taken ({what})", path=name, hint="check the address in that variable")


def _post(session: "Session", url: str, body: bytes, headers: dict[str, str]) -> "Response":
    """Post to an address, and go on only where a redirect stays with its host and asks for the same again."""
    first = urlsplit(url)
    for _ in range(_MOST_REDIRECTS):
        answer = session.post(url, data=body, headers=headers, timeout=_POST_TIMEOUT_S, allow_redirects=False)
        # Source: RFC 9110, sections 15.4.8 and 15.4.9: only these keep method and body.
        there = urljoin(url, answer.headers.get("Location", ""))
        if answer.status_code not in (307, 308) or urlsplit(there)[:2] != first[:2]:
            break
        url = there
    return answer


def _refusal(answer: "Response") -> str:
    if answer.is_redirect:
        return f"it answers {answer.status_code} and redirects elsewhere, where no notice is sent"
    return f"it answers {status_line(answer.status_code)}"


def _explained(error: Exception) -> str:
    """Return why nothing came back, without the address: libraries put it into their words."""
    import requests  # an extra, for web services only

    if isinstance(error, requests.exceptions.SSLError):
        return "its certificate does not fit, or TLS failed"
    if isinstance(error, requests.Timeout):
        return "no answer in time"
    if isinstance(
        error,
        requests.exceptions.InvalidURL | requests.exceptions.MissingSchema | requests.exceptions.InvalidSchema,
    ):
        return "what the variable holds is not an address"
    return "no connection"
