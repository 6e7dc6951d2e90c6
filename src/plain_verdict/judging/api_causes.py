"""What failures of API checks have in common: the status and the operation tell more than an assertion's words."""

import re
from collections.abc import Sequence
from http import HTTPStatus
from urllib.parse import urlsplit

import msgspec

from plain_verdict.http.problem_document import problem_document_of
from plain_verdict.judging.templates import template_of
from plain_verdict.model import Call, CallState, Run
from plain_verdict.text.formatting import plural
from plain_verdict.text.patterns import pattern

# No connection came about: that is the host's fault, whatever was asked of it. Of several HTTP clients each.
_NO_CONNECTION = pattern(
    r"refused|(?:failed to|could not|can(?:no|')t) connect|resol(?:ve|ution)|not known|no such host"
    r"|unreachable|no route|ENOTFOUND|EAI_AGAIN|certificate",
    re.IGNORECASE,
)


class CallFailure(msgspec.Struct, frozen=True):
    """How a call went wrong: ``key`` is alike in all of a group, ``message`` is of the service or client.

    ``what`` is what happened, like "503 Service Unavailable"; "" where the check's own words tell it.
    """

    key: tuple[str, ...]
    operation: str
    status: int = 0
    what: str = ""
    title: str = ""
    message: str = ""


def call_failures(run: Run) -> dict[str, CallFailure]:
    """Return how the last wrong call of each check went wrong, by check id."""
    return {call.check.id: _failure(call) for call in run.api.calls if call.state is CallState.WRONG}


def name_failures(failures: Sequence[CallFailure], words: str) -> str:
    """Return the name of a cause by its calls, with their operation and status; ``words`` are the checks' own."""
    operations = list(dict.fromkeys(failure.operation for failure in failures))
    first = failures[0]
    where = operations[0] if len(operations) == 1 else plural(len(operations), "operation")
    if len(operations) > 1 and not first.status:
        where = f"{first.key[1]} ({where})"
    if first.title:
        return f"{first.title} ({first.status} from {where})"
    if first.what:
        return f"{first.what} from {where}"
    return f"{words} ({where}, {first.status})"


def _host_of(url: str) -> str:
    """Return host and port of an address, without a login; "" where it is none."""
    try:
        return urlsplit(url).netloc.rpartition("@")[2]
    except ValueError:
        return ""


def _failure(call: Call) -> CallFailure:
    response, operation = call.exchange.response, call.operation.name
    if response is None:
        why = call.exchange.no_answer
        host = _host_of(call.exchange.request.url) if _NO_CONNECTION.search(why) else ""
        return CallFailure(("no answer", host or operation), operation, what="No answer", message=why)
    if response.status < HTTPStatus.BAD_REQUEST:
        # The service did answer; what was wrong with it stands in the failure's own words.
        return CallFailure((operation, str(response.status)), operation, response.status)
    document = problem_document_of(response)
    status = f"{response.status} {response.reason}".strip()
    if document.title:
        message = f"{document.title}: {document.detail}" if document.detail else document.title
        key = (status, template_of(document.title))
        return CallFailure(key, operation, response.status, status, document.title, message)
    return CallFailure((status, operation), operation, response.status, status)
